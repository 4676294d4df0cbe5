"""Rolling from one version to the next: processes of the version before, on tables that the next one has changed."""

import os
import shutil
import socket
import subprocess
import sys
from pathlib import Path

import httpx2 as httpx
import psycopg

from tools.cluster import Cluster, cluster_of
from tools.hard.copy import wait_until
from tools.home import PROJECT

FIRST_OF_NEXT = "nuvett/store/migrations/versions/0024_revisions.py"
"""The first change of tables that the version before does not know."""

_FRAMES = sorted((PROJECT / "demo" / "frames").glob("*.jpg"))
_STILL = PROJECT / "demo" / "stills" / "still_1_teal_amber.jpg"
Row = tuple[str, str]


def _git(*words: str) -> str:
    return subprocess.run(["git", *words], cwd=PROJECT, capture_output=True, text=True, check=True).stdout.strip()


def _before(folder: Path) -> Path:
    """The version before, in a folder of its own, with the compiled parts of this one."""
    added = _git("log", "--diff-filter=A", "--format=%H", "-1", "--", FIRST_OF_NEXT)
    _git("worktree", "add", "--detach", str(folder), f"{added}^")
    for built in (PROJECT / "nuvett").rglob("*.so"):
        shutil.copy(built, folder / built.relative_to(PROJECT))
    return folder


class _Processes:
    """Processes of either version on one database and one store."""

    def __init__(self, state: Path, database: str) -> None:
        self._environment = os.environ | {
            "NUVETT_DATABASE": database,
            "NUVETT_BLOBS": str(state / "blobs"),
            "NUVETT_FOLDERS": str(state / "folders"),
        }
        self._running: list[subprocess.Popen[bytes]] = []

    def start(self, code: Path, module: str) -> tuple[subprocess.Popen[bytes], str]:
        """Start a process of a version; where it answers, if it does."""
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            port = str(probe.getsockname()[1])
        environment = self._environment | {"NUVETT_PORT": port, "PYTHONPATH": str(code)}
        command = [sys.executable, "-m", module]
        process = subprocess.Popen(command, cwd=code, env=environment, stdin=subprocess.PIPE)
        self._running.append(process)
        address = f"http://127.0.0.1:{port}"
        if module == "nuvett.web":
            wait_until(lambda: httpx.get(f"{address}/ready").json()["ready"])
        return process, address

    def stop(self, process: subprocess.Popen[bytes]) -> int:
        """Stop one as its keeper does; what it ended with."""
        process.terminate()
        if process.stdin is not None:
            process.stdin.close()
        return process.wait(60)

    def stop_all(self) -> None:
        for process in self._running:
            if process.poll() is None:
                self.stop(process)


class _Site:
    """A web server asked as a browser asks it."""

    def __init__(self, address: str) -> None:
        self.client = httpx.Client(base_url=address, timeout=60, headers={"origin": address})

    def upload(self, slug: str, path: Path, kind: str = "frames") -> int:
        return self.client.post(f"/series/{slug}/{kind}", files={"file": (path.name, path.read_bytes())}).status_code

    def change_look(self, slug: str, strength: float) -> int:
        look = self.client.get(f"/series/{slug}/look").json()
        asked = {"document": {**look["document"], "strength": strength}, "revision": look["revision"]}
        return self.client.put(f"/series/{slug}/look", json=asked).status_code

    def carry(self, slug: str) -> int:
        return self.client.post(f"/series/{slug}/carry").status_code


def rolling(folder: Path) -> list[Row]:
    """The version before goes on while the next one changes the tables and comes beside it, until it is stopped."""
    state = folder / "rolling"
    state.mkdir(mode=0o700)
    cluster = cluster_of(state)
    cluster.start()
    before = _before(folder / "before")
    database = cluster.database("rolling")
    processes = _Processes(state, database)
    try:
        return _rolled(cluster, processes, before, database)
    finally:
        processes.stop_all()
        cluster.remove()
        _git("worktree", "remove", "--force", str(before))


def _rolled(cluster: Cluster, processes: _Processes, before: Path, database: str) -> list[Row]:
    def measured(count: int) -> bool:
        query = "SELECT count(*) FROM frame WHERE state = 'ready' AND even IS NOT NULL"
        with psycopg.connect(database) as connection:
            found = connection.execute(query).fetchone()
        return found is not None and found[0] == count

    def version() -> str:
        with psycopg.connect(database) as connection:
            found = connection.execute("SELECT version_num FROM alembic_version").fetchone()
        return str(found[0]) if found else ""

    old_web, address = processes.start(before, "nuvett.web")
    old_worker, _ = processes.start(before, "nuvett.jobs")
    old, first = _Site(address), version()
    slug = old.client.post("/series", data={"title": "Rolling"}).headers["location"].split("/")[2]
    said = [old.upload(slug, path) for path in _FRAMES[:2]] + [old.upload(slug, _STILL, "references")]
    alone = wait_until(lambda: measured(2))
    _, address = processes.start(PROJECT, "nuvett.web")
    new, now = _Site(address), version()
    said += [old.upload(slug, _FRAMES[2]), old.change_look(slug, 70), old.carry(slug)]
    beside = wait_until(lambda: measured(3))
    seen = sum(path.stem in new.client.get(f"/series/{slug}/carry").text for path in _FRAMES[:3])
    edited = [new.change_look(slug, 60), new.carry(slug), old.change_look(slug, 55)]
    back = old.client.get(f"/series/{slug}/carry").status_code
    processes.start(PROJECT, "nuvett.jobs")
    ended = [processes.stop(old_worker), processes.stop(old_web)]
    said.append(new.upload(slug, _FRAMES[3]))
    alone_again = wait_until(lambda: measured(4))
    return [
        ("tables of the version before, and after the next one began", f"{first}, {now}"),
        ("frames measured by the version before, on its own tables", "2 of 2" if alone else "not all"),
        ("uploads, edits and carrying by the version before on the newer tables", ", ".join(map(str, said[3:6]))),
        ("a frame measured and evened by its worker there", "yes" if beside else "no"),
        ("frames that the next version shows of what the one before made", f"{seen} of 3"),
        ("edits by both in turn", ", ".join(map(str, edited))),
        ("the wall at the version before after that", str(back)),
        ("the version before stopped with", ", ".join(map(str, ended))),
        ("a further frame measured by the next version alone", "yes" if alone_again else "no"),
    ]
