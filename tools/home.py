"""The state folder: who uses it, and the database that runs while anybody does.

`python -m tools.home check ...` runs a command of the command line that needs the installation's database, and
`python -m tools.home sql ...` PostgreSQL's own shell on it.
"""

import fcntl
import os
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import IO

from sqlalchemy import make_url

from nuvett import cli
from tools.cluster import Cluster, cluster_of

PROJECT = Path(__file__).resolve().parent.parent


def _last_one(lock: IO[str]) -> bool:
    """Whether no other copy uses this state folder."""
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return False
    return True


@dataclass(frozen=True)
class Home:
    """A state folder in use: its database's address is in the environment; `cluster` is ours, or none."""

    cluster: Cluster | None


@contextmanager
def at_home() -> Iterator[Home]:
    """Use the state folder, with its database running; the last to leave stops that."""
    os.umask(0o077)
    state = Path(os.environ.get("NUVETT_STATE", PROJECT / ".state")).resolve()
    state.mkdir(parents=True, exist_ok=True, mode=0o700)
    state.chmod(0o700)
    with (state / "lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_SH)
        cluster = None
        if not os.environ.get("NUVETT_DATABASE"):
            with (state / "starting").open("w") as starting:
                fcntl.flock(starting, fcntl.LOCK_EX)  # of two first starts one makes the cluster
                cluster = cluster_of(state)
                os.environ["NUVETT_DATABASE"] = cluster.start()
        os.environ.setdefault("NUVETT_BLOBS", str(state / "blobs"))
        os.environ.setdefault("NUVETT_FOLDERS", str(state / "folders"))
        os.environ.setdefault("NUVETT_DEMO", str(PROJECT / "demo"))
        try:
            yield Home(cluster)
        finally:
            if cluster and _last_one(lock):
                cluster.stop()


def shell(given: list[str]) -> int:
    """PostgreSQL's shell on the database of this state folder; its password stays out of the list of processes."""
    url = make_url(os.environ["NUVETT_DATABASE"])
    at = {"PGHOST": url.host or url.query.get("host"), "PGPORT": url.port or url.query.get("port")}
    who = {"PGUSER": url.username, "PGPASSWORD": url.password, "PGDATABASE": url.database}
    known = {name: str(value) for name, value in (at | who).items() if value}
    return subprocess.run(["psql", *given], env=os.environ | known, check=False).returncode


if __name__ == "__main__":
    with at_home():
        if sys.argv[1:2] == ["sql"]:
            sys.exit(shell(sys.argv[2:]))
        cli.app()
