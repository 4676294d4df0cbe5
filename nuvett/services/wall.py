"""A series seen as a set: every frame under the look, with its measures; and the frames most worth proofing."""

from dataclasses import dataclass, replace
from enum import StrEnum
from uuid import UUID

import numpy as np

from nuvett.core.drift.drift import outliers, spread_of
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.types import OKLab
from nuvett.services.facts import Aimed, Facts, FrameFacts
from nuvett.services.measures import Summary
from nuvett.services.workbench import Workbench

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
    """All frames of a series in shooting order, with mean drift as they came and as shown, and their spread."""

    items: list[WallItem]
    drift_before: float
    drift_shown: float
    spread_before: float
    spread_shown: float


def shown_plan(bench: Workbench, frames: Facts, index: int, aimed: Aimed | None, show: Show) -> FramePlan | None:
    """The plan that a frame is shown under."""
    if show is Show.ORIGINAL or aimed is None:
        return bench.planner.as_came(frames[index])
    if show is Show.EVENED:
        return bench.planner.evened(frames[index], aimed.look)
    return bench.planner.plan(frames, index, aimed)


def build_wall(bench: Workbench, frames: Facts, aimed: Aimed | None, show: Show) -> Wall:
    """Plan and measure every frame; what was measured before is taken from memory."""
    if aimed is not None and show is Show.LOOK and frames:
        bench.planner.pools(frames, aimed.look)

    def work(index: int) -> WallItem:
        plan = shown_plan(bench, frames, index, aimed, show)
        original = bench.measures.summary(frames[index], bench.planner.as_came(frames[index]), aimed)
        summary = bench.measures.summary(frames[index], plan, aimed) if plan else original
        return WallItem(frames[index], plan, summary, original)

    bench.plans.keep(*(shown_plan(bench, frames, index, aimed, show) for index in range(len(frames))))
    # One after the other: these are many small array steps, which threads only slow down.
    items = [work(index) for index in range(len(frames))]
    firsts = [item for item in items if item.frame.id == item.frame.first]  # a variant is no second frame of the set
    if aimed is not None:
        standing_out = {
            item.frame.id for item, flag in zip(firsts, outliers([i.drift for i in firsts]), strict=True) if flag
        }
        items = [replace(item, outlier=item.frame.id in standing_out) for item in items]
    before = [item.original.drift.value for item in firsts if item.original.drift]
    return Wall(
        items,
        float(np.mean(before)) if before else 0.0,
        float(np.mean([item.drift for item in firsts])) if firsts else 0.0,
        spread_of([OKLab(item.original.cloud[::4]) for item in firsts]),
        spread_of([OKLab(item.summary.cloud[::4]) for item in firsts]),
    )


def choose_proofs(bench: Workbench, frames: Facts, chosen: tuple[UUID, ...] = (), count: int = PROOFS) -> list[int]:
    """Indices of the frames that were chosen, else of the most different ones.

    Those are found farthest-first on lightness and mean colour (Gonzalez 1985).
    """
    picked = [i for i, frame in enumerate(frames) if frame.id in chosen]
    if picked:
        return picked
    firsts = [i for i, frame in enumerate(frames) if frame.id == frame.first]
    if len(firsts) <= count:
        return firsts
    summaries = [bench.measures.summary(frames[i], None, None) for i in firsts]
    features = np.array([[*(m / 100 for m in s.marks), *(3 * s.cloud[:, 1:].mean(axis=0))] for s in summaries])
    found = [int(np.argmin(((features - features.mean(axis=0)) ** 2).sum(axis=1)))]
    gap = ((features - features[found[0]]) ** 2).sum(axis=1)
    while len(found) < count:
        found.append(int(gap.argmax()))
        gap = np.minimum(gap, ((features - features[found[-1]]) ** 2).sum(axis=1))
    return sorted(firsts[place] for place in found)
