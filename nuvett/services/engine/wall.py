"""A series seen as a set: every frame under the look, with its measures; and the frames most worth proofing."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from uuid import UUID

import numpy as np

from nuvett.core.drift.drift import outliers, spread_of
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.proofs import features_of, most_different
from nuvett.core.types import OKLab
from nuvett.services.engine.facts import Aimed, Facts, FrameFacts
from nuvett.services.engine.measures import Summary
from nuvett.services.engine.workbench import Workbench

PROOFS = 6


class Show(StrEnum):
    """What a wall shows of each frame."""

    ORIGINAL = "original"
    EVENED = "evened"
    LOOK = "look"


@dataclass(frozen=True)
class WallItem:
    """One frame on the wall: the plan it is shown under (none: as it came), its measures, and those of the original."""

    frame: FrameFacts
    plan: FramePlan | None
    summary: Summary
    original: Summary
    outlier: bool = False

    @property
    def drift(self) -> float:
        return self.summary.drift.value if self.summary.drift else 0.0


@dataclass(frozen=True)
class Wall:
    """All frames of a series in shooting order; what is said of all of them is said of those with a drift.

    drift : mean as they came and as shown, none without a target; spread : likewise, of all frames
    """

    items: list[WallItem]
    drift: tuple[float, float] | None
    spread: tuple[float, float]


Aims = Aimed | Sequence[Aimed | None] | None
"""A look that all frames are seen under, one for each, or none."""


def shown_plan(bench: Workbench, frames: Facts, index: int, aimed: Aimed | None, show: Show) -> FramePlan | None:
    """The plan that a frame is shown under."""
    if show is Show.ORIGINAL or aimed is None:
        return bench.planner.as_came(frames[index])
    if show is Show.EVENED:
        return bench.planner.evened(frames[index], aimed.look)
    return bench.planner.plan(frames, index, aimed)


def build_wall(bench: Workbench, frames: Facts, aims: Aims, show: Show) -> Wall:
    """Plan and measure every frame; what was measured before is taken from memory."""
    each = [aims] * len(frames) if aims is None or isinstance(aims, Aimed) else list(aims)
    plans = [shown_plan(bench, frames, index, aimed, show) for index, aimed in enumerate(each)]
    bench.plans.keep(*plans)
    # One after the other: these are many small array steps, which threads only slow down.
    items = [_item(bench, frame, plan, aimed) for frame, plan, aimed in zip(frames, plans, each, strict=True)]
    firsts = [item for item in items if item.frame.id == item.frame.first]  # a variant is no second frame of the set
    measured = [item for item in firsts if item.summary.drift]
    flags = zip(measured, outliers([item.drift for item in measured]), strict=True)
    standing_out = {item.frame.id for item, flag in flags if flag}
    items = [replace(item, outlier=item.frame.id in standing_out) for item in items]
    came, shown = ([OKLab(one.cloud[::4]) for one in some] for some in _summaries(firsts))
    return Wall(items, mean_drift(items), (spread_of(came), spread_of(shown)))


def _summaries(items: Sequence[WallItem]) -> tuple[list[Summary], list[Summary]]:
    return [item.original for item in items], [item.summary for item in items]


def _item(bench: Workbench, frame: FrameFacts, plan: FramePlan | None, aimed: Aimed | None) -> WallItem:
    original = bench.measures.summary(frame, bench.planner.as_came(frame), aimed)
    return WallItem(frame, plan, bench.measures.summary(frame, plan, aimed) if plan else original, original)


def mean_drift(items: Sequence[WallItem]) -> tuple[float, float] | None:
    """Mean drift of frames, as they came and as shown; variants and frames without a target left out."""
    found = [
        (item.original.drift.value, item.summary.drift.value)
        for item in items
        if item.frame.id == item.frame.first and item.original.drift and item.summary.drift
    ]
    before, shown = np.mean(found, axis=0) if found else (0.0, 0.0)
    return (float(before), float(shown)) if found else None


def choose_proofs(bench: Workbench, frames: Facts, chosen: tuple[UUID, ...] = (), count: int = PROOFS) -> list[int]:
    """Indices of the frames that were chosen, else of the most different ones; variants are left out."""
    picked = [i for i, frame in enumerate(frames) if frame.id in chosen]
    if picked:
        return picked
    firsts = [i for i, frame in enumerate(frames) if frame.id == frame.first]
    summaries = [bench.measures.summary(frames[i], None, None) for i in firsts]
    features = np.array([features_of(one.marks, one.cloud) for one in summaries])
    return [firsts[place] for place in most_different(features, count)]
