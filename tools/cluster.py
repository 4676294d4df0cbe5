"""A private PostgreSQL cluster, from Debian's packages; used by the start command and by the tests.

It listens on a socket in a folder that only its owner enters, and on no network address. Two roles with random
passwords (SCRAM): `keeper` owns the cluster and is used here alone; `nuvett` owns the application's database and
nothing else. The passwords lie beside the application's state, readable by its owner alone.

Only the standard library, because it runs before anything is installed. PostgreSQL refuses to run as root, so root
hands the cluster to the `postgres` user in a folder that this user can reach.
"""

import hashlib
import json
import os
import pwd
import secrets
import shutil
import subprocess
import sys
import tempfile
import time
from dataclasses import asdict, dataclass
from pathlib import Path
from urllib.parse import quote

_CLUSTERS = Path("/var/lib/postgresql/nuvett")  # of root's state folders
_BINARIES = Path("/usr/lib/postgresql")
_READY_SECONDS = 120
_LONGEST_SOCKET = 90  # bytes of a socket's folder; the system allows 107 with the socket's name
_PORT = "5432"  # part of the socket's name only
_HBA = "local all all scram-sha-256\n"

# Objects that an earlier version let the cluster's owner own; ours are all in the schema `public`.
_GIVE_ALL = """
DO $$
DECLARE each record;
BEGIN
  FOR each IN
    SELECT format('ALTER TABLE %s OWNER TO nuvett', oid::regclass) AS todo FROM pg_class
      WHERE relnamespace = 'public'::regnamespace AND relkind IN ('r', 'p', 'v', 'm')
    UNION ALL SELECT format('ALTER SEQUENCE %s OWNER TO nuvett', oid::regclass) FROM pg_class
      WHERE relnamespace = 'public'::regnamespace AND relkind = 'S'
        AND NOT EXISTS (SELECT 1 FROM pg_depend WHERE objid = pg_class.oid AND deptype IN ('a', 'i'))
    UNION ALL SELECT format('ALTER ROUTINE %s OWNER TO nuvett', oid::regprocedure) FROM pg_proc
      WHERE pronamespace = 'public'::regnamespace
    UNION ALL SELECT format('ALTER TYPE %s OWNER TO nuvett', oid::regtype) FROM pg_type
      WHERE typnamespace = 'public'::regnamespace AND (typtype IN ('e', 'd') OR typtype = 'c' AND EXISTS
        (SELECT 1 FROM pg_class WHERE pg_class.oid = typrelid AND relkind = 'c'))
  LOOP EXECUTE each.todo; END LOOP;
END $$;
"""


def binaries() -> Path | None:
    """Folder of the newest installed PostgreSQL server programs, none when there is none."""
    found = [p for p in _BINARIES.glob("*/bin") if (p / "initdb").exists()]
    return max(found, key=lambda p: int(p.parent.name)) if found else None


def data_folder(state: Path) -> Path:
    """Where the cluster of a state folder lives: inside it, or for root where the state folder says.

    PostgreSQL's user cannot enter root's folders, so root's clusters lie apart, and each state folder keeps a note of
    its own. The cluster keeps the path of its state folder in turn: one that was moved is followed, a copy is refused,
    since both would work on one database. Raises SystemExit.
    """
    if os.geteuid() != 0:
        return state / "postgresql"
    note, state = state / "cluster", state.resolve()
    if not note.exists():
        earlier = _CLUSTERS / hashlib.sha256(str(state).encode()).hexdigest()[:12]
        usable = earlier.exists() and (state / "passwords").exists()
        note.write_text(str(earlier if usable else _CLUSTERS / secrets.token_hex(8)))
    folder = Path(note.read_text().strip())
    if not folder.exists() and (state / "passwords").exists():
        raise SystemExit(
            f"The database of this state folder, {folder}, is not on this machine. Bring it along, or restore a backup "
            "into an empty state folder (./run cli restore). Nothing was changed."
        )
    home = folder / "state-folder"
    before = Path(home.read_text().strip()) if home.exists() else state
    if before != state and (before / "cluster").exists() and (before / "cluster").read_text() == note.read_text():
        raise SystemExit(
            f"{state} is a copy of {before}, and the database belongs to that one. Restore a backup into an empty "
            "state folder instead (./run cli backup, ./run cli restore). Nothing was changed."
        )
    if folder.exists() and (before != state or not home.exists()):
        home.write_text(str(state))
    return folder


@dataclass(frozen=True)
class Secrets:
    """Passwords of the two roles."""

    keeper: str
    nuvett: str

    @classmethod
    def of(cls, path: Path) -> "Secrets":
        """Those in a file, made on first use; the file is its owner's alone."""
        if not path.exists():
            made = cls(secrets.token_urlsafe(32), secrets.token_urlsafe(32))
            with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as out:
                json.dump(asdict(made), out)
        return cls(**json.loads(path.read_text()))


class Cluster:
    """One cluster in a folder, with its passwords in a file. `start` answers the address of its database."""

    def __init__(self, folder: Path, secret_file: Path) -> None:
        found = binaries()
        if found is None:
            raise SystemExit("PostgreSQL's server is not installed: install the Debian package `postgresql`.")
        self._bin, self.folder, self._data = found, folder, folder / "data"
        self._secret_file = secret_file
        self._as = ["setpriv", "--reuid=postgres", "--regid=postgres", "--init-groups"] if os.geteuid() == 0 else []
        self._durable = True

    def _run(self, *command: str, text: str | None = None, **variables: str) -> subprocess.CompletedProcess[str]:
        return subprocess.run(
            [*self._as, *command], capture_output=True, text=True, input=text, cwd="/", check=False,
            env=os.environ | variables,
        )  # fmt: skip

    def _psql(self, text: str, role: str = "keeper", database: str = "postgres", password: str = "") -> str:
        """Run statements over the private socket; what they answer. Raises SystemExit when one fails."""
        done = self._run(
            str(self._bin / "psql"), "-X", "-qAt", "-v", "ON_ERROR_STOP=1", "-h", str(self._socket()), "-p", _PORT,
            "-U", role, "-d", database, text=text, PGPASSWORD=password,
        )  # fmt: skip
        if done.returncode != 0:
            raise SystemExit(f"The database could not be prepared: {done.stderr.strip()}")
        return done.stdout.strip()

    def _socket(self) -> Path:
        """Folder of the socket: the cluster's own, or for a long path one of the same owner in the temporary folder."""
        if len(str(self.folder)) <= _LONGEST_SOCKET:
            return self.folder
        name = hashlib.sha256(str(self.folder).encode()).hexdigest()[:16]
        return Path(tempfile.gettempdir()) / f"nuvett-{os.geteuid()}-{name}"

    def _own(self, folder: Path) -> None:
        """Make a folder that only the cluster's user enters."""
        if self._as and not folder.parent.exists():
            folder.parent.mkdir(parents=True)
            folder.parent.chmod(0o711)  # whatever the mask, its user has to come through
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        if folder.is_symlink() or folder.stat().st_uid not in (os.geteuid(), self._owner()):
            raise SystemExit(f"{folder} belongs to somebody else; the database is not started there.")
        if self._as:
            os.chown(folder, self._owner(), -1)
        folder.chmod(0o700)

    def _owner(self) -> int:
        return pwd.getpwnam("postgres").pw_uid if self._as else os.geteuid()

    def _lives(self) -> bool:
        """Whether a process lives under the number that the server left: a quick look."""
        try:
            os.kill(int((self._data / "postmaster.pid").read_text().splitlines()[0]), 0)
        except (FileNotFoundError, IndexError, ValueError, ProcessLookupError):
            return False
        except PermissionError:
            return True
        return True

    def running(self) -> bool:
        """Whether the cluster's server runs."""
        return self._run(str(self._bin / "pg_ctl"), "status", "-D", str(self._data)).returncode == 0

    def _create(self) -> None:
        self._own(self.folder)
        password = self.folder / "password"
        try:
            with os.fdopen(os.open(password, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as out:
                out.write(Secrets.of(self._secret_file).keeper)
            os.chown(password, self._owner(), -1)
            made = self._run(
                str(self._bin / "initdb"), "-D", str(self._data), "-U", "keeper", "--auth=scram-sha-256",
                f"--pwfile={password}", "--encoding=UTF8", "--locale=C.UTF-8", "--no-sync", "--no-instructions",
            )  # fmt: skip
        finally:
            password.unlink(missing_ok=True)
        if made.returncode != 0:
            shutil.rmtree(self._data, ignore_errors=True)
            raise SystemExit(f"The database could not be created: {made.stderr.strip()}")
        (self._data / "pg_hba.conf").write_text(_HBA)

    def _is_open_to_all(self) -> bool:
        """Whether the cluster is of an earlier version, which any local user could enter."""
        return "trust" in [line.split()[-1] for line in self._rules() if line.split()]

    def _rules(self) -> list[str]:
        text = (self._data / "pg_hba.conf").read_text()
        return [line for line in text.splitlines() if not line.lstrip().startswith("#")]

    def _close(self) -> None:
        """Close a cluster of an earlier version: two roles with passwords, and the database its application's own."""
        held = Secrets.of(self._secret_file)
        self._psql("CREATE ROLE mender SUPERUSER LOGIN", "nuvett")
        self._psql(
            "ALTER ROLE nuvett RENAME TO keeper;"
            f"ALTER ROLE keeper PASSWORD '{held.keeper}';"
            f"CREATE ROLE nuvett LOGIN PASSWORD '{held.nuvett}';",
            "mender",
        )
        if self._psql("SELECT 1 FROM pg_database WHERE datname = 'nuvett'", "mender"):
            self._psql("ALTER DATABASE nuvett OWNER TO nuvett", "mender")
            self._psql(_GIVE_ALL, "mender", "nuvett")
        self._psql("DROP ROLE mender")
        self.stop()
        (self._data / "pg_hba.conf").write_text(_HBA)

    def _settled(self) -> bool:
        """Whether the cluster runs and answers; one that is just being stopped by another copy is waited for."""
        for _ in range(_READY_SECONDS * 5):
            if not self.running():
                return False
            ready = self._run(str(self._bin / "pg_isready"), "-q", "-h", str(self._socket()), "-p", _PORT)
            if ready.returncode == 0:
                return True
            time.sleep(0.2)
        raise SystemExit(f"The database neither answers nor stops; see {self.folder / 'log'}.")

    def _launch(self) -> None:
        self._own(self.folder)
        self._own(self._socket())
        options = f"-c listen_addresses='' -p {_PORT} -c unix_socket_directories={self._socket()} "
        options += "-c unix_socket_permissions=0700 -c password_encryption=scram-sha-256"
        if not self._durable:
            # Rows stay in the order that they came in where nothing clears up between them.
            options += " -c fsync=off -c synchronous_commit=off -c full_page_writes=off -c autovacuum=off"
        started = self._run(
            str(self._bin / "pg_ctl"), "start", "-D", str(self._data), "-l", str(self.folder / "log"),
            "-o", options, "-w", "-t", str(_READY_SECONDS),
        )  # fmt: skip
        if started.returncode != 0:
            raise SystemExit(f"The database did not start; see {self.folder / 'log'}.\n{started.stdout}")

    def start(self, durable: bool = True) -> str:
        """Start the cluster if it does not run yet; address of its database, made on first use."""
        self._durable = durable
        exists = (self._data / "PG_VERSION").exists()
        is_open = exists and self._is_open_to_all()
        if exists and not is_open and not self._secret_file.exists():
            raise SystemExit(
                f"The passwords of the database, {self._secret_file}, are missing. Bring that file back, or restore a "
                "backup into an empty state folder. Nothing was changed."
            )
        if not exists:
            self._create()
        if is_open:
            if self.running():
                self.stop()
            self._launch()
            self._close()
        home = self.folder / "state-folder"
        if self._as and not home.exists():
            home.write_text(str(self._secret_file.parent.resolve()))
        if not self._settled():
            self._launch()
        return self.database()

    def database(self, name: str = "nuvett") -> str:
        """Address of a database of the running cluster that the application owns, made on first use."""
        held = Secrets.of(self._secret_file)
        if not self._psql("SELECT 1 FROM pg_roles WHERE rolname = 'nuvett'", password=held.keeper):
            self._psql(f"CREATE ROLE nuvett LOGIN PASSWORD '{held.nuvett}'", password=held.keeper)
        if not self._psql(f"SELECT 1 FROM pg_database WHERE datname = '{name}'", password=held.keeper):
            self._psql(f"CREATE DATABASE {name} OWNER nuvett", password=held.keeper)
        return f"postgresql://nuvett:{held.nuvett}@/{name}?host={quote(str(self._socket()), safe='')}&port={_PORT}"

    def revive(self) -> None:
        """Start the cluster again if its server is gone."""
        if not self._lives():
            self._launch()

    def stop(self) -> None:
        self._run(str(self._bin / "pg_ctl"), "stop", "-D", str(self._data), "-m", "fast", "-w")

    def remove(self) -> None:
        """Stop the cluster and delete its folder and passwords."""
        if self._data.exists():
            self.stop()
        self._secret_file.unlink(missing_ok=True)
        for _ in range(20):
            shutil.rmtree(self.folder, ignore_errors=True)
            if not self.folder.exists():
                return
            time.sleep(0.1)


def cluster_of(state: Path) -> Cluster:
    """The cluster of a state folder."""
    return Cluster(data_folder(state), state / "passwords")


if __name__ == "__main__":
    chosen = cluster_of(Path(sys.argv[2]))
    if sys.argv[1] == "start":
        print(chosen.start())
    else:
        chosen.stop()
