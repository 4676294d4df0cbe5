"""Threads followed by themselves: what is found, asked about and wrong, and how long a thing takes through a series."""

import time

import numpy as np

from bench.heroes import series
from bench.report import Table
from bench.seen_again import photo_table
from bench.threads import apart, carried, evened_by, followable, held_by, known_places, seen_colours
from nuvett.core.thread.cells import KINDS, shared
from nuvett.core.thread.following import DOUBTFUL, SURE, look_for, region_of
from nuvett.core.thread.growth import Mask, Pointed, grown, overlap
from nuvett.core.thread.places import colours_in, outline_of
from nuvett.core.types import Linear
from tools.derive_following import Known, clicked, followed, is_on, known_frames, pointed_in, questions, worth

_SERIES, _DRAWS = 200, 3
_FIRST = 12  # frames that are looked through before what was found is shown


def found_table() -> Table:
    """What is found, asked about and wrong, by the weights that ship; they were derived from the demo."""
    columns = ("series", "frames that show it", "found", "found or asked", "taken", "wrong", "questions a thing")
    title = "Following from one click (aims: inside .45 and .75, across .50 asked; wrong 5 % and 2 %; 3 questions)"
    table = Table(title, columns)
    for name in ("demo", "viewpoints"):
        found = followed(known_frames(name))
        sure = [[one.sure for one in sought.candidates] for sought in found]
        for inside in (True, False):
            own = worth(found, sure, inside)
            shares = (round(own.found, 2), round(own.found + own.asked, 2))
            asked = round(questions(found, sure, inside), 2)
            table.add(
                f"{name}, {'inside' if inside else 'across'} set-ups", own.shown, *shares, own.taken, own.wrong, asked
            )
    return table


def _pairs(frames: list[Known], rng: np.random.Generator) -> list[tuple[str, int, int]]:
    shown: dict[str, list[int]] = {}
    for index, frame in enumerate(frames):
        for thing in frame.things:
            shown.setdefault(thing, []).append(index)
    several = [(thing, rng.permutation(own)) for thing, own in sorted(shown.items()) if len(own) > 1]
    return [(thing, int(own[0]), int(own[1])) for thing, own in several]


def found_outlines() -> Table:
    """Overlap of outlines in found frames with the things that they are of."""
    table = Table("Outlines in frames where a thing was found: intersection over union", ("series", "things", "median"))
    for name in ("demo", "viewpoints"):
        frames, rng = known_frames(name), np.random.default_rng(3)
        found = []
        for thing, start, index in _pairs(frames, rng):
            here, there = frames[start], frames[index]
            outline = clicked(here, here.things[thing], rng)
            region = region_of(outline, here.described)
            both = shared(here.described, there.described)
            for one in look_for(here.described, region, there.described, both)[:1]:
                if is_on(one, there.things[thing]):
                    outlines = grown(there.small, [Pointed(*one.place)])
                    mask = outlines.masks[outlines.about(one.cells, float(outline.mean()))]
                    found.append(overlap(mask, there.things[thing]))
        table.add(name, len(found), round(float(np.median(found)), 2))
    return table


def _places_found(name: str, held: set[str], how: str, rng: np.random.Generator) -> list[dict[str, Linear]]:
    """Colours (1, 3) of things in each frame where they were clicked once and followed.

    how : "found" takes what is sure; "answered" also what is asked about, answered rightly, and the outline that was
    clicked is put right with + and -
    """
    frames, one = known_frames(name), series(name)
    places: list[dict[str, Linear]] = [{} for _ in frames]
    for thing in sorted(held):
        shown = [index for index, frame in enumerate(frames) if thing in frame.things]
        start = int(rng.choice(shown))
        mask = frames[start].things[thing]
        outline = clicked(frames[start], mask, rng)
        if how == "answered":
            outlines = grown(frames[start].small, [pointed_in(mask, rng)]).masks
            outline = max(outlines, key=lambda other: overlap(other, mask))
        here = frames[start].described
        region, share = region_of(outline, here), float(outline.mean())
        places[start][thing] = _colour(one.frames[start].proxy, outline)
        for index, frame in enumerate(frames):
            if index == start:
                continue
            best = next(iter(look_for(here, region, frame.described, shared(here, frame.described))), None)
            asked = how == "answered" and best is not None and best.sure >= DOUBTFUL
            if best is not None and (best.sure >= SURE or (asked and is_on(best, frame.things.get(thing)))):
                found = grown(frame.small, [Pointed(*best.place)])
                places[index][thing] = _colour(one.frames[index].proxy, found.masks[found.about(best.cells, share)])
    return places


def _colour(proxy: Linear, outline: Mask) -> Linear:
    sample = colours_in(proxy, outline_of(outline).mask((proxy.shape[1], proxy.shape[0])))
    return Linear(np.median(sample.colours, axis=0, keepdims=True).astype(np.float32))


def held_table() -> Table:
    """Half of the things held by places that were found, judged where they are known by pixel."""
    columns = ("series", "places known", "found or asked, outline put right", "found", "others, without", "with found")
    title = "Things held by places that were found: their spread over that without threads (aims .55, .65, .72)"
    table = Table(title, columns)
    for name in ("demo", "viewpoints"):
        one, rng, rows = series(name), np.random.default_rng(8), []
        things = followable(one)
        plain = carried(one, evened_by(one, known_places(one, set())))
        for _ in range(_DRAWS):
            held = set(rng.permutation(things)[: len(things) // 2].tolist())
            own, rest = known_places(one, held), known_places(one, set(things) - held)
            before, shares = apart(seen_colours(one, plain, own)), []
            ways = [own, *(_places_found(name, held, how, rng) for how in ("answered", "found"))]
            for places in ways:
                moved, _ = held_by(one, carried(one, evened_by(one, places)), places)
                shares.append(apart(seen_colours(one, moved, own)) / before)
            rows.append([*shares, *(apart(seen_colours(one, plans, rest)) for plans in (plain, moved))])
        table.add(name, *(round(float(value), 2) for value in np.median(rows, axis=0)))
    return table


def time_table() -> Table:
    """One thing through 200 frames whose descriptions are kept: the first strip, and all of it; bytes of a frame."""
    columns = ("frames", "first strip, s", "all, s", "a pair, ms", "kB a frame")
    table = Table("A thing through a series (aims: 1.5 s, 6 s, 400 kB)", columns)
    frames = known_frames("demo")
    here = frames[0]
    thing = sorted(here.things)[len(here.things) // 2]
    region, share = region_of(here.things[thing], here.described), float(here.things[thing].mean())
    start, first = time.perf_counter(), 0.0
    for number in range(_SERIES):
        there = frames[number % len(frames)]
        best = look_for(here.described, region, there.described, shared(here.described, there.described))[:1]
        for one in best:
            if one.sure >= SURE:
                grown(there.small, [Pointed(*one.place)]).about(one.cells, share)
        if number + 1 == _FIRST:
            first = time.perf_counter() - start
    whole = time.perf_counter() - start
    kept = here.described.rows * here.described.columns * KINDS / 1000
    table.add(_SERIES, round(first, 1), round(whole, 1), round(1000 * whole / _SERIES), round(kept))
    return table


def run() -> list[Table]:
    """All tables of following."""
    return [found_table(), photo_table(), found_outlines(), held_table(), time_table()]
