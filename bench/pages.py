"""Pages of series of any length, asked over HTTP as a browser asks: how long they take, and how they grow."""

import json
import os
import re
import socket
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import AbstractContextManager, contextmanager
from html import unescape
from pathlib import Path
from statistics import median
from threading import Event, Thread

import httpx2 as httpx
import psycopg

from bench.book import site
from bench.report import Table
from nuvett.services.platform.studio import Studio
from nuvett.settings import Settings
from tools.long_series import repeat_series

_LENGTHS = (36, 200, 1000, 2000)
_PAGES = ("gather", "read", "shape", "carry", "trim", "threads", "handover", "health", "beside")
_DRAGS, _CONNECTIONS = 9, 6
_SECONDS = 600
# Connections are kept open, as a browser keeps them.
_BROWSER = httpx.Client(timeout=_SECONDS, limits=httpx.Limits(max_connections=_CONNECTIONS))
_OTHER = httpx.Client(timeout=_SECONDS)  # of somebody else, who waits for none of the browser's connections
_TILE = re.compile(r'src="(/series/[^"]+/picture\.jpg\?[^"]+)"')


@contextmanager
def _web(environment: dict[str, str]) -> Iterator[str]:
    """A web server that has just been started, and where it answers."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    process = subprocess.Popen(
        [sys.executable, "-m", "nuvett.web"],
        env=environment | {"NUVETT_PORT": str(port)},
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        text=True,
    )
    try:
        assert process.stdout is not None
        yield process.stdout.readline().split()[3].rstrip("/")
    finally:
        process.terminate()
        process.wait(60)


@contextmanager
def served() -> Iterator[tuple[str, Callable[[int], AbstractContextManager[str]]]]:
    """The database of a running copy, and what gives a series of a length, asked over a fresh web server."""
    with tempfile.TemporaryDirectory() as name, site(Path(name)) as (_, database):
        blobs = str(Path(name) / "blobs")
        environment = os.environ | {"NUVETT_DATABASE": database, "NUVETT_BLOBS": blobs}
        studio = Studio.of(Settings(database=database, blobs=blobs))

        @contextmanager
        def of_length(count: int) -> Iterator[str]:
            slug = repeat_series(studio, "autumn-table", f"Long {count}", count)
            _at_rest(database)
            with _web(environment) as address:
                yield f"{address}/series/{slug}"

        yield database, of_length
        studio.database.close()


def _asked(
    address: str, body: object = None, method: str = "GET", client: httpx.Client = _BROWSER
) -> tuple[float, bytes]:
    """Seconds that an answer took, and the answer."""
    start = time.perf_counter()
    answer = client.request(method, address, json=body, headers={"accept": "application/json"})
    took = time.perf_counter() - start
    answer.raise_for_status()
    return took, answer.content


def _at_rest(database: str) -> None:
    """Wait until no work is left."""
    query = (
        "SELECT (SELECT count(*) FROM procrastinate_jobs WHERE status IN ('todo', 'doing') AND task_name NOT IN "
        "('rescue', 'keep_all_carried', 'find_again')), (SELECT count(*) FROM series WHERE light_due OR follow_due)"
    )
    for _ in range(2 * _SECONDS):
        with psycopg.connect(database) as connection:
            if connection.execute(query).fetchone() == (0, 0):
                return
        time.sleep(0.5)
    raise SystemExit("Work did not end in time.")


def _look(base: str) -> dict[str, object]:
    return dict(json.loads(_asked(f"{base}/look")[1]))


def _dragged(base: str) -> float:
    """Median ms of a drag of the look: the change, and the picture that shows it."""
    took = []
    look = _look(base)
    document = dict(look["document"])  # type: ignore[call-overload]
    for step in range(_DRAGS):
        document["strength"] = 50 + step
        start = time.perf_counter()
        answer = json.loads(_asked(f"{base}/shape/draft", {"document": document, "parts": False}, "POST")[1])
        _asked(base.split("/series")[0] + answer["pictures"]["look"])
        took.append(time.perf_counter() - start)
    return 1000 * median(took[1:])


def _wall_after_a_change(base: str) -> float:
    """Seconds until the frames that are seen on Carry stand there with their pictures, after the look was changed."""
    look = _look(base)
    changed = {**dict(look["document"]), "strength": 61}  # type: ignore[call-overload]
    start = time.perf_counter()
    _asked(f"{base}/look", {"document": changed, "revision": look["revision"]}, "PUT")
    wall = _asked(f"{base}/carry/wall?show=draft")[1].decode()
    tiles = [base.split("/series")[0] + unescape(found) for found in dict.fromkeys(_TILE.findall(wall))][:24]
    with ThreadPoolExecutor(_CONNECTIONS) as pool:
        list(pool.map(_asked, tiles))
    return time.perf_counter() - start


def _light_meanwhile(base: str) -> float:
    """Longest seconds of a small request while a whole wall and many pictures are worked out."""
    over, took = Event(), []

    def small() -> None:
        while not over.is_set():
            took.append(_asked(f"{base}/carry/filling?show=original", client=_OTHER)[0])
            time.sleep(0.02)

    thread = Thread(target=small)
    thread.start()
    look = _look(base)
    changed = {**dict(look["document"]), "strength": 83}  # type: ignore[call-overload]
    _asked(f"{base}/look", {"document": changed, "revision": look["revision"]}, "PUT")
    with ThreadPoolExecutor(_CONNECTIONS) as pool:
        list(pool.map(lambda start: _asked(f"{base}/carry/tiles?show=draft&start={start}"), range(0, 240, 24)))
    over.set()
    thread.join()
    return max(took)


def _filled(base: str, frames: int) -> float:
    """Seconds until a worker has worked out what a wall says of all frames after a change."""
    start = time.perf_counter()
    while time.perf_counter() - start < _SECONDS:
        told = json.loads(_asked(f"{base}/carry/filling?show=draft")[1])
        if told["known"] >= frames:
            return time.perf_counter() - start
        time.sleep(0.2)
    return float("inf")


def _sent(address: str) -> float:
    """Seconds until a form without fields was taken; the page that it leads to is not asked for."""
    start = time.perf_counter()
    answer = httpx.post(address, timeout=_SECONDS)
    took = time.perf_counter() - start
    if answer.is_error:
        answer.raise_for_status()
    return took


def _first_file(base: str, database: str) -> tuple[float, float]:
    """Seconds until an order of all frames was taken, and until its first file is there."""
    start = time.perf_counter()
    told = json.loads(_asked(f"{base}/deliveries", {"settings": {"size": 1200}}, "POST")[1])
    taken = time.perf_counter() - start
    query = "SELECT EXISTS (SELECT 1 FROM delivery_file WHERE delivery_id = %s AND state = 'done')"
    with psycopg.connect(database, autocommit=True) as connection:
        while connection.execute(query, (told["id"],)).fetchone() != (True,):
            time.sleep(0.02)
    made = time.perf_counter() - start
    _sent(f"{base}/deliveries/{told['id']}/stop")
    return taken, made


def _changed(base: str, database: str) -> dict[str, object]:
    """What changes of all frames take, each of them asked for once nothing else is left to do."""
    found: dict[str, object] = {}
    for row, path in (
        ("carrying to all, s", "carry"),
        ("undoing that, s", "carry/undo"),
        ("and again, s", "carry/redo"),
    ):
        found[row] = round(_sent(f"{base}/{path}"), 2)
        _at_rest(database)
    taken, made = _first_file(base, database)
    found |= {"an order of all taken, s": round(taken, 2), "its first file, s": round(made, 2)}
    return found | {"deleting the series, s": round(_sent(f"{base}/delete"), 2)}


def run() -> list[Table]:
    """All tables."""
    pages = Table("Pages by the length of a series, s: cold, then warm; HTML in kB", ("page", *map(str, _LENGTHS)))
    work = Table(
        "Work by the length of a series (aims at 2,000: 90 ms; .4 s; .3 s; first file 3 s; changes 1 s)",
        ("", *map(str, _LENGTHS)),
    )
    cells: dict[str, list[object]] = {}
    with served() as (database, of_length):
        for count in _LENGTHS:
            with of_length(count) as base:
                for page in _PAGES:
                    (cold, _), (warm, html) = _asked(f"{base}/{page}"), _asked(f"{base}/{page}")
                    cells.setdefault(page, []).append(f"{cold:.2f}, {warm:.2f}; {len(html) / 1000:.0f}")
                found: dict[str, object] = {
                    "a drag of the look and its picture, ms": round(_dragged(base)),
                    "Carry after a change, its pictures seen, s": round(_wall_after_a_change(base), 2),
                    "all of the wall worked out then, s": round(_filled(base, count), 1),
                    "a light request while slow work runs, longest, s": round(_light_meanwhile(base), 2),
                }
                found |= _changed(base, database)
                for row, value in found.items():
                    cells.setdefault(row, []).append(value)
    for page in _PAGES:
        pages.add(page, *cells.pop(page))
    for row, values in cells.items():
        work.add(row, *values)
    return [pages, work]
