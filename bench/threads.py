"""Threads: how far the same thing is from frame to frame, held things and others; outlines grown from one click."""

from collections import defaultdict
from collections.abc import Callable, Sequence
from dataclasses import replace

import cv2
import numpy as np

from bench.heroes import PEOPLE, Series, finished_colours, series
from bench.pictures import DEMO, stills
from bench.report import Table
from bench.things import Frame, median_colour
from nuvett.core.even.even_light import EvenLight
from nuvett.core.look.look import Look
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.planning import aim_of, evened
from nuvett.core.planning.series import Measured, Own, Pools, SeriesRun, even_series
from nuvett.core.reading.reading import Weighed, blend, read
from nuvett.core.spaces.cielab import ciede2000, linear_to_cielab
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.thread.colours import middle, spread
from nuvett.core.thread.growth import grown, overlap
from nuvett.core.thread.holding import Anchor, held_moves, stretch, with_moves
from nuvett.core.types import CIELab, Linear, OKLab
from tools.derive_outline import pointed_at

_KINDS = ("pot", "lemon", "egg", "plate", "tile", "bat", "lump", "handle", "bowl")
_DRAWS = 6
_PLAIN, _FLAT = 0.008, 0.004  # OKLab a pixel: of an edge or a structure, and of a flat place
Which = Callable[[str], bool]


def followable(one: Series) -> list[str]:
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


def known_places(one: Series, held: set[str]) -> list[dict[str, Linear]]:
    """Colours (1, 3) of things in each frame, their places known by pixel."""
    return [{t: median_colour(p) for t, p in frame.things.items() if t in held} for frame in one.frames]


def evened_by(one: Series, places: list[dict[str, Linear]]) -> list[EvenLight]:
    """Even light by things with their colours (1, 3) in each frame."""
    frames = []
    for frame, things in zip(one.frames, places, strict=True):
        own = {thing: colour[0] for thing, colour in things.items()}
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
        things = followable(one)
        without = evened_by(one, known_places(one, set()))
        found = []
        for _ in range(_DRAWS):
            held = set(rng.permutation(things)[: len(things) // 2].tolist())
            others = set(things) - held
            lights = evened_by(one, known_places(one, held))
            ways = [(lights_of, which) for which in (held, others) for lights_of in (without, lights)]
            found.append([_spread(one, by, which.__contains__) for by, which in ways])
        before = [_spread(one, by, set(things).__contains__) for by in (None, without)]
        figures = [*before, *np.median(found, axis=0)]
        table.add(name, len(things), *(round(float(value), 2) for value in figures))
    return table


def carried(one: Series, lights: list[EvenLight]) -> list[FramePlan]:
    """Plans of frames under the usual look toward the first still, at a pull of 60."""
    look = Look(pull=60)
    aim = aim_of(blend([Weighed(reading=read(stills()[0].proxy), tone=1, colour=1)]))
    measured = [Measured(f.sample, e, f.setup) for f, e in zip(one.frames, lights, strict=True)]
    run = SeriesRun(Pools.of(measured, look), aim, look)
    return [run.plan(index, Own(light)) for index, light in enumerate(lights)]


def seen_colours(
    one: Series, plans: list[FramePlan], places: list[dict[str, Linear]]
) -> dict[tuple[int, str], dict[int, OKLab]]:
    """OKLab colours (3,) of things as they are seen, by set-up and thing, by frame; of those seen more than once."""
    found: dict[tuple[int, str], dict[int, OKLab]] = defaultdict(dict)
    for index, things in enumerate(places):
        for thing, colour in things.items():
            seen = linear_to_oklab(finished_colours(plans[index], colour))
            found[one.frames[index].setup, thing][index] = OKLab(seen[0])
    return {key: own for key, own in found.items() if len(own) > 1}


def apart(colours: dict[tuple[int, str], dict[int, OKLab]]) -> float:
    return float(np.mean([spread(list(own.values())) for own in colours.values()]))


def held_by(one: Series, plans: list[FramePlan], places: list[dict[str, Linear]]) -> tuple[list[FramePlan], float]:
    """Plans with things held to the middles of their set-ups within .9, and the largest stretch of near colours."""
    colours, made, most = seen_colours(one, plans, places), [], 1.0
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
        things = followable(one)
        plain = carried(one, evened_by(one, known_places(one, set())))
        found = []
        for _ in range(_DRAWS):
            held = set(rng.permutation(things)[: len(things) // 2].tolist())
            lit = carried(one, evened_by(one, known_places(one, held)))
            moved, most = held_by(one, lit, known_places(one, held))
            own, rest = known_places(one, held), known_places(one, set(things) - held)
            before = apart(seen_colours(one, plain, own))
            shares = [apart(seen_colours(one, plans, own)) / before for plans in (lit, moved)]
            found.append([*shares, *(apart(seen_colours(one, plans, rest)) for plans in (plain, moved)), most])
        figures = [*np.median(np.array(found)[:, :4], axis=0), np.array(found)[:, 4].max()]
        table.add(name, *(round(float(value), 2) for value in figures))
    return table


def _gain(frame: Frame, before: FramePlan, after: FramePlan) -> tuple[float, float]:
    """How much steeper colours are from pixel to pixel after moves, of 99 %, and the seam in flat places, of 99.9 %."""
    height, width = frame.proxy.shape[:2]
    plain, moved = (
        linear_to_oklab(finished_colours(plan, frame.proxy)).reshape(height, width, 3) for plan in (before, after)
    )
    steep, now, seam = (steepness(picture) for picture in (plain, moved, moved - plain))
    gain = float(np.quantile(now[steep > _PLAIN] / steep[steep > _PLAIN], 0.99))
    flat = cv2.dilate(steep, np.ones((5, 5), np.uint8)) < _FLAT
    return gain, float(np.quantile(seam[flat], 0.999)) if flat.sum() > 500 else 0.0


def steepness(picture: np.ndarray) -> np.ndarray:
    """How steep a picture (h, w, 3) is from pixel to pixel, (h - 1, w - 1)."""
    across, down = np.diff(picture, axis=1)[1:], np.diff(picture, axis=0)[:, 1:]
    return np.asarray(np.sqrt((across**2 + down**2).sum(axis=-1)), dtype=np.float32)


def pixel_table() -> Table:
    """Half of the things held, places known: what that does to pixels beside each other."""
    columns = (
        "series",
        "frames changed",
        "gain of local contrast, median",
        "most",
        "seam in flat places, median",
        "most",
    )
    table = Table("Things held, on pixels (aims: gain 1.3 in every frame, seam .004 OKLab a pixel)", columns)
    for name in ("demo", "viewpoints"):
        one, rng = series(name), np.random.default_rng(6)
        things = followable(one)
        held = known_places(one, set(rng.permutation(things)[: len(things) // 2].tolist()))
        lit = carried(one, evened_by(one, held))
        moved, _ = held_by(one, lit, held)
        found = [_gain(f, b, a) for f, b, a in zip(one.frames, lit, moved, strict=True) if a != b]
        gains, seams = np.array(found).T
        figures = (np.median(gains), gains.max(), np.median(seams), seams.max())
        table.add(name, len(found), *(round(float(value), 4) for value in figures))
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
    return [light_table(), held_table(), pixel_table(), outline_table()]
