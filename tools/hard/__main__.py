"""`./run hard`: repeats the hard test within bounds and prints its figures, as docs/reliability.md shows them."""

import argparse
import os
import signal
import subprocess
import tempfile
import time
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import partial
from pathlib import Path

from nuvett.settings import Settings
from tools.cluster import cluster_of
from tools.hard import safety
from tools.hard.copy import Copy, wait_until
from tools.hard.files import hostile
from tools.hard.requests import odd_requests
from tools.hard.rolling import rolling
from tools.hard.soak import MINUTES, soak
from tools.home import PROJECT

_REQUESTS = 2000
_FULL_DISK_BYTES = 12_000_000
_FRAMES = sorted((PROJECT / "demo" / "frames").glob("*.jpg"))
Row = tuple[str, str]


def _table(title: str, rows: list[Row]) -> None:
    print(f"### {title}\n\n| measure | found |\n|---|---|")
    for name, found in rows:
        print(f"| {name} | {found} |")
    print(flush=True)


@contextmanager
def _fresh(folder: Path, **settings: str) -> Iterator[Copy]:
    state = folder / f"state-{time.monotonic_ns()}"
    state.mkdir(mode=0o700)
    copy = Copy(state, **settings)
    copy.start()
    try:
        yield copy
    finally:
        if copy.process is not None and copy.process.poll() is None:
            copy.stop()
        cluster_of(state).remove()


def _series(copy: Copy, title: str) -> str:
    with copy.client() as client:
        return client.post("/series", data={"title": title}).headers["location"].split("/")[2]


def _upload(copy: Copy, slug: str, name: str, data: bytes) -> int:
    with copy.client() as client:
        return client.post(f"/series/{slug}/frames", files={"file": (name, data)}).status_code


def _at_rest(copy: Copy) -> bool:
    copy.watch_memory()
    waiting = copy.rows("SELECT count(*) FROM frame WHERE state = 'waiting'")[0][0]
    busy = (
        "SELECT count(*) FROM procrastinate_jobs WHERE status IN ('todo', 'doing') "
        "AND task_name IN ('ingest_frame', 'ingest_reference', 'even_series', 'even_setup', 'keep_carried')"
    )
    jobs = copy.rows(busy)
    due = copy.rows("SELECT count(*) FROM series WHERE light_due")[0][0]
    return bool(waiting == 0 and jobs[0][0] == 0 and due == 0)


def _answers(told: Counter[int]) -> str:
    return ", ".join(f"{status}: {count}" for status, count in sorted(told.items()))


def files(folder: Path) -> list[Row]:
    """Hostile files brought in through the browser's door."""
    told: Counter[int] = Counter()
    with _fresh(folder) as copy:
        slug, count = _series(copy, "Hostile files"), 0
        for name, data in hostile():
            told[_upload(copy, slug, name, data)] += 1
            count += 1
        rested = wait_until(lambda: _at_rest(copy), 600)
        states = dict(copy.rows("SELECT state, count(*) FROM frame GROUP BY state"))
        silent = copy.rows("SELECT count(*) FROM frame WHERE state = 'refused' AND problem = ''")[0][0]
        faults = copy.rows("SELECT count(*) FROM frame WHERE problem LIKE '%internal error%'")[0][0]
        page = copy.client().get(f"/series/{slug}/gather").status_code
        return [
            ("files", str(count)),
            ("answers", _answers(told)),
            ("measured, refused", f"{states.get('ready', 0)}, {states.get('refused', 0)}"),
            ("refused without a sentence, or for a fault of ours", f"{silent}, {faults}"),
            ("all at rest, page answers", f"{rested}, {page}"),
            ("largest memory of worker and web, MB", f"{copy.peaks.get('worker', 0)}, {copy.peaks.get('web', 0)}"),
        ]


def requests(folder: Path) -> list[Row]:
    """Odd requests to every route."""
    with _fresh(folder) as copy:
        slug = _series(copy, "Odd requests")
        for path in _FRAMES[:3]:
            _upload(copy, slug, path.name, path.read_bytes())
        wait_until(lambda: _at_rest(copy))
        settings = Settings(database=cluster_of(copy.state).database(), blobs=str(copy.state / "blobs"))
        with copy.client() as client:
            started = time.monotonic()
            told = odd_requests(client, slug, settings, _REQUESTS)
            seconds = time.monotonic() - started
            alive = client.get("/").status_code
        copy.watch_memory()
        return [
            ("requests, seconds", f"{sum(told.values())}, {seconds:.0f}"),
            ("answers", _answers(told)),
            ("answers of 500 and above", str(sum(n for status, n in told.items() if status >= 500))),
            ("shelf answers after", str(alive)),
            ("largest memory of web, MB", str(copy.peaks.get("web", 0))),
        ]


def kills(folder: Path) -> list[Row]:
    """Every part killed outright while frames are being measured; the same copy must come back with everything."""
    rows: list[Row] = []
    with _fresh(folder) as copy:
        slug = _series(copy, "Kills")
        for path in _FRAMES:
            _upload(copy, slug, path.name, path.read_bytes())
        for number in range(3):
            wait_until(lambda: bool(copy.workers()), 60)
            time.sleep(1.0 + number)
            os.kill(copy.workers()[0], signal.SIGKILL)
        rows.append(("a worker comes back after three kills", str(wait_until(lambda: bool(copy.workers()), 60))))
        os.kill(copy.database(), signal.SIGKILL)
        back = wait_until(lambda: copy.client().get(f"/series/{slug}/gather").status_code == 200, 90)
        rows.append(("the database comes back after a kill", str(back)))
        copy.kill()
        gone = wait_until(lambda: not copy.workers(), 20)
        rows.append(("no worker is left when the web process is killed", str(gone)))
        copy.start()
        rested = wait_until(lambda: _at_rest(copy), 600)
        ready = copy.rows("SELECT count(*) FROM frame WHERE state = 'ready' AND even IS NOT NULL")[0][0]
        rows.append(("frames measured and evened after all that", f"{ready} of {len(_FRAMES)}, at rest: {rested}"))
        rows.append(("seconds that stopping takes", f"{copy.stop():.1f}"))
        environment = os.environ | {"NUVETT_STATE": str(copy.state)}
        told = subprocess.run(
            [PROJECT / "run", "cli", "check", "--deep"], env=environment, capture_output=True, text=True, check=False
        )
        rows.append(("check --deep says", told.stdout.strip().splitlines()[-1] if told.stdout else told.stderr[-80:]))
        rows.append(("largest memory of worker and web, MB", f"{copy.peaks.get('worker')}, {copy.peaks.get('web')}"))
    return rows


def full_disk(folder: Path) -> list[Row]:
    """Pictures on a disk that fills up, and gets room again."""
    small = folder / "small"
    small.mkdir()
    mount = ["mount", "-t", "tmpfs", "-o", f"size={_FULL_DISK_BYTES},mode=700", "tmpfs", str(small)]
    if subprocess.run(mount, capture_output=True, check=False).returncode != 0:
        return [("full disk", "not tried: a small disk cannot be mounted here")]
    try:
        with _fresh(folder, NUVETT_BLOBS=str(small / "blobs")) as copy:
            slug = _series(copy, "Full disk")
            told: Counter[int] = Counter()
            for path in _FRAMES:
                told[_upload(copy, slug, path.name, path.read_bytes())] += 1
            waits = wait_until(
                lambda: bool(copy.rows("SELECT count(*) FROM frame WHERE problem LIKE '%disk is full%'")[0][0]), 120
            )
            refused = copy.rows("SELECT count(*) FROM frame WHERE state = 'refused'")[0][0]
            subprocess.run(["mount", "-o", "remount,size=400000000", str(small)], check=True)
            rested = wait_until(lambda: _at_rest(copy), 300)
            ready = copy.rows("SELECT count(*) FROM frame WHERE state = 'ready'")[0][0]
            return [
                ("uploads to a disk of 12 MB", _answers(told)),
                ("work waits and says so; refused meanwhile", f"{waits}; {refused}"),
                ("measured once there is room", f"{ready} of {told[201]}, at rest: {rested}"),
            ]
    finally:
        subprocess.run(["umount", "-l", str(small)], check=False)


def main() -> None:
    """Run all of it, or the parts whose titles hold a text."""
    parser = argparse.ArgumentParser(prog="./run hard", description=__doc__)
    parser.add_argument("--only", default="", help="parts whose titles hold this text")
    parser.add_argument("--minutes", type=float, default=MINUTES, help="of mixed use of a long series")
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory(prefix="nuvett-hard-", ignore_cleanup_errors=True) as name:
        folder = Path(name)
        for title, part in (
            ("Hostile files", files),
            ("Odd requests", requests),
            ("Kills", kills),
            ("Full disk", full_disk),
            ("Stores and databases", safety.stores),
            ("Folders", _on_a_copy(safety.folders)),
            ("Changes and Undo at once", _on_a_copy(safety.changes)),
            ("Before sign-in", lambda where: safety.before_sign_in(partial(_fresh, where))),
            ("Large pictures", _on_a_copy(safety.large)),
            ("Deleting a long series", _on_a_copy(safety.deleting)),
            ("Rolling to the next version", rolling),
            ("Mixed use of a long series", _on_a_copy(partial(soak, minutes=asked.minutes))),
        ):
            if asked.only.lower() in title.lower():
                _table(title, part(folder))


def _on_a_copy(part: Callable[[Copy], list[Row]]) -> Callable[[Path], list[Row]]:
    def run(folder: Path) -> list[Row]:
        with _fresh(folder) as copy:
            return part(copy)

    return run


if __name__ == "__main__":
    main()
