"""A series seen as a set: every frame under the look, with its measures; and the frames most worth proofing."""

from collections.abc import Collection, Hashable, Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import cached_property
from uuid import UUID

import numpy as np

from nuvett.core.computation import COMPUTATION
from nuvett.core.drift.drift import outliers, spread_of
from nuvett.core.evenly import evenly
from nuvett.core.look.trim import Trim
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.proofs import features_of, most_different
from nuvett.core.planning.summary import SUMMARY, Summary
from nuvett.core.steps.even import EvenStep
from nuvett.core.types import Document
from nuvett.services.engine.facts import Aimed, Facts, FrameFacts, digest
from nuvett.services.engine.workbench import Workbench

PROOFS = 6
_LOOKED_AT = 120  # frames of a long series that proofs are chosen from
_AT_ONCE = 12  # frames that are worked out before they are kept, so that others see them soon
_PROBED = 24  # frames by which it is told whether anything of a long series is known under a look


class Show(StrEnum):
    """What a wall shows of each frame."""

    ORIGINAL = "original"
    EVENED = "evened"
    LOOK = "look"


class ShownFrame(Document):
    """What is shown of a frame in a state: the key of its plan, empty as it came, and what stands beside it."""

    plan: str
    summary: Summary


ShownPairs = tuple[list[ShownFrame | None], list[ShownFrame | None]]
"""What is known of each frame as it came and as it is shown; none where that is not worked out."""


@dataclass(frozen=True)
class WallItem:
    """One frame on the wall as it is shown and as it came; none while that is not worked out."""

    frame: FrameFacts
    shown: ShownFrame | None
    original: Summary | None
    outlier: bool = False

    @property
    def drift(self) -> float:
        return self.shown.summary.drift.value if self.shown and self.shown.summary.drift else 0.0


@dataclass(frozen=True)
class Wall:
    """All frames of a series in shooting order; what is said of all of them is said of those that are worked out.

    drift : mean as they came and as shown, none without a target; spread : likewise, of all frames
    """

    items: list[WallItem]
    drift: tuple[float, float] | None
    spread: tuple[float, float]

    @property
    def missing(self) -> int:
        """How many frames are not worked out yet."""
        return sum(item.shown is None or item.original is None for item in self.items)


Aims = Aimed | Sequence[Aimed | None] | None
"""A look that all frames are seen under, one for each, or none."""


def shown_plan(bench: Workbench, frames: Facts, index: int, aimed: Aimed | None, show: Show) -> FramePlan | None:
    """The plan that a frame is shown under."""
    if show is Show.ORIGINAL or aimed is None:
        return bench.planner.as_came(frames[index])
    if show is Show.EVENED:
        return bench.planner.evened(frames[index], aimed.look)
    return bench.planner.plan(frames, index, aimed)


@dataclass(frozen=True)
class WallRequest:
    """What is asked of a wall: how each frame is shown, by the names of all that it depends on."""

    bench: Workbench
    frames: Facts
    aims: Sequence[Aimed | None]
    show: Show

    @classmethod
    def of(cls, bench: Workbench, frames: Facts, aims: Aims, show: Show) -> "WallRequest":
        each = [aims] * len(frames) if aims is None or isinstance(aims, Aimed) else list(aims)
        return cls(bench, frames, each, show)

    @cached_property
    def _looks(self) -> Hashable:
        return tuple((aimed.key, aimed.version) if aimed else None for aimed in self.aims)

    def is_same(self, other: "WallRequest") -> bool:
        """Whether another is of the very same facts, seen in the same way."""
        return self.frames is other.frames and self.show is other.show and self._looks == other._looks

    @cached_property
    def names(self) -> tuple[list[str], list[str]]:
        """Names of what each frame is as it came, and as it is shown."""
        return self._named(Show.ORIGINAL), self._named(self.show)

    def _named(self, show: Show) -> list[str]:
        each = range(len(self.frames))
        return self.frames.named.get((show, self._looks), lambda: [self._name(index, show) for index in each])

    def missing(self) -> list[int]:
        """Indices of frames that are not worked out yet."""
        return _lacking(self._of(self._known()))

    def _known(self) -> dict[str, ShownFrame]:
        came, shown = self.names
        return self.bench.lasting.find(ShownFrame, {*came, *shown})

    def _name(self, index: int, show: Show) -> str:
        """Names all that is shown of a frame: what its plan depends on, what it is measured against, and how."""
        frame, aimed, how = self.frames[index], self.aims[index], (COMPUTATION, SUMMARY)
        if show is Show.LOOK and aimed is not None:
            return f"look {COMPUTATION} {SUMMARY} {self.bench.planner.name(self.frames, index, aimed)}"
        target = aimed.on(frame).target_key if aimed else ""
        if show is Show.ORIGINAL or aimed is None:
            return digest("came", how, frame.sample_key, frame.trim.geometry.model_dump_json(), target)
        even = aimed.look.step(EvenStep)
        return digest("evened", how, frame.key, even.is_idle, even.amount, even.white, target)

    def _is_new(self, now: Collection[int]) -> bool:
        """Whether nothing is known of frames beside some, as right after a change of the look: some others tell.

        To name thousands and to ask for them takes as long as to work out a page.
        """
        others = [index for index in range(len(self.frames)) if index not in now]
        if len(others) <= 2 * _PROBED:
            return False
        probed = {*others[:_PROBED], *evenly(others, _PROBED)}
        return not self.bench.lasting.find(ShownFrame, {self._name(index, self.show) for index in probed})

    def _of(self, found: Mapping[str, ShownFrame]) -> ShownPairs:
        came, shown = self.names
        return [found.get(name) for name in came], [found.get(name) for name in shown]

    def work_out(self, indices: Sequence[int]) -> dict[str, ShownFrame]:
        """Plan and measure what is not known of some frames, and keep what is found for every process.

        Returns what is known of them, by name.
        """
        told: dict[str, ShownFrame] = {}
        # One after the other: these are many small array steps, which threads only slow down.
        for start in range(0, len(indices), _AT_ONCE):
            asked = {
                self._name(index, show): (index, show)
                for show in (Show.ORIGINAL, self.show)
                for index in indices[start : start + _AT_ONCE]
            }
            known = self.bench.lasting.find(ShownFrame, asked)
            made = {name: self._made(*what) for name, what in asked.items() if name not in known}
            self.bench.plans.keep(*(plan for _, plan in made.values()))
            found = {name: shown for name, (shown, _) in made.items()}
            self.bench.lasting.keep(found)
            told |= known | found
        return told

    def _made(self, index: int, show: Show) -> tuple[ShownFrame, FramePlan | None]:
        frame, aimed = self.frames[index], self.aims[index]
        plan = shown_plan(self.bench, self.frames, index, aimed, show)
        summary = self.bench.measures.summary(frame, plan, aimed)
        return ShownFrame(plan=plan.key if plan else "", summary=summary), plan

    def known_once(self, now: Collection[int] | None) -> ShownPairs:
        """What is known of each frame as it came and as it is shown, once what is missing of some is worked out.

        now : their indices, none for all
        """
        if now is not None and self._is_new(now):
            told, each = self.work_out(sorted(now)), range(len(self.frames))
            came, shown = (
                [told.get(self._name(index, show)) if index in now else None for index in each]
                for show in (Show.ORIGINAL, self.show)
            )
            return came, shown
        found = self._known()
        due = [index for index in _lacking(self._of(found)) if now is None or index in now]
        return self._of(found | self.work_out(due))


def _lacking(found: ShownPairs) -> list[int]:
    return [index for index, pair in enumerate(zip(*found, strict=True)) if None in pair]


def build_wall(bench: Workbench, frames: Facts, aims: Aims, show: Show, now: Collection[int] | None = None) -> Wall:
    """What is shown of every frame: what is known, and what is missing of some frames, of all by default.

    now : indices of the frames that are worked out if they are not known
    """
    came, shown = WallRequest.of(bench, frames, aims, show).known_once(now)
    bench.plans.mark_seen(one.plan for one in (*came, *shown) if one)
    pairs = zip(frames, shown, came, strict=True)
    items = [WallItem(frame, one, original.summary if original else None) for frame, one, original in pairs]
    whole = [item for item in items if item.frame.id == item.frame.first]  # a variant is no second frame of the set
    measured = [item for item in whole if item.shown and item.shown.summary.drift]
    # What stands out among a few does not do so among all.
    known = all(item.shown for item in whole)
    flags = zip(measured, outliers([item.drift for item in measured]), strict=True) if known else ()
    standing_out = {item.frame.id for item, flag in flags if flag}
    items = [replace(item, outlier=item.frame.id in standing_out) for item in items]
    both = [(item.original, item.shown.summary) for item in whole if item.original and item.shown]
    return Wall(items, mean_drift(both), (spread_of([a.form for a, _ in both]), spread_of([b.form for _, b in both])))


def mean_drift(pairs: Sequence[tuple[Summary, Summary]]) -> tuple[float, float] | None:
    """Mean drift of frames as they came and as shown; frames without a target left out."""
    found = [(came.drift.value, shown.drift.value) for came, shown in pairs if came.drift and shown.drift]
    before, shown = np.mean(found, axis=0) if found else (0.0, 0.0)
    return (float(before), float(shown)) if found else None


def choose_proofs(bench: Workbench, frames: Facts, chosen: tuple[UUID, ...] = (), count: int = PROOFS) -> list[int]:
    """Indices of the frames that were chosen, else of the most different ones; variants are left out.

    Of a long series evenly spaced frames are looked at.
    """
    picked = [i for i, frame in enumerate(frames) if frame.id in chosen]
    if picked:
        return picked
    firsts = [i for i, frame in enumerate(frames) if frame.id == frame.first]
    tried = evenly(firsts, _LOOKED_AT)
    looked = Facts(replace(frames[i], trim=Trim()) for i in tried)
    came, _ = WallRequest.of(bench, looked, None, Show.ORIGINAL).known_once(None)
    features = np.array([features_of(one.summary.marks, one.summary.cast) for one in came if one])
    return [tried[place] for place in most_different(features, count)]
