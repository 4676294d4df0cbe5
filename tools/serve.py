"""Starts everything: the private database, its migrations, the worker and the web server; stops it all on Ctrl-C."""

import argparse
import signal
import socket
import subprocess
import sys

from nuvett.core.errors import ForeignStoreError
from nuvett.logs import set_up_logs
from nuvett.services.platform.opening import open_installation
from nuvett.services.platform.studio import Studio
from nuvett.services.shelf.demo import load_demo
from nuvett.settings import Settings
from nuvett.web.security.signin import refusal_to_listen
from nuvett.web.serving import serve_pages
from tools.home import PROJECT, Home, at_home
from tools.supervise import Keeper, KeptWorker

_PORTS_TRIED = 50


def pick_port(host: str, wanted: int) -> int:
    """The wanted port or the next free one above it."""
    for port in range(wanted, wanted + _PORTS_TRIED):
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind((host, port))
            except OSError:
                continue
            return int(probe.getsockname()[1])
    raise SystemExit(f"No free port between {wanted} and {wanted + _PORTS_TRIED}.")


def main() -> None:
    """Serve until stopped."""
    parser = argparse.ArgumentParser(prog="./run start", description="Start Nuvett and print its address.")
    parser.add_argument("--demo", action="store_true", help=argparse.SUPPRESS)
    parser.add_argument("--port", type=int, help="port to listen on; the next free one is taken")
    arguments = parser.parse_args()
    set_up_logs(Settings().log, "web")
    refusal = refusal_to_listen(Settings())
    if refusal:
        raise SystemExit(refusal)
    with at_home() as home:
        settings = Settings() if arguments.port is None else Settings(port=arguments.port)
        serve(settings, arguments.demo, home)


def _start_worker() -> subprocess.Popen[bytes]:
    # In a session of its own, so that Ctrl-C reaches it through us once and not twice.
    command = [sys.executable, "-m", "nuvett.jobs"]
    return subprocess.Popen(command, cwd=PROJECT, stdin=subprocess.PIPE, start_new_session=True)


def serve(settings: Settings, demo: bool, home: Home) -> None:
    """Migrate, load the demo if asked to, keep the worker running beside the web server until a signal comes."""
    studio = Studio.of(settings)
    try:
        present = open_installation(studio)
    except ForeignStoreError as error:
        raise SystemExit(error.message) from error
    if demo and present:
        with studio.database.session() as session:
            load_demo(session, studio)
    port = pick_port(settings.host, settings.port)
    keeper = Keeper(KeptWorker(_start_worker), home.cluster.revive if home.cluster else None)
    signal.signal(signal.SIGTERM, signal.getsignal(signal.SIGINT))
    try:
        serve_pages(settings, studio, port)
    except KeyboardInterrupt:
        pass
    finally:
        keeper.stop()
        studio.database.close()


if __name__ == "__main__":
    main()
