"""View models of threads: what is followed, where it is seen, and its strip of colours in shooting order."""

import uuid
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import groupby
from typing import Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy.orm import Session

from nuvett.core.evenly import evenly
from nuvett.core.planning.planning import UNTOUCHED
from nuvett.core.spaces.names import colour_name
from nuvett.core.thread.colours import GOALS
from nuvett.core.thread.given import is_outside
from nuvett.core.thread.holding import WITHIN
from nuvett.core.thread.places import Outline
from nuvett.core.types import OKLab
from nuvett.services.engine.facts import Facts, FrameFacts
from nuvett.services.engine.workbench import Workbench
from nuvett.services.looks import carrying, wall_states
from nuvett.services.platform.history import redo_words, steps, undo_words
from nuvett.services.series.catalogue import find_series
from nuvett.services.series.frame_facts import series_facts
from nuvett.services.series.labels import labels_of
from nuvett.services.series.rows import Series
from nuvett.services.threads import threads
from nuvett.services.threads.changes import STROKES, subject_of
from nuvett.services.threads.questions import Question, questions_of
from nuvett.services.threads.thread_colours import Bead, SeriesSeen, Strip, strips
from nuvett.services.threads.threads import Thread, ThreadPlace
from nuvett.web.context import Context
from nuvett.web.views.frame_lists import is_long
from nuvett.web.views.instruments import hexes
from nuvett.web.views.thread_questions import Asking, Crop, crop_of, line_of
from nuvett.web.views.tiles import picture_address, short_names

_EDGES = {"small": 480, "medium": 640, "large": 1280}
NEW = "new"
PAGE = 24
"""Frames of the board that are there at once; more come as they are looked for."""

_GLIMPSED = 12  # frames that a complexion is known by in a long series, while another thread is in hand
_NOT_ON_HERO = "It is not seen on the hero: the middle of its frames stands in."
_NO_HERO = "No hero is named: the middle of its frames stands in."
_FIGURE = "This is a person, it seems: people are not looked for, so click in every frame."
_LARGE = 1280  # pixels of the long edge of pictures that parts are shown of
_OUTSIDE = "Screens cannot show this colour: the nearest one in sRGB stands in for it."


class ThreadsQuery(BaseModel):
    """How threads are asked for: which one is in hand, in which state frames are shown, and how large."""

    model_config = ConfigDict(extra="ignore")

    thread: str = Field(default="", max_length=40)
    show: str = Field(default="", max_length=20)
    size: Literal["small", "medium", "large"] = "small"
    start: int = Field(default=0, ge=0)


@dataclass(frozen=True)
class Item:
    """A thread in the list."""

    id: str
    name: str
    hex: str
    colour: str
    frames: int
    apart: float | None
    was: float | None
    goal: str
    given: str
    note: str
    within: float | None
    questions: int = 0


@dataclass(frozen=True)
class ThreadTile:
    """A frame that is pointed at: where the thread in hand is seen in it, as a line in a box of 1000 across."""

    id: str
    name: str
    src: str
    height: float
    line: str
    pointed: list[tuple[float, float, bool]]
    strokes: list[dict[str, Any]]
    choice: int
    words: str
    stands_out: bool
    found: bool


@dataclass(frozen=True)
class BeadView:
    """A thread in one frame: its colour as it came and as it is shown.

    setup : of the first of a set-up, where the thread is seen in several; how far it is apart there
    """

    frame: str
    name: str
    short: str
    came: str
    came_words: str
    shown: str
    shown_words: str
    words: str
    off: str
    stands_out: bool
    hero: bool
    setup: str = ""
    setup_apart: str = ""


def note_on(strip: Strip, hero: uuid.UUID | None) -> str:
    """What a person should know of what a thread should be, and of what holding it could not reach."""
    goal, said = strip.thread.goal, [_FIGURE] if strip.thread.kind == "figure" else []
    if goal.colour is not None and is_outside(goal.colour):
        said.append(_OUTSIDE)
    if goal.kind == "hero" and strip.beads and all(bead.frame.id != hero for bead in strip.beads):
        said.append(_NOT_ON_HERO if hero else _NO_HERO)
    missed = [bead for bead in strip.beads if bead.off is not None and bead.off > 2 * (strip.thread.within or np.inf)]
    if missed:
        said.append(f"{len(missed)} of {len(strip.beads)} cannot come nearer: more would show.")
    return " ".join(said)


def item_of(strip: Strip, hero: uuid.UUID | None, questions: int = 0) -> Item:
    """A thread in the list."""
    thread, colour = strip.thread, strip.colour
    return Item(
        id=str(thread.id),
        name=thread.name,
        hex=_hex(colour) if colour is not None else "",
        colour=colour_name(colour) if colour is not None else "",
        frames=len(strip.beads),
        apart=strip.apart,
        was=strip.was,
        goal=thread.goal.kind,
        given=_hex(OKLab(np.array(thread.goal.colour, np.float32))) if thread.goal.colour else "",
        note=note_on(strip, hero),
        within=thread.within,
        questions=questions,
    )


def _hex(colour: OKLab) -> str:
    return hexes(OKLab(colour[None]))[0]


def _bead_view(bead: Bead, names: "Names", hero: uuid.UUID | None) -> BeadView:
    name, short = names[bead.frame.id]
    shown = bead.shown if bead.shown is not None else bead.came
    return BeadView(
        frame=str(bead.frame.id),
        name=name,
        short=short,
        came=_hex(bead.came),
        came_words=colour_name(bead.came),
        shown=_hex(shown) if bead.shown is not None else "",
        shown_words=colour_name(shown),
        words=bead.words,
        off="" if bead.off is None else f"{bead.off:.1f}",
        stands_out=bead.stands_out,
        hero=bead.frame.id == hero,
    )


@dataclass(frozen=True)
class OnTile:
    """A thread on a tile of a wall: how it is off, and where in what is seen of the frame, in a box of its size.

    place : none where a cut leaves it out
    """

    words: str
    off: float
    stands_out: bool
    place: tuple[float, float] | None
    size: tuple[float, float]


@dataclass(frozen=True)
class OnWall:
    """A thread on a wall: in short, its beads, those that stand out, and what tiles show of it by frame."""

    chosen: Item
    beads: list[BeadView]
    standing_out: list[tuple[str, str]]
    tiles: dict[str, OnTile]


Names = dict[uuid.UUID, tuple[str, str]]
"""Names of frames, and in short."""


def on_wall(bench: Workbench, seen: SeriesSeen, thread: Thread, names: Names) -> OnWall:
    """A thread through the frames of a wall."""
    (strip,) = strips(bench, seen, [thread])
    tiles = {}
    for bead in strip.beads:
        frame = bead.frame
        index = seen.facts.index_of(frame.id)
        plan = seen.plan(bench, index) if index is not None else UNTOUCHED
        placing = plan.placed((frame.width, frame.height))
        x, y = (float(v[0]) for v in placing.seen(*(np.array([v]) for v in bead.place.grown.outline.middle)))
        place = (x, y) if 0 <= x <= 1 and 0 <= y <= 1 else None
        scale = 1000 / placing.size[0]
        tiles[str(frame.id)] = OnTile(
            words=bead.words,
            off=bead.off or 0.0,
            stands_out=bead.stands_out,
            place=None if place is None else (1000 * place[0], scale * placing.size[1] * place[1]),
            size=(1000.0, scale * placing.size[1]),
        )
    return OnWall(item_of(strip, seen.hero), _beads(strip, names, seen), _standing_out(strip, names), tiles)


def named(frames: Sequence[tuple[uuid.UUID, str]]) -> Names:
    """Frames by their ids with what they are called."""
    short = short_names([name for _, name in frames])
    return {frame: (name, brief) for (frame, name), brief in zip(frames, short, strict=True)}


def _beads(strip: Strip, names: Names, seen: SeriesSeen) -> list[BeadView]:
    views = [_bead_view(bead, names, seen.hero) for bead in strip.beads]
    numbers = {setup: place for place, setup in enumerate(dict.fromkeys(f.setup for f in seen.facts.firsts), start=1)}
    runs = [list(run) for _, run in groupby(range(len(views)), key=lambda index: strip.beads[index].frame.setup)]
    for run in runs if len(runs) > 1 else []:
        off = [bead.off for index in run if (bead := strip.beads[index]).off is not None]
        apart = f"{sum(off) / len(off):.1f} apart here" if off else ""
        setup = f"set-up {numbers[strip.beads[run[0]].frame.setup]}"
        views[run[0]] = replace(views[run[0]], setup=setup, setup_apart=apart)
    return views


def _standing_out(strip: Strip, names: Names) -> list[tuple[str, str]]:
    return [(names[bead.frame.id][0], bead.words) for bead in strip.standing_out]


def chosen_of(found: list[Thread], wanted: str) -> Thread | None:
    """The thread in hand: the one asked for, or the first that a person began; none while another one is begun."""
    if wanted == NEW:
        return None
    asked = next((one for one in found if str(one.id) == wanted), None)
    return asked or next((one for one in found if one.kind != "complexion"), None)


def _glimpse(thread: Thread) -> Thread:
    """A thread in a few of its frames: enough to know it by, where nobody looks at it."""
    return replace(thread, places=dict(evenly(list(thread.places.items()), _GLIMPSED)))


def _seen(session: Session, series: Series, show: str) -> tuple[SeriesSeen, str, list[wall_states.StateChoice]]:
    facts = series_facts(session, series)
    state = carrying.carry_state(session, series, facts)
    key = show or wall_states.usual_state(state)
    wanted = wall_states.state_of(session, series, facts, key)
    return SeriesSeen(facts, wanted.aims, wanted.show, series.hero_id), key, wall_states.choices(state)


def board_of(context: Context, slug: str, shown: ThreadsQuery) -> dict[str, Any]:
    """Values of the screen of threads."""
    bench = context.studio.bench
    with context.session() as session:
        series = find_series(session, slug)
        seen, key, choices = _seen(session, series, shown.show)
        found = sorted(threads.threads_of(session, series.id), key=lambda thread: thread.kind == "complexion")
        asked, follow_due = questions_of(session, series.id), series.follow_due
        labels, light_due = labels_of(session, series), series.light_due
        past = steps(session, subject_of(series))
    chosen = chosen_of(found, shown.thread)
    whole = {one.id for one in found if one is chosen or one.kind != "complexion" or not is_long(seen.facts)}
    measured = strips(bench, seen, [one if one.id in whole else _glimpse(one) for one in found])
    strip = next((one for one in measured if chosen is not None and one.thread.id == chosen.id), None)
    beads = {bead.frame.id: bead for bead in strip.beads} if strip else {}
    many = Counter(question.thread for question in asked)
    own = [question for question in asked if chosen is not None and question.thread == chosen.id]
    firsts = [index for index, frame in enumerate(seen.facts) if frame.id == frame.first]
    start = shown.start // PAGE * PAGE
    page = set(firsts[start : start + PAGE])
    about = {question.frame for question in own} | (set(chosen.places) if chosen and own else set())
    plans = {i: seen.uncut(bench, i) for i in firsts if i in page or seen.facts[i].id in about}
    bench.plans.keep(*plans.values())
    tiles: list[tuple[str, ThreadTile | None]] = []
    for index in firsts:
        frame, tile = seen.facts[index], None
        if index in page:
            place, bead = chosen.places.get(frame.id) if chosen else None, beads.get(frame.id)
            src = picture_address(slug, frame.id, plans[index].key, _EDGES[shown.size])
            tile = _tile(frame, labels[frame.id].name, src, place, bead)
        tiles.append((str(frame.id), tile))
    names = named([(frame.id, labels[frame.id].name) for frame in seen.facts.firsts])
    pictured = Pictured(slug, seen.facts, {seen.facts[i].id: plan.key for i, plan in plans.items()}, names)
    return {
        "slug": slug,
        "items": [
            one if by.id in whole else replace(one, frames=len(by.places), apart=None, was=None)
            for by, strip in zip(found, measured, strict=True)
            for one in (item_of(strip, seen.hero, many[by.id]),)
        ],
        "page_size": PAGE,
        "paged": False,
        "asking": _asking(chosen, own, pictured),
        "follow_due": follow_due,
        "chosen": item_of(strip, seen.hero) if strip else None,
        "summary": summary_of(measured),
        "tiles": tiles,
        "beads": _beads(strip, names, seen) if strip else [],
        "standing_out": _standing_out(strip, names) if strip else [],
        "choices": choices,
        "show": key,
        "light_due": light_due,
        "size": shown.size,
        "goals": list(GOALS.items()),
        "usual_within": WITHIN,
        "undo_words": undo_words(past),
        "redo_words": redo_words(past),
    }


@dataclass(frozen=True)
class Pictured:
    """Frames of a series with the keys of what is done to them where they are shown, and their names."""

    slug: str
    facts: Facts
    keys: dict[uuid.UUID, str]
    names: Names

    def crop(self, frame_id: uuid.UUID, outline: Outline) -> Crop | None:
        """A part of a frame about an outline; none where the frame is not shown."""
        index = self.facts.index_of(frame_id)
        if index is None or frame_id not in self.keys:
            return None
        src = picture_address(self.slug, frame_id, self.keys[frame_id], _LARGE)
        return crop_of(self.facts[index], self.names[frame_id][0], src, outline)


def _asking(thread: Thread | None, asked: Sequence[Question], pictured: Pictured) -> Asking | None:
    """What is asked of the thread in hand, beside it as a person has seen it; none where nothing is asked."""
    if thread is None or not asked:
        return None
    seen = sorted(thread.places.values(), key=lambda place: (place.found, pictured.facts.index_of(place.frame) or 0))
    known = next((crop for place in seen if (crop := pictured.crop(place.frame, place.grown.outline))), None)
    crops = [crop for question in asked if (crop := pictured.crop(question.frame, question.outline))]
    return Asking(known, crops) if known is not None and crops else None


def _tile(frame: FrameFacts, name: str, src: str, place: ThreadPlace | None, bead: Bead | None) -> ThreadTile:
    return ThreadTile(
        id=str(frame.id),
        name=name,
        src=src,
        height=1000 / frame.proportion,
        line=line_of(place.grown.outline, frame.proportion) if place else "",
        pointed=[(one.x, one.y, one.inside) for one in place.grown.pointed] if place else [],
        strokes=STROKES.dump_python(place.grown.strokes, mode="json") if place else [],
        choice=place.grown.choice if place else 0,
        words=bead.words if bead else "",
        stands_out=bead.stands_out if bead else False,
        found=place.found if place else False,
    )


def summary_of(measured: list[Strip]) -> str:
    """One line for a series: how many threads there are, and how far they are apart on the whole."""
    known = [strip.apart for strip in measured if strip.apart is not None]
    said = f"{len(measured)} thread{'' if len(measured) == 1 else 's'}"
    return f"{said}, {sum(known) / len(known):.1f} apart, as shown" if known else said
