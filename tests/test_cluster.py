"""The private database: nobody else gets in, its application owns its database alone, earlier ones are closed."""

import os
import stat
import subprocess
import sys
import time
from pathlib import Path
from urllib.parse import parse_qs, urlsplit

import psycopg
import pytest

from tools import supervise
from tools.cluster import Cluster, binaries
from tools.supervise import KeptWorker


def socket_of(address: str) -> str:
    return parse_qs(urlsplit(address).query)["host"][0]


def test_nobody_enters_without_the_password_and_the_socket_lies_in_a_closed_folder(database_address: str) -> None:
    folder = Path(socket_of(database_address))
    assert stat.S_IMODE(folder.stat().st_mode) == 0o700
    for role in ("nuvett", "keeper", "postgres"):
        with pytest.raises(psycopg.OperationalError, match="password"):
            psycopg.connect(f"postgresql://{role}@/nuvett?host={folder}")
    with psycopg.connect(database_address) as connection:
        assert connection.execute("SHOW listen_addresses").fetchone() == ("",)


def test_the_application_s_role_owns_its_database_and_nothing_else(database_address: str) -> None:
    with psycopg.connect(database_address, autocommit=True) as connection:
        asked = "SELECT rolsuper, rolcreatedb, rolcreaterole, rolreplication FROM pg_roles WHERE rolname = 'nuvett'"
        assert connection.execute(asked).fetchone() == (False, False, False, False)
        for statement in ("COPY (SELECT 1) TO PROGRAM 'true'", "CREATE DATABASE other", "SET ROLE keeper"):
            with pytest.raises(psycopg.errors.InsufficientPrivilege):
                connection.execute(statement)


def as_owner(*command: str) -> None:
    drop = ["setpriv", "--reuid=postgres", "--regid=postgres", "--init-groups"] if os.geteuid() == 0 else []
    subprocess.run([*drop, *command], check=True, capture_output=True, cwd="/")


@pytest.fixture
def earlier(tmp_path: Path) -> Cluster:
    """A cluster as an earlier version left it, open to every local user, with a row in it."""
    parent = Path("/var/lib/postgresql") if os.geteuid() == 0 else tmp_path
    folder = parent / f"nuvett-earlier-{os.getpid()}"
    made = Cluster(folder, tmp_path / "passwords")
    programs = binaries()
    assert programs is not None
    made._own(folder)
    data = str(folder / "data")
    as_owner(str(programs / "initdb"), "-D", data, "-U", "nuvett", "--auth=trust", "--no-sync")
    options = f"-c listen_addresses= -c unix_socket_directories={folder} -c fsync=off"
    as_owner(str(programs / "pg_ctl"), "start", "-D", data, "-w", "-o", options, "-l", str(folder / "log"))
    address = f"postgresql://nuvett@/{{}}?host={folder}"
    with psycopg.connect(address.format("postgres"), autocommit=True) as connection:
        connection.execute("CREATE DATABASE nuvett")
    with psycopg.connect(address.format("nuvett"), autocommit=True) as connection:
        connection.execute("CREATE TYPE mood AS ENUM ('calm')")
        connection.execute("CREATE TABLE kept (id serial PRIMARY KEY, words text, mood mood)")
        connection.execute("INSERT INTO kept (words, mood) VALUES ('all of it', 'calm')")
    return made


def test_a_cluster_of_an_earlier_version_keeps_its_rows_and_is_closed(earlier: Cluster) -> None:
    try:
        address = earlier.start(durable=False)
        with psycopg.connect(address, autocommit=True) as connection:
            assert connection.execute("SELECT words, mood::text FROM kept").fetchall() == [("all of it", "calm")]
            connection.execute("ALTER TABLE kept ADD COLUMN more int")
            connection.execute("ALTER TYPE mood ADD VALUE 'bright'")
            assert connection.execute("SELECT rolsuper FROM pg_roles WHERE rolname = 'nuvett'").fetchone() == (False,)
        with pytest.raises(psycopg.OperationalError, match="password"):
            psycopg.connect(f"postgresql://nuvett@/nuvett?host={socket_of(address)}")
        assert earlier.start(durable=False) == address
    finally:
        earlier.remove()


def test_a_worker_that_ends_is_started_again_after_a_growing_pause(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(supervise, "_FIRST_WAIT", 0.05)
    started: list[float] = []

    def start() -> subprocess.Popen[bytes]:
        started.append(time.monotonic())
        # Ends at once the first two times, then only when its pipe does.
        code = "pass" if len(started) < 3 else "import sys; sys.stdin.read()"
        return subprocess.Popen([sys.executable, "-c", code], stdin=subprocess.PIPE)

    kept = KeptWorker(start)
    end = time.monotonic() + 20
    while len(started) < 3 and time.monotonic() < end:
        kept.look()
        time.sleep(0.01)
    assert len(started) == 3 and started[2] - started[1] >= 0.2
    process = kept._process
    assert process.stdin is not None and process.poll() is None
    process.stdin.close()
    assert process.wait(10) == 0
    kept.stop()
