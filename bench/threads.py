"""Threads: how far the same thing is from frame to frame, held things and others; outlines grown from one click."""

from collections import defaultdict
from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from bench.heroes import PEOPLE, Series, finished_colours, series
from bench.pictures import DEMO, stills
from bench.report import Table
from bench.things import median_colour
from nuvett.core.even.even_light import EvenLight
from nuvett.core.look.look import Look
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.planning import aim_of, evened
from nuvett.core.planning.series import Measured, Own, Pools, SeriesRun, even_series
from nuvett.core.reading.reading import Weighed, blend, read
from nuvett.core.spaces.cielab import ciede2000, linear_to_cielab
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.thread.colours import middle, spread
from nuvett.core.thread.growing import grown, overlap
from nuvett.core.thread.holding import Anchor, held_moves, stretch, with_moves
from nuvett.core.types import CIELab, Linear, OKLab
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


def _carried(one: Series, lights: list[EvenLight]) -> list[FramePlan]:
    """Plans of frames under the usual look toward the first still, at a pull of 60."""
    look = Look(pull=60)
    aim = aim_of(blend([Weighed(reading=read(stills()[0].proxy), tone=1, colour=1)]))
    measured = [Measured(f.sample, e, f.setup) for f, e in zip(one.frames, lights, strict=True)]
    run = SeriesRun(Pools.of(measured, look), aim, look)
    return [run.plan(index, Own(light)) for index, light in enumerate(lights)]


def _colours(one: Series, plans: list[FramePlan], things: set[str]) -> dict[tuple[int, str], dict[int, OKLab]]:
    """OKLab colours (3,) of things as they are seen, by set-up and thing, by frame; of those seen more than once."""
    found: dict[tuple[int, str], dict[int, OKLab]] = defaultdict(dict)
    for index, frame in enumerate(one.frames):
        for thing, pixels in frame.things.items():
            if thing in things:
                seen = linear_to_oklab(finished_colours(plans[index], median_colour(pixels)))
                found[frame.setup, thing][index] = OKLab(seen[0])
    return {key: own for key, own in found.items() if len(own) > 1}


def _apart(colours: dict[tuple[int, str], dict[int, OKLab]]) -> float:
    return float(np.mean([spread(list(own.values())) for own in colours.values()]))


def _held(one: Series, plans: list[FramePlan], things: set[str]) -> tuple[list[FramePlan], float]:
    """Plans with things held to the middles of their set-ups within .9, and the largest stretch of near colours."""
    colours, made, most = _colours(one, plans, things), [], 1.0
    for index, plan in enumerate(plans):
        seen = [own for own in colours.values() if index in own]
        anchors = [Anchor(own[index], middle(list(own.values())), 0.9) for own in seen]
        cloud = linear_to_oklab(finished_colours(plan, one.frames[index].sample.colours))
        moves = held_moves(anchors, cloud)
        most = max(most, stretch(moves, cloud))
        made.append(with_moves(plan, moves))
    return made, most


def held_table() -> Table:
    """Half of the things held, places known: spread over that without threads, by light alone and with moves."""
    columns = ("series", "light alone", "and moves", "others, without", "with", "stretch of near colours, most")
    title = "Things held under the usual look: their spread over that without threads (aim .55; others +.1; 1.3)"
    table = Table(title, columns)
    for name in ("demo", "viewpoints"):
        one, rng = series(name), np.random.default_rng(6)
        things = _followed(one)
        plain = _carried(one, _evened(one, set()))
        found = []
        for _ in range(_DRAWS):
            held = set(rng.permutation(things)[: len(things) // 2].tolist())
            lit = _carried(one, _evened(one, held))
            moved, most = _held(one, lit, held)
            before, others = _apart(_colours(one, plain, held)), set(things) - held
            shares = [_apart(_colours(one, plans, held)) / before for plans in (lit, moved)]
            found.append([*shares, *(_apart(_colours(one, plans, others)) for plans in (plain, moved)), most])
        figures = [*np.median(np.array(found)[:, :4], axis=0), np.array(found)[:, 4].max()]
        table.add(name, *(round(float(value), 2) for value in figures))
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
    return [light_table(), held_table(), outline_table()]
