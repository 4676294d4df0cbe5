"""The lookbook, asked over HTTP as a browser asks: the matrix, a look tried on, a folder of tables, a large pair."""

import json
import os
import re
import subprocess
import sys
import tempfile
import time
import urllib.request
import uuid
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path
from threading import Event, Thread

import cv2
import numpy as np
import psycopg

from bench.report import Table
from bench.speed import large_jpeg
from nuvett.core.table.cube import write_cube
from nuvett.core.table.table import grid
from tools.cluster import Cluster

_PROJECT = Path(__file__).resolve().parent.parent
_CONNECTIONS = 6  # that a browser opens to one host
_SLUG = "autumn-table"
_TABLES, _BATCH = 300, 25
_SECONDS = 300


@contextmanager
def site(folder: Path) -> Iterator[tuple[str, str]]:
    """Addresses of a running copy with the demo measured, and of its database."""
    parent = Path("/var/lib/postgresql") if os.geteuid() == 0 else folder
    cluster = Cluster(parent / f"nuvett-bench-{os.getpid()}", folder / "passwords")
    process = None
    try:
        cluster.start(durable=False)
        database = cluster.database("site")
        environment = os.environ | {
            "NUVETT_DATABASE": database,
            "NUVETT_STATE": str(folder / "state"),
            "NUVETT_BLOBS": str(folder / "blobs"),
        }
        command = [sys.executable, "-m", "tools.serve", "--demo", "--port", "0"]
        process = subprocess.Popen(command, cwd=_PROJECT, env=environment, stdout=subprocess.PIPE, text=True)
        assert process.stdout is not None
        address = process.stdout.readline().split()[3].rstrip("/")
        _wait(database)
        yield address, database
    finally:
        if process is not None:
            process.terminate()
            process.wait(60)
        cluster.remove()


def _wait(database: str) -> None:
    query = "SELECT count(*) FILTER (WHERE even IS NOT NULL), (SELECT count(reading) FROM reference) FROM frame"
    for _ in range(2 * _SECONDS):
        with psycopg.connect(database) as connection:
            if connection.execute(query).fetchone() == (36, 4):
                return
        time.sleep(0.5)
    raise SystemExit("The demo was not measured in time.")


def _get(address: str) -> bytes:
    with urllib.request.urlopen(address, timeout=_SECONDS) as answer:
        return bytes(answer.read())


def _post(address: str, body: bytes, kind: str) -> bytes:
    asked = urllib.request.Request(address, body, {"content-type": kind, "accept": "application/json"})
    with urllib.request.urlopen(asked, timeout=_SECONDS) as answer:
        return bytes(answer.read())


def _form(files: Sequence[tuple[str, str, bytes]]) -> tuple[bytes, str]:
    """A form of files (field, name, content), and its content type."""
    edge = uuid.uuid4().hex
    parts = []
    for field, name, data in files:
        head = f'--{edge}\r\ncontent-disposition: form-data; name="{field}"; filename="{name}"\r\n\r\n'
        parts += [head.encode(), data, b"\r\n"]
    return b"".join((*parts, f"--{edge}--\r\n".encode())), f"multipart/form-data; boundary={edge}"


def _rows(page: str) -> list[str]:
    """Addresses of the pictures of rows that a page shows, those of usual windows."""
    return [src.replace("&amp;", "&") for src in re.findall(r'src="(/lookbook/[^"]+row\.jpg[^"]+)"', page)]


def _seen(base: str, address: str, most: int) -> tuple[float, float]:
    """Seconds until the first row, and until `most` rows of a page have come."""
    start = time.perf_counter()
    rows = _rows(_get(base + address).decode())[:most]
    if len(rows) < most:
        raise SystemExit(f"The page shows {len(rows)} rows, not {most}.")
    first = 0.0
    with ThreadPoolExecutor(_CONNECTIONS) as pool:
        for n, _ in enumerate(pool.map(_get, [base + row for row in rows])):
            if n == 0:
                first = time.perf_counter() - start
    return first, time.perf_counter() - start


def _matrix(base: str, table: Table) -> None:
    address = f"/lookbook?series={_SLUG}"
    _get(f"{base}/lookbook?show=palettes")  # starters are put in once in the life of a book
    _get(f"{base}/series/{_SLUG}/shape")  # the series has been worked on, as it has when one looks for a look
    first, every = _seen(base, address, 12)
    again = min(_seen(base, address, 12)[1] for _ in range(3))
    table.add("12 looks by 5 frames: the first row, s", round(first, 2), "0.4")
    table.add("all 12 rows, s", round(every, 2), "2")
    table.add("the same from memory, s", round(again, 2), "0.2")


def _trying(base: str, table: Table) -> None:
    """Pointing at one look after the other, the frame drawn at 1280 pixels: the second time round."""
    page = _get(f"{base}/series/{_SLUG}/shape").decode()
    frame = re.search(r'data-frame="([0-9a-f-]{36})"', page)
    strip = _get(f"{base}/series/{_SLUG}/frames/{frame[1] if frame else ''}/looks").decode()
    looks = re.findall(r'data-try="([0-9a-f-]{36})"', strip)
    took: list[float] = []
    for turn in range(2):
        for look in looks:
            start = time.perf_counter()
            at = f"{base}/series/{_SLUG}/frames/{frame[1] if frame else ''}/looks/shape"
            # Another strength each turn, so that the picture is drawn and not remembered.
            body = json.dumps({"kept": look, "strength": 100 - 7 * turn}).encode()
            found = json.loads(_post(at, body, "application/json"))
            _get(base + re.sub(r"edge=\d+", "edge=1280", found["pictures"]["look"]) + "&quick=true")
            if turn:
                took.append(time.perf_counter() - start)
    table.add("a look tried on at 1280 pixels, once warm, ms (median)", round(1000 * float(np.median(took))), "100")


def _resident(database: str) -> int:
    """Megabytes that the processes of the application keep in memory, without its database."""
    total = 0
    for process in Path("/proc").iterdir():
        try:
            command = (process / "cmdline").read_bytes().decode()
            environment = (process / "environ").read_bytes().decode()
            if process.name.isdigit() and database in environment and "postgres" not in command:
                total += int(re.search(r"VmRSS:\s+(\d+)", (process / "status").read_text())[1])  # type: ignore[index]
        except (OSError, TypeError):
            continue
    return total // 1024


class _Most:
    """The most megabytes that the application has kept since this was made, looked at ten times a second."""

    def __init__(self, database: str) -> None:
        self._database, self._most, self._over = database, 0, Event()
        self._thread = Thread(target=self._look, daemon=True)
        self._thread.start()

    def _look(self) -> None:
        while not self._over.wait(0.1):
            self._most = max(self._most, _resident(self._database))

    def stop(self) -> int:
        """The most it was."""
        self._over.set()
        self._thread.join()
        return self._most


def _tables(base: str, database: str, table: Table) -> None:
    """A folder of 300 tables of 33 points, sent as the page sends it, until the rows that are seen have come."""
    cube, noise = grid(33), np.random.default_rng(3)
    files = []
    for n in range(_TABLES):
        made = np.clip(noise.uniform(0, 0.06, 3) + 0.94 * np.asarray(cube) ** noise.uniform(0.8, 1.4, 3), 0, 1)
        files.append(("file", f"Print {n:03}.cube", write_cube(made.astype(np.float32), f"Print {n}").encode()))
    bodies = [_form(files[at : at + _BATCH]) for at in range(0, _TABLES, _BATCH)]
    before, most = _resident(database), _Most(database)
    start = time.perf_counter()
    with ThreadPoolExecutor(2) as pool:
        list(pool.map(lambda body: _post(f"{base}/lookbook/files", *body), bodies))
    sent = time.perf_counter() - start
    _, listed = _seen(base, f"/lookbook?series={_SLUG}&group=Brought%20in", 5)
    table.add("300 tables sent and kept, s", round(sent, 1), "")
    table.add("300 tables listed, with the 5 rows that are seen, s", round(listed, 2), "")
    table.add("both, s", round(sent + listed, 1), "3")
    table.add("memory that the application grew by, MB", most.stop() - before, "300")


def _pair(base: str, folder: Path, table: Table) -> None:
    path = large_jpeg(folder)
    before = path.read_bytes()
    pixels = cv2.imread(str(path))
    after = np.clip(255 * (0.05 + 0.9 * np.power(np.asarray(pixels) / 255.0, [1.0, 1.2, 1.1])), 0, 255).astype(np.uint8)
    encoded = cv2.imencode(".jpg", after, [cv2.IMWRITE_JPEG_QUALITY, 92])[1].tobytes()
    body, kind = _form([("before", "before.jpg", before), ("after", "after.jpg", encoded)])
    took = []
    for _ in range(3):
        start = time.perf_counter()
        _post(f"{base}/lookbook/pairs", body, kind)
        took.append(time.perf_counter() - start)
    table.add("a look worked out from a pair of 24 megapixels, s", round(min(took), 2), "3")


def run() -> list[Table]:
    """All of it, in one copy of the application."""
    table = Table("The lookbook, over HTTP", ("measure", "found", "at most"))
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        with site(folder) as (base, database):
            _matrix(base, table)
            _trying(base, table)
            _tables(base, database, table)
            _pair(base, folder, table)
    return [table]
