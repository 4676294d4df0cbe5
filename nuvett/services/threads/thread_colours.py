"""Threads measured: their colours in each frame as it came, evened and as shown, and how far they are off."""

import uuid
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from nuvett.core.geometry.geometry import Geometry
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.planning import UNTOUCHED
from nuvett.core.thread.colours import STANDS_OUT, distance, goals, way_off
from nuvett.core.types import OKLab
from nuvett.services.engine.facts import Aimed, Facts, FrameFacts
from nuvett.services.engine.wall import Show, shown_plan
from nuvett.services.engine.workbench import Workbench
from nuvett.services.threads.threads import Thread, ThreadPlace


@dataclass(frozen=True)
class Bead:
    """A thread in one frame: OKLab colours (3,) as it came and as it is shown, and what it should be then.

    shown : none where a cut leaves too little of it; came_off, off : CIEDE2000 from what it should be, as it came
    and as shown; none where there is nothing to tell it by
    """

    frame: FrameFacts
    place: ThreadPlace
    came: OKLab
    shown: OKLab | None
    goal: OKLab | None
    came_off: float | None
    off: float | None

    @property
    def stands_out(self) -> bool:
        """Whether it is named for how far it is off."""
        return self.off is not None and self.off > STANDS_OUT

    @property
    def words(self) -> str:
        """How it is off: the distance, and in which way."""
        if self.shown is None:
            return "cut off"
        if self.off is None or self.goal is None:
            return ""
        return f"{self.off:.1f} {way_off(self.shown, self.goal)}".rstrip()


@dataclass(frozen=True)
class Strip:
    """A thread through the frames that it is seen in, in shooting order."""

    thread: Thread
    beads: tuple[Bead, ...]

    @property
    def apart(self) -> float | None:
        """Mean CIEDE2000 from what it should be, as shown; none where nothing is to be told.

        A thing that is seen once is told by nothing but a colour as given.
        """
        return _mean([bead.off for bead in self.beads]) if self.is_told else None

    @property
    def was(self) -> float | None:
        """The same as it came."""
        return _mean([bead.came_off for bead in self.beads]) if self.is_told else None

    @property
    def is_told(self) -> bool:
        """Whether there is something that tells what it should be."""
        return len(self.beads) > 1 or self.thread.goal.colour is not None

    @property
    def standing_out(self) -> tuple[Bead, ...]:
        """Those that are off most, the worst first."""
        return tuple(sorted((b for b in self.beads if b.stands_out), key=lambda bead: -(bead.off or 0)))

    @property
    def colour(self) -> OKLab | None:
        """A colour to know it by: what it should be, or as it is first seen."""
        first = next(iter(self.beads), None)
        return None if first is None else first.goal if first.goal is not None else first.came


def _mean(values: Sequence[float | None]) -> float | None:
    known = [value for value in values if value is not None]
    return float(np.mean(known)) if known else None


@dataclass(frozen=True)
class SeriesSeen:
    """Frames of a series as a wall shows them; hero : which of them is the hero."""

    facts: Facts
    aims: Sequence[Aimed | None]
    show: Show
    hero: uuid.UUID | None

    def plan(self, bench: Workbench, index: int) -> FramePlan:
        """What is done to a frame."""
        return shown_plan(bench, self.facts, index, self.aims[index], self.show) or UNTOUCHED

    def uncut(self, bench: Workbench, index: int) -> FramePlan:
        """The same where the file has it, as places are pointed at."""
        return self.plan(bench, index).model_copy(update={"geometry": Geometry(), "lens": None})


def strips(bench: Workbench, seen: SeriesSeen, threads: Sequence[Thread]) -> list[Strip]:
    """Threads through the frames of a series."""
    wanted = {frame for thread in threads for frame in thread.places}
    frames = [
        (frame, seen.plan(bench, index))
        for index, frame in enumerate(seen.facts)
        if frame.id in wanted and frame.id == frame.first
    ]
    return [strip_of(bench, thread, frames, seen.hero) for thread in threads]


def strip_of(
    bench: Workbench, thread: Thread, frames: Sequence[tuple[FrameFacts, FramePlan]], hero: uuid.UUID | None
) -> Strip:
    """A thread through frames, each under a plan. hero : which of them is the hero."""
    beads = []
    for frame, plan in frames:
        place = thread.places.get(frame.id)
        if place is None:
            continue
        key, colours = place.key, place.grown.colours
        came = bench.planner.colour_of_place(frame, UNTOUCHED, key, colours)
        if came is not None:
            shown = bench.planner.colour_of_place(frame, plan, key, colours)
            beads.append(Bead(frame, place, came, shown, None, None, None))
    setups = [bead.frame.setup for bead in beads]
    on_hero = next((i for i, bead in enumerate(beads) if bead.frame.id == hero), None)
    before = goals(thread.goal, [bead.came for bead in beads], setups, on_hero)
    after = goals(thread.goal, [bead.shown for bead in beads], setups, on_hero)
    made = [
        replace(bead, goal=goal, came_off=_off(bead.came, first), off=_off(bead.shown, goal))
        for bead, first, goal in zip(beads, before, after, strict=True)
    ]
    return Strip(thread, tuple(made))


def _off(colour: OKLab | None, goal: OKLab | None) -> float | None:
    return None if colour is None or goal is None else distance(colour, goal)
