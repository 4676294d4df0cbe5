"""A private PostgreSQL cluster on loopback, from Debian's packages; used by the start command and by the tests.

Only the standard library, because it runs before anything is installed. PostgreSQL refuses to run as root, so root
hands the cluster to the `postgres` user in a folder that this user can reach.
"""

import hashlib
import os
import pwd
import shutil
import socket
import subprocess
import sys
import time
from pathlib import Path

_BINARIES = Path("/usr/lib/postgresql")
_READY_SECONDS = 120


def binaries() -> Path | None:
    """Folder of the newest installed PostgreSQL server programs, none when there is none."""
    found = [p for p in _BINARIES.glob("*/bin") if (p / "initdb").exists()]
    return max(found, key=lambda p: int(p.parent.name)) if found else None


def data_folder(state: Path) -> Path:
    """Where the cluster of a state folder lives: inside it, or for root in a place of its own per state folder."""
    if os.geteuid() != 0:
        return state / "postgresql"
    return Path("/var/lib/postgresql/nuvett") / hashlib.sha256(str(state.resolve()).encode()).hexdigest()[:12]


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


class Cluster:
    """One cluster in a folder. `start` answers its address; the socket and the port are its own."""

    def __init__(self, folder: Path) -> None:
        found = binaries()
        if found is None:
            raise SystemExit("PostgreSQL's server is not installed: install the Debian package `postgresql`.")
        self._bin, self._folder = found, folder
        self._as = ["setpriv", "--reuid=postgres", "--regid=postgres", "--init-groups"] if os.geteuid() == 0 else []

    def _run(self, *command: str) -> subprocess.CompletedProcess[str]:
        return subprocess.run([*self._as, *command], capture_output=True, text=True, cwd="/", check=False)

    def _port_file(self) -> Path:
        return self._folder / "port"

    def running(self) -> bool:
        return self._run(str(self._bin / "pg_ctl"), "status", "-D", str(self._folder / "data")).returncode == 0

    def _create(self) -> None:
        self._folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        if self._as:
            owner = pwd.getpwnam("postgres")
            self._folder.parent.chmod(0o755)
            os.chown(self._folder, owner.pw_uid, owner.pw_gid)
        made = self._run(
            str(self._bin / "initdb"), "-D", str(self._folder / "data"), "-U", "nuvett", "--auth=trust",
            "--encoding=UTF8", "--locale=C.UTF-8", "--no-sync", "--no-instructions",
        )  # fmt: skip
        if made.returncode != 0:
            raise SystemExit(f"The database could not be created: {made.stderr.strip()}")

    def _settled(self) -> bool:
        """Whether the cluster runs and answers; one that is just being stopped by another copy is waited for."""
        for _ in range(_READY_SECONDS * 5):
            if not self.running():
                return False
            port = self._port_file().read_text().strip() if self._port_file().exists() else ""
            if self._run(str(self._bin / "pg_isready"), "-q", "-h", "127.0.0.1", "-p", port).returncode == 0:
                return True
            time.sleep(0.2)
        raise SystemExit(f"The database neither answers nor stops; see {self._folder / 'log'}.")

    def start(self, durable: bool = True) -> str:
        """Start the cluster if it does not run yet; address of its database, made on first use."""
        if not (self._folder / "data" / "PG_VERSION").exists():
            self._create()
        if not self._settled():
            port = free_port()
            options = f"-c listen_addresses=127.0.0.1 -p {port} -c unix_socket_directories={self._folder}"
            if not durable:
                options += " -c fsync=off -c synchronous_commit=off -c full_page_writes=off"
            started = self._run(
                str(self._bin / "pg_ctl"), "start", "-D", str(self._folder / "data"), "-l", str(self._folder / "log"),
                "-o", options, "-w", "-t", str(_READY_SECONDS),
            )  # fmt: skip
            if started.returncode != 0:
                raise SystemExit(f"The database did not start; see {self._folder / 'log'}.\n{started.stdout}")
            self._port_file().write_text(str(port))
        address = f"postgresql://nuvett@127.0.0.1:{self._port_file().read_text().strip()}"
        self._run(
            str(self._bin / "createdb"), "-h", "127.0.0.1", "-p", address.rsplit(":", 1)[1], "-U", "nuvett", "nuvett"
        )
        return f"{address}/nuvett"

    def stop(self) -> None:
        self._run(str(self._bin / "pg_ctl"), "stop", "-D", str(self._folder / "data"), "-m", "fast", "-w")

    def remove(self) -> None:
        """Stop the cluster and delete its folder."""
        if (self._folder / "data").exists():
            self.stop()
        for _ in range(20):
            shutil.rmtree(self._folder, ignore_errors=True)
            if not self._folder.exists():
                return
            time.sleep(0.1)


if __name__ == "__main__":
    cluster = Cluster(data_folder(Path(sys.argv[2])))
    if sys.argv[1] == "start":
        print(cluster.start())
    else:
        cluster.stop()
