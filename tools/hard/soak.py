"""Mixed use of a long series by several clients for a while: whether memory stays and nothing fails or is late."""

import random
import re
import threading
import time
from collections import Counter
from dataclasses import dataclass, field
from html import unescape
from pathlib import Path
from statistics import quantiles

import httpx2 as httpx

from nuvett.services.platform.studio import Studio
from nuvett.settings import Settings
from tools.cluster import cluster_of
from tools.hard.copy import Copy
from tools.long_series import repeat_series

FRAMES, CLIENTS, MINUTES = 2000, 4, 15.0
_PICTURE = re.compile(r'src="(/series/[^"]+\.jpg\?[^"]+)"')
_EVERY = 20.0  # seconds between two looks at the memory
Row = tuple[str, str]


@dataclass
class _Told:
    """What clients were told: answers by kind and status, how long light ones took, memory by minute."""

    answers: Counter[str] = field(default_factory=Counter)
    light: list[float] = field(default_factory=list)
    web: list[int] = field(default_factory=list)
    worker: list[int] = field(default_factory=list)
    lock: threading.Lock = field(default_factory=threading.Lock)


class _Client:
    """One person at work on a series: pages, pictures, drags, changes, carrying, orders."""

    def __init__(self, base: str, slug: str, told: _Told, number: int) -> None:
        self._site = httpx.Client(base_url=base, timeout=120, headers={"origin": base})
        self._at, self._told, self._drawn = f"/series/{slug}", told, random.Random(number)

    def _ask(self, method: str, path: str, light: bool = False, **more: object) -> httpx.Response | None:
        start = time.perf_counter()
        try:
            answer = self._site.request(method, path, **more)  # type: ignore[arg-type]
            status = str(answer.status_code)
        except httpx.HTTPError as error:
            answer, status = None, type(error).__name__
        with self._told.lock:
            expected = status in ("200", "201", "303", "409")  # another client was quicker
            self._told.answers["as expected" if expected else f"{method} {path.split('?')[0][-24:]}: {status}"] += 1
            if light:
                self._told.light.append(time.perf_counter() - start)
        return answer

    def once(self) -> None:
        """Something that a person does."""
        often = (self.walk, self.drag, self.scroll, self.light)
        self._drawn.choice((*often, *often, self.mark, self.change))()

    def light(self) -> None:
        for path in ("/alive", "/glossary", f"{self._at}/carry/filling?show=draft", "/static/app.css"):
            self._ask("GET", path, light=True)

    def walk(self) -> None:
        page = self._drawn.choice(("gather", "read", "shape", "carry", "trim", "threads", "handover", "health"))
        answer = self._ask("GET", f"{self._at}/{page}")
        found = [unescape(one) for one in _PICTURE.findall(answer.text)] if answer is not None else []
        for picture in self._drawn.sample(found, min(6, len(found))):
            self._ask("GET", picture)

    def scroll(self) -> None:
        start = self._drawn.randrange(0, FRAMES, 24)
        answer = self._ask("GET", f"{self._at}/carry/tiles?show=draft&start={start}")
        for picture in _PICTURE.findall(answer.text)[:8] if answer is not None else ():
            self._ask("GET", unescape(picture))

    def _look(self) -> tuple[dict[str, object], int] | None:
        answer = self._ask("GET", f"{self._at}/look")
        told = answer.json() if answer is not None and answer.status_code == 200 else None
        return (told["document"], told["revision"]) if told else None

    def drag(self) -> None:
        look = self._look()
        for _ in range(6 if look else 0):
            assert look is not None
            document = {**look[0], "strength": round(self._drawn.uniform(20, 100), 1)}
            answer = self._ask("POST", f"{self._at}/shape/draft", json={"document": document, "parts": False})
            if answer is not None and answer.status_code == 200:
                self._ask("GET", answer.json()["pictures"]["look"])

    def change(self) -> None:
        look = self._look()
        if look is not None:
            strength = self._drawn.choice((60, 80, 100))
            asked = {"document": {**look[0], "strength": strength}, "revision": look[1]}
            self._ask("PUT", f"{self._at}/look", json=asked)

    def mark(self) -> None:
        page = self._ask("GET", f"{self._at}/carry/tiles?show=original&start={self._drawn.randrange(0, FRAMES, 24)}")
        frames = re.findall(r'min-w-0" data-frame="([^"]+)"', page.text) if page is not None else []
        if frames:
            self._ask("POST", f"{self._at}/frames/favourites", json={"frames": frames[:3]})


def _size(process: int) -> int:
    lines = Path(f"/proc/{process}/status").read_text().splitlines()
    return next((int(line.split()[1]) // 1024 for line in lines if line.startswith("VmRSS")), 0)


def soak(copy: Copy, minutes: float = MINUTES) -> list[Row]:
    """So many clients at work on a series of so many frames for so many minutes."""
    with copy.client() as client:
        client.post("/demo")
    wait_for_demo(copy)
    database = cluster_of(copy.state).database()
    studio = Studio.of(Settings(database=database, blobs=str(copy.state / "blobs")))
    slug = repeat_series(studio, "autumn-table", "Soak", FRAMES)
    studio.database.close()
    told, end = _Told(), time.monotonic() + 60 * minutes

    def work(number: int) -> None:
        client = _Client(copy.base, slug, told, number)
        while time.monotonic() < end:
            client.once()

    threads = [threading.Thread(target=work, args=(number,)) for number in range(CLIENTS)]
    for thread in threads:
        thread.start()
    while time.monotonic() < end:
        time.sleep(_EVERY)
        told.web.append(_size(copy.process.pid) if copy.process else 0)
        told.worker.append(max((_size(one) for one in copy.workers()), default=0))
    for thread in threads:
        thread.join()
    amiss = {name: count for name, count in told.answers.items() if name != "as expected"}
    slow, nearly = sum(took > 1 for took in told.light), quantiles(told.light, n=20)[-1]
    return [
        ("answers as expected", str(told.answers["as expected"])),
        ("others", ", ".join(f"{name} ({count})" for name, count in sorted(amiss.items())) or "none"),
        ("light requests, and those over a second", f"{len(told.light)}, {slow}"),
        ("95 % of light requests within, and the longest, s", f"{nearly:.2f}, {max(told.light):.2f}"),
        ("memory of the web server at a third, two thirds and the end, MB", _thirds(told.web)),
        ("memory of the worker at a third, two thirds and the end, MB", _thirds(told.worker)),
    ]


def _thirds(sizes: list[int]) -> str:
    return ", ".join(str(sizes[max(0, len(sizes) * part // 3 - 1)]) for part in (1, 2, 3))


def wait_for_demo(copy: Copy) -> None:
    """Wait until the demo is measured, evened and read."""
    query = "SELECT count(*) FILTER (WHERE even IS NOT NULL), (SELECT count(reading) FROM reference) FROM frame"
    for _ in range(600):
        if copy.rows(query)[0] == (36, 4):
            return
        time.sleep(0.5)
    raise SystemExit("The demo was not measured in time.")
