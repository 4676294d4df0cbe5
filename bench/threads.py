"""Threads: how far the same thing is from frame to frame, held things and others; outlines grown from one click."""

from collections import defaultdict
from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from bench.heroes import PEOPLE, Series, series
from bench.pictures import DEMO
from bench.report import Table
from bench.things import median_colour
from nuvett.core.even.even_light import EvenLight
from nuvett.core.look.look import Look
from nuvett.core.planning.planning import evened
from nuvett.core.planning.series import even_series
from nuvett.core.spaces.cielab import ciede2000, linear_to_cielab
from nuvett.core.thread.growing import grown, overlap
from nuvett.core.types import CIELab, Linear
from tools.derive_outline import pointed_at

_KINDS = ("pot", "lemon", "egg", "plate", "tile", "bat", "lump", "handle", "bowl")
_DRAWS = 6
Which = Callable[[str], bool]


def _followed(one: Series) -> list[str]:
    """Things that an editor might follow: seen in at least two frames of a set-up, and no people."""
    seen: dict[tuple[int, str], int] = defaultdict(int)
    for frame in one.frames:
        for thing in frame.things:
            seen[frame.setup, thing] += 1
    wanted = {thing for (_, thing), count in seen.items() if count > 1 and any(kind in thing for kind in _KINDS)}
    return sorted(thing for thing in wanted if not any(word in thing for word in PEOPLE))


def _spread(one: Series, lights: Sequence[EvenLight] | None, which: Which) -> float:
    """Mean CIEDE2000 of things to the middle of their frames, inside set-ups."""
    colours: dict[tuple[int, str], list[Linear]] = defaultdict(list)
    for index, frame in enumerate(one.frames):
        for thing, pixels in frame.things.items():
            if which(thing):
                own = median_colour(pixels)
                colours[frame.setup, thing].append(evened(own, lights[index], Look()) if lights else own)
    found = []
    for seen in colours.values():
        if len(seen) > 1:
            lab = linear_to_cielab(Linear(np.concatenate(seen)))
            found.append(float(ciede2000(lab, CIELab(np.broadcast_to(np.median(lab, axis=0), lab.shape))).mean()))
    return float(np.mean(found))


def _evened(one: Series, held: set[str]) -> list[EvenLight]:
    frames = []
    for frame in one.frames:
        own = {thing: median_colour(pixels)[0] for thing, pixels in frame.things.items() if thing in held}
        colours = {thing: (float(r), float(g), float(b)) for thing, (r, g, b) in own.items()}
        frames.append(replace(frame.seen, things=colours))
    return even_series(frames, [frame.setup for frame in one.frames])


def light_table() -> Table:
    """Even light without threads and with half of the things as threads, places known; several draws of the half."""
    columns = (
        "series",
        "things",
        "as they came",
        "evened",
        "held half, evened",
        "with threads",
        "others",
        "with threads",
    )
    table = Table("Light from things that are pointed at: CIEDE2000 inside set-ups", columns)
    for name in ("demo", "viewpoints"):
        one, rng = series(name), np.random.default_rng(5)
        things = _followed(one)
        without = _evened(one, set())
        found = []
        for _ in range(_DRAWS):
            held = set(rng.permutation(things)[: len(things) // 2].tolist())
            others = set(things) - held
            lights = _evened(one, held)
            ways = [(lights_of, which) for which in (held, others) for lights_of in (without, lights)]
            found.append([_spread(one, by, which.__contains__) for by, which in ways])
        before = [_spread(one, by, set(things).__contains__) for by in (None, without)]
        figures = [*before, *np.median(found, axis=0)]
        table.add(name, len(things), *(round(float(value), 2) for value in figures))
    return table


def outline_table() -> Table:
    """Overlap of outlines grown from one click with the things that they are of."""
    columns = ("series", "things", "likeliest, median", "best there is, median", "outlines to choose from, median")
    table = Table("Outlines from one click: intersection over union", columns)
    for name, folder in (("demo", DEMO), ("viewpoints", DEMO / "viewpoints")):
        rng = np.random.default_rng(9)
        found = []
        for lab, thing, place in pointed_at(folder, rng):
            outlines = grown(lab, [place])
            overlaps = [overlap(mask, thing) for mask in outlines.masks]
            found.append((overlaps[outlines.likeliest], max(overlaps), len(overlaps)))
        table.add(name, len(found), *(round(float(value), 2) for value in np.median(found, axis=0)))
    return table


def run() -> list[Table]:
    """All tables of threads."""
    return [light_table(), outline_table()]
