"""Odd requests: every route asked with values that nobody would send on purpose."""

from collections import Counter
from collections.abc import Iterator
from typing import Any

import httpx2 as httpx
import numpy as np

from nuvett.services.platform.studio import Studio
from nuvett.settings import Settings
from nuvett.web.app import make_app

_ODD = (
    "", "0", "-1", "9" * 400, "1e309", "NaN", "\x00", "\xed\xa0\x80", "../..",
    "%00", "null", "[]", "{}", "' OR 1=1", "<x>", "00000000-0000-0000-0000-000000000000", "é" * 200, " ", "true",
)  # fmt: skip
_BODIES: tuple[Any, ...] = (
    None, {}, [], "text", 0, True, {"look": {}}, {"look": {"strength": 1e308}, "revision": 0},
    {"trim": {"exposure": "x"}},
    {"weights": {"a": 1}}, {"place": [2, 2]}, {"place": ["x"]}, {"do": "hold", "index": -1}, {"frames": [1]},
    {"was": 7},
)  # fmt: skip


def routes(settings: Settings) -> list[tuple[str, str]]:
    """Method and path of every route."""
    studio = Studio.of(settings)
    described = make_app(settings, studio).openapi()["paths"]
    studio.database.close()
    return [(method.upper(), path) for path, methods in described.items() for method in methods]


def odd_requests(client: httpx.Client, slug: str, settings: Settings, count: int) -> Counter[int]:
    """Kinds of answer to so many requests; deleting the series itself is left out."""
    rng, told = np.random.default_rng(2), Counter[int]()
    asked = [(m, p) for m, p in routes(settings) if not p.endswith(("/delete", "/sign-in", "/demo"))]
    for method, path, query, body in _drawn(rng, asked, slug, count):
        kind = rng.integers(3)
        try:
            if method == "GET":
                answer = client.get(path, params=query)
            elif kind == 0:
                answer = client.request(method, path, params=query, data={k: str(v) for k, v in query.items()})
            else:
                answer = client.request(method, path, params=query, json=body)
            told[answer.status_code] += 1
        except (httpx.InvalidURL, UnicodeEncodeError):
            told[0] += 1
    return told


def _drawn(
    rng: np.random.Generator, asked: list[tuple[str, str]], slug: str, count: int
) -> Iterator[tuple[str, str, dict[str, str], Any]]:
    for number in range(count):
        method, path = asked[number % len(asked)]
        path = path.replace("{slug}", slug if rng.random() < 0.8 else _safe(_ODD[rng.integers(len(_ODD))]))
        while "{" in path:
            start, end = path.index("{"), path.index("}")
            path = path[:start] + _safe(_ODD[rng.integers(len(_ODD))]) + path[end + 1 :]
        names = rng.choice(["edge", "plan", "place", "frame", "number", "show", "sort", "size", "x", "title"], 3)
        query = {str(name): _ODD[rng.integers(len(_ODD))] for name in names}
        yield method, path, query, _BODIES[rng.integers(len(_BODIES))]


def _safe(text: str) -> str:
    return httpx.QueryParams({"x": text}).__str__()[2:] or "-"
