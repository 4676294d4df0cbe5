"""The database to a file and back, by PostgreSQL's own programs."""

import os
import shutil
import subprocess
from pathlib import Path

from nuvett.core.errors import BackupError

_BINARIES = Path("/usr/lib/postgresql")


def _program(name: str) -> str:
    """The newest installed one of PostgreSQL's programs. Raises BackupError when there is none."""
    found = [path for path in _BINARIES.glob(f"*/bin/{name}") if path.parent.parent.name.isdecimal()]
    newest = max(found, key=lambda path: int(path.parent.parent.name), default=None) or shutil.which(name)
    if newest is None:
        raise BackupError(f"{name} is not installed: install PostgreSQL's client programs.")
    return str(newest)


def _run(*command: str) -> None:
    done = subprocess.run(command, capture_output=True, text=True, check=False, env=os.environ | {"LC_ALL": "C"})
    if done.returncode != 0:
        raise BackupError(f"The database could not be written or read: {done.stderr.strip()[-500:]}")


def dump(address: str, snapshot: str, target: Path) -> None:
    """Write a database, as an exported snapshot of it saw it, to a file that appears whole or not at all.

    Raises BackupError.
    """
    partial = target.with_name(f".{target.name}.part")
    try:
        _run(_program("pg_dump"), "--format=custom", f"--snapshot={snapshot}", f"--file={partial}", address)
        partial.replace(target)
    finally:
        partial.unlink(missing_ok=True)


def load(address: str, source: Path) -> None:
    """Fill a database from such a file, all of it or nothing; what it held is gone then. Raises BackupError."""
    options = ("--clean", "--if-exists", "--no-owner", "--no-privileges", "--single-transaction", "--exit-on-error")
    _run(_program("pg_restore"), *options, f"--dbname={address}", str(source))
