"""Starts everything: the private database, its migrations, the worker and the web server; stops it all on Ctrl-C."""

import argparse
import fcntl
import os
import signal
import socket
import subprocess
import sys
from pathlib import Path
from typing import IO

import uvicorn

from nuvett.services.demo import load_demo
from nuvett.services.studio import Studio
from nuvett.settings import Settings
from nuvett.web.app import make_app
from tools.cluster import Cluster, data_folder

PROJECT = Path(__file__).resolve().parent.parent
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


def _last_one(lock: IO[str]) -> bool:
    """Whether no other copy uses this state folder any more."""
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return False
    return True


def main() -> None:
    """Serve until stopped."""
    parser = argparse.ArgumentParser(prog="./run start", description="Start Nuvett and print its address.")
    parser.add_argument("--demo", action="store_true", help=argparse.SUPPRESS)
    parser.add_argument("--port", type=int, help="port to listen on; the next free one is taken")
    arguments = parser.parse_args()
    state = Path(os.environ.get("NUVETT_STATE", PROJECT / ".state")).resolve()
    state.mkdir(parents=True, exist_ok=True)
    with (state / "lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_SH)
        outside = os.environ.get("NUVETT_DATABASE")
        cluster = None if outside else Cluster(data_folder(state))
        os.environ["NUVETT_DATABASE"] = outside or (cluster.start() if cluster else "")
        os.environ.setdefault("NUVETT_BLOBS", str(state / "blobs"))
        os.environ.setdefault("NUVETT_DEMO", str(PROJECT / "demo"))
        settings = Settings() if arguments.port is None else Settings(port=arguments.port)
        try:
            serve(settings, arguments.demo)
        finally:
            if cluster and _last_one(lock):
                cluster.stop()


def serve(settings: Settings, demo: bool) -> None:
    """Migrate, load the demo if asked to, run the worker beside the web server until a signal comes."""
    studio = Studio.of(settings)
    studio.database.migrate()
    if demo:
        with studio.database.session() as session:
            load_demo(session, studio)
    port = pick_port(settings.host, settings.port)
    # In a session of its own, so that Ctrl-C reaches it through us once and not twice.
    # Fewer malloc arenas: large pictures on several threads otherwise leave freed memory spread over all of them.
    environment = os.environ | {"MALLOC_ARENA_MAX": "2"}
    command = [sys.executable, "-m", "nuvett.jobs"]
    worker = subprocess.Popen(command, cwd=PROJECT, env=environment, start_new_session=True)
    signal.signal(signal.SIGTERM, signal.getsignal(signal.SIGINT))
    config = uvicorn.Config(
        make_app(settings, studio), host=settings.host, port=port, log_level="warning", server_header=False
    )
    print(f"Nuvett is ready: http://{settings.host}:{port}/  (Ctrl-C stops it)", flush=True)
    try:
        uvicorn.Server(config).run()
    except KeyboardInterrupt:
        pass
    finally:
        worker.terminate()
        try:
            worker.wait(15)
        except subprocess.TimeoutExpired:
            worker.kill()
        studio.database.close()


if __name__ == "__main__":
    main()
