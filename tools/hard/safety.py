"""What could destroy pictures, or say what is not so: tried on whole copies from outside."""

import os
import shutil
import socket
import subprocess
import sys
import threading
import time
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any

import httpx2 as httpx
import numpy as np
import tifffile

from nuvett.services.entry.passwords import hash_password
from tools.cluster import cluster_of
from tools.hard.copy import Copy, wait_until
from tools.home import PROJECT

FRAMES = sorted((PROJECT / "demo" / "frames").glob("*.jpg"))
STILL = PROJECT / "demo" / "stills" / "still_1_teal_amber.jpg"
Row = tuple[str, str]
_PASSWORD = "correct horse battery"
_LARGE = (13_000, 10_000)  # pixels, of 16 bits a channel
_MANY = 2000


def blobs(state: Path) -> int:
    """How many files of pictures a state folder holds."""
    return sum(path.is_file() and len(path.name) == 64 for path in (state / "blobs").rglob("*"))


def filled(copy: Copy, count: int = 6) -> str:
    """A series of so many measured frames and one reference; its address."""
    with copy.client() as client:
        slug = client.post("/series", data={"title": "Safety"}).headers["location"].split("/")[2]
        for path in FRAMES[:count]:
            client.post(f"/series/{slug}/frames", files={"file": (path.name, path.read_bytes())})
        client.post(f"/series/{slug}/references", files={"file": (STILL.name, STILL.read_bytes())})
    ready = "SELECT count(*) FROM frame WHERE state = 'ready' AND even IS NOT NULL"
    read = "SELECT count(*) FROM reference WHERE state = 'ready'"
    wait_until(lambda: copy.rows(ready)[0][0] == count and copy.rows(read)[0][0] == 1, 300)
    return slug


def start_refused(state: Path, **settings: str) -> str:
    """What a copy says that is not to start; nothing when it did."""
    environment = os.environ | {"NUVETT_STATE": str(state)} | settings
    command = [sys.executable, "-m", "tools.serve", "--port", "0"]
    try:
        done = subprocess.run(
            command, cwd=PROJECT, env=environment, capture_output=True, text=True, timeout=60, check=False
        )
    except subprocess.TimeoutExpired:
        return ""
    return done.stderr.strip().splitlines()[-1] if done.returncode else ""


def stores(folder: Path) -> list[Row]:
    """State folders moved, copied and mixed up; a store that comes late; stray files; two starts at once."""
    rows: list[Row] = []
    state = folder / "first"
    state.mkdir(mode=0o700)
    copy = Copy(state)
    copy.start()
    filled(copy)
    copy.stop()
    before = blobs(state)
    moved = folder / "moved"
    state.rename(moved)
    copy = Copy(moved)
    copy.start()
    frames = copy.rows("SELECT count(*) FROM frame WHERE state = 'ready'")[0][0]
    rows.append(("state folder moved: files before, after; frames", f"{before}, {blobs(moved)}; {frames}"))
    copy.stop()
    shutil.copytree(moved, folder / "copied", symlinks=True)
    said = start_refused(folder / "copied")
    rows.append(("copied state folder: files; said", f"{blobs(folder / 'copied')}; {said[:60] or 'it started'}"))
    other = folder / "other"
    other.mkdir(mode=0o700)
    stranger = Copy(other)
    stranger.start()
    address = cluster_of(other).database()
    said = start_refused(moved, NUVETT_DATABASE=address)
    rows.append(("another database on the same store: files; said", f"{blobs(moved)}; {said[:70] or 'it started'}"))
    stranger.stop()
    rows += _absent(Copy(moved), moved, folder)
    cluster_of(other).remove()
    cluster_of(moved).remove()
    rows.append(("two first starts at once", _two_starts(folder)))
    return rows


def _absent(copy: Copy, state: Path, folder: Path) -> list[Row]:
    (state / "blobs" / ".DS_Store").write_text("stray")
    (state / "blobs" / "ab").mkdir(exist_ok=True)
    (state / "blobs" / "ab" / ".sync-conflict").write_text("stray")
    copy.start()
    alive = wait_until(lambda: bool(copy.workers()), 60)
    (state / "blobs").rename(folder / "blobs-away")
    page = wait_until(lambda: "cannot be reached" in copy.client().get("/").text, 20)
    copy.client().get("/series/safety/carry", headers={"accept": "text/html"})
    refused = copy.rows("SELECT count(*) FROM frame WHERE state <> 'ready'")[0][0]
    (folder / "blobs-away").rename(state / "blobs")
    back = wait_until(lambda: "cannot be reached" not in copy.client().get("/").text, 20)
    ready = copy.rows("SELECT count(*) FROM frame WHERE state = 'ready'")[0][0]
    copy.stop()
    return [
        ("a worker runs beside stray files", str(alive)),
        ("store away: said on the page; frames not ready meanwhile", f"{page}; {refused}"),
        ("store back: all as before; frames", f"{back}; {ready}"),
    ]


def _two_starts(folder: Path) -> str:
    state = folder / "twice"
    state.mkdir(mode=0o700)
    copies = [Copy(state), Copy(state)]
    failed: list[BaseException] = []

    def start(copy: Copy) -> None:
        try:
            copy.start()
        except BaseException as error:
            failed.append(error)

    threads = [threading.Thread(target=start, args=(copy,)) for copy in copies]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    for copy in copies:
        if copy.process is not None and copy.process.poll() is None:
            copy.stop()
    cluster_of(state).remove()
    return "both run" if not failed else f"{len(failed)} failed"


def folders(copy: Copy) -> list[Row]:
    """Finished files handed over beside camera files, and names that are no text."""
    slug = filled(copy, 3)
    hot = copy.state / "folders" / "hot"
    with copy.client() as client:
        client.post(f"/series/{slug}/watch", data={"folder": "hot", "carries": "true"})
        client.post(f"/series/{slug}/carry")
        original = hot / "one.jpg"
        original.write_bytes(FRAMES[9].read_bytes())
        (hot / os.fsdecode(b"caf\xe9.jpg")).write_bytes(FRAMES[10].read_bytes())
        wait_until(lambda: copy.rows("SELECT count(*) FROM frame WHERE state = 'ready'")[0][0] == 5, 60)
        (copy.state / "folders" / "link").symlink_to(hot)
        told = Counter(
            client.post(f"/series/{slug}/deliveries", json={"settings": {"folder": name}}).status_code
            for name in ("hot", "hot/inside", "link", "link/out", ".")
        )
        out = copy.state / "folders" / "out"
        out.mkdir()
        (out / "AT-0101.jpg").write_bytes(b"retouched")
        stop = client.post(f"/series/{slug}/deliveries", json={"settings": {"folder": "out"}}).status_code
        asked = {"settings": {"folder": "out", "clash": "beside"}}
        beside = client.post(f"/series/{slug}/deliveries", json=asked).status_code
    wait_until(lambda: copy.rows("SELECT count(*) FROM delivery WHERE state = 'done'")[0][0] == 1, 120)
    frames = copy.rows("SELECT count(*) FROM frame")[0][0]
    kept = original.read_bytes() == FRAMES[9].read_bytes()
    mine = (out / "AT-0101.jpg").read_bytes() == b"retouched"
    return [
        ("orders into watched folders, by links too", ", ".join(f"{k}: {v}" for k, v in told.items())),
        ("camera's file as it was; frames in all", f"{kept}; {frames}"),
        ("file of the same name: order, beside; as it was", f"{stop}, {beside}; {mine}"),
    ]


def changes(copy: Copy) -> list[Row]:
    """Changes and Undo at once from four windows: every change that was answered is in the history."""
    slug = filled(copy, 2)
    answered: list[int] = []
    told: Counter[int] = Counter()

    def window(number: int) -> None:
        with copy.client() as client:
            for turn in range(25):
                state = client.get(f"/series/{slug}/look").json()
                if turn % 5 == 4:
                    code = client.post(f"/series/{slug}/look/undo", json={"revision": state["revision"]}).status_code
                else:
                    strength = 10 + number * 20 + turn % 10
                    body = {"document": {**state["document"], "strength": strength}, "revision": state["revision"]}
                    code = client.put(f"/series/{slug}/look", json=body).status_code
                    if code == 200:
                        answered.append(strength)
                told[code] += 1

    threads = [threading.Thread(target=window, args=(n,)) for n in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    kept = {float(row[0]) for row in copy.rows("SELECT after->>'strength' FROM history WHERE subject LIKE 'look:%'")}
    lost = {strength for strength in answered if float(strength) not in kept}
    return [
        ("answers", ", ".join(f"{k}: {v}" for k, v in sorted(told.items()))),
        ("changes that were answered and are in no history", str(len(lost))),
    ]


def before_sign_in(start: Callable[..., Any]) -> list[Row]:
    """What somebody can do who has not signed in."""
    with start(NUVETT_PASSWORD=hash_password(_PASSWORD)) as copy:
        host, port = copy.base.removeprefix("http://").split(":")
        with httpx.Client(base_url=copy.base, timeout=60) as client:
            large = client.post("/sign-in", data={"password": "x" * 20_000}).status_code
            forged = [{"x-forwarded-for": f"192.0.2.{n}"} for n in range(6)]
            codes = [client.post("/sign-in", data={"password": "no"}, headers=h).status_code for h in forged]
            small = client.get("/sign-in", headers={"host": f"LOCALHOST:{port}"}).status_code
            started = time.monotonic()
            with socket.create_connection((host, int(port))) as half:
                half.sendall(b"POST /sign-in HTTP/1.1\r\nHost: 127.0.0.1\r\n")
                half.settimeout(60)
                ended = half.recv(100) == b""
            seconds = time.monotonic() - started
        return [
            ("body of 20 kB", str(large)),
            ("six wrong passwords, each with another forged address", ", ".join(map(str, codes))),
            ("host in capitals", str(small)),
            ("half a request: hung up after seconds", f"{ended}, {seconds:.0f}"),
        ]


def large(copy: Copy) -> list[Row]:
    """Two pictures of 130 megapixels with 16 bits, which wait for each other."""
    path = copy.state / "large.tif"
    noise = np.random.default_rng(1).integers(0, 65535, (256, 256, 3), dtype=np.uint16)
    picture = np.tile(noise, (_LARGE[1] // 256 + 1, _LARGE[0] // 256 + 1, 1))[: _LARGE[1], : _LARGE[0]]
    tifffile.imwrite(path, picture, photometric="rgb", compression="zlib", predictor=True)
    data = path.read_bytes()
    with copy.client() as client:
        slug = client.post("/series", data={"title": "Large"}).headers["location"].split("/")[2]
        codes = [
            client.post(f"/series/{slug}/frames", files={"file": (f"{n}.tif", data + bytes(n))}).status_code
            for n in range(2)
        ]
    done = "SELECT count(*) FROM frame WHERE state <> 'waiting'"

    def at_rest() -> bool:
        copy.watch_memory()
        return bool(copy.rows(done)[0][0] == 2)

    rested = wait_until(at_rest, 400)
    states = copy.rows("SELECT state, problem FROM frame ORDER BY name")
    return [
        ("uploads; at rest", f"{', '.join(map(str, codes))}; {rested}"),
        ("frames", "; ".join(f"{state} {problem}".strip() for state, problem in states)),
        ("largest memory of the worker, MB", str(copy.peaks.get("worker", 0))),
    ]


def deleting(copy: Copy) -> list[Row]:
    """A series of 2,000 frames deleted from the shelf, brought back, and removed."""
    slug = filled(copy, 4)
    copied = ", ".join(f'"{column}"' for column in _columns(copy) if column not in ("id", "position", "name"))
    copy.rows(
        f"INSERT INTO frame (id, position, name, {copied}) SELECT gen_random_uuid(), n, 'F' || n, {copied} "
        f"FROM frame, generate_series(5, {_MANY // 4 + 3}) AS n RETURNING 1"
    )
    with copy.client() as client:
        seconds = {}
        for what, address in (
            ("delete", f"/series/{slug}/delete"),
            ("bring back", f"/bin/{slug}/bring-back"),
            ("delete again", f"/series/{slug}/delete"),
            ("remove", f"/bin/{slug}/remove"),
        ):
            started = time.monotonic()
            client.post(address)
            seconds[what] = time.monotonic() - started
        count = copy.rows("SELECT count(*) FROM frame")[0][0]
    gone = wait_until(lambda: copy.rows("SELECT count(*) FROM frame")[0][0] == 0, 120)
    return [
        ("frames", str(count)),
        ("seconds that the shelf waits", ", ".join(f"{what} {took:.1f}" for what, took in seconds.items())),
        ("removed in the background", str(gone)),
    ]


def _columns(copy: Copy) -> list[str]:
    return [row[0] for row in copy.rows("SELECT column_name FROM information_schema.columns WHERE table_name='frame'")]
