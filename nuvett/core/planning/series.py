"""A series as a whole: light evened set-up by set-up, statistics pooled, every frame planned and measured."""

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from functools import cache

import numpy as np

from nuvett.core.area.faces import FaceSeen
from nuvett.core.drift.drift import Drift, Yardstick, measure_drift
from nuvett.core.even.even_light import EvenLight
from nuvett.core.even.shared import Matched, Seen, match_seen
from nuvett.core.even.together import even_setup
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.measure.pooling import mix, pull_weights
from nuvett.core.measure.sampling import SAMPLE_SIZE, Sample, colour_order
from nuvett.core.measure.statistics import Statistics, measure, thin
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.framed import Seeing, framed
from nuvett.core.planning.planning import Fitting, Inside, evened, look_plan, plan_frame, trimmed
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.steps.step import Aim
from nuvett.core.types import Linear, OKLab

_DRIFT_COLOURS = 2048
SERIES_BASE, HERO_BASE = "the middle of its set-up", "the hero"


def even_series(frames: list[Seen], setups: list[int], hero: int | None = None) -> list[EvenLight]:
    """Even light of each frame to the base of its set-up, frames in shooting order; the hero stays as it is."""
    found: dict[int, EvenLight] = {}
    for number in dict.fromkeys(setups):
        members = [i for i, own in enumerate(setups) if own == number]
        found |= zip(members, even_members([frames[i] for i in members], _place(hero, members)), strict=True)
    return [found[i] for i in range(len(frames))]


def _place(hero: int | None, members: list[int]) -> int | None:
    return members.index(hero) if hero in members else None


def even_members(frames: list[Seen], hero: int | None, matched: Matched = match_seen) -> list[EvenLight]:
    """Even light of the frames of one set-up, in shooting order. matched : what two of them share"""
    return even_setup(frames, SERIES_BASE if hero is None else HERO_BASE, hero, matched)


def pooled_share(count: int) -> int:
    """How many colours each of so many samples gives to their pool."""
    return max(1, SAMPLE_SIZE // count)


def pool_samples(samples: Sequence[Linear]) -> Statistics:
    """Statistics of several evened samples together, each frame counting alike, whatever their order."""
    share = pooled_share(len(samples))
    in_order = sorted((thin(sample, share) for sample in samples), key=lambda few: few.tobytes())
    lab = linear_to_oklab(Linear(np.concatenate(in_order)))
    return measure(lab[colour_order(lab)])


@dataclass(frozen=True)
class Measured:
    """One frame made ready for planning: its sample as it came, its even light and its set-up.

    proportion : width over height
    """

    sample: Sample
    even: EvenLight
    setup: int
    proportion: float = 1.5


@dataclass(frozen=True)
class Pools:
    """Statistics of evened frames, by set-up and of the series; those of each by itself are asked for when needed."""

    setups: dict[int, Statistics]
    series: Statistics
    numbers: list[int]
    own: Callable[[int], Statistics]

    @classmethod
    def of(cls, frames: list[Measured], look: Look) -> "Pools":
        """Measure evened frames, with even light as strong as the look asks."""
        even = [evened(f.sample.colours, f.even, look) for f in frames]
        numbers = [f.setup for f in frames]
        by_setup = {
            number: pool_samples([e for e, own in zip(even, numbers, strict=True) if own == number])
            for number in sorted(set(numbers))
        }
        return cls(by_setup, pool_samples(even), numbers, cache(lambda index: evened_statistics(frames[index], look)))

    def pulled(self, index: int, pull: float) -> Statistics:
        """Statistics that frame `index` is fitted by, at a pull of 0 to 1."""
        series, setup, frame = pull_weights(pull)
        parts = [(self.series, series), (self.setups[self.numbers[index]], setup)]
        return mix([*parts, (self.own(index), frame)] if frame else parts)


def evened_statistics(frame: Measured, look: Look) -> Statistics:
    """Statistics of one evened frame, with even light as strong as the look asks."""
    return measure(linear_to_oklab(evened(frame.sample.colours, frame.even, look)))


@dataclass(frozen=True)
class Own:
    """What is a frame's own beside its colours: even light, trim, faces, seed of grain, colours in areas."""

    even: EvenLight
    trim: Trim = field(default_factory=Trim)
    faces: tuple[FaceSeen, ...] = ()
    seed: int = 0
    inside: Inside = field(default=lambda _: None)


@dataclass(frozen=True)
class SeriesRun:
    """A series under a look: every frame planned by the same pools, wherever that happens; no aim without a target."""

    pools: Pools
    aim: Aim | None
    look: Look

    def fitting(self, index: int, own: Own) -> Fitting:
        """What one frame is planned by, pooled as the look's pull asks."""
        pooled = self.pools.pulled(index, self.look.pull / 100)
        return Fitting(pooled, self.aim, self.look, own.even, own.faces, own.seed, own.inside)

    def plan(self, index: int, own: Own) -> FramePlan:
        """Plan of one frame."""
        fitting = self.fitting(index, own)
        return trimmed(look_plan(fitting), self.look, own.trim, lambda: fitting)

    def shared(self) -> FramePlan:
        """The part of the look that all frames share (pull 0, no even light): what a lookup table can carry."""
        return plan_frame(self.pools.series, self.aim, self.look)


def shooting_order(taken: Sequence[datetime | None], names: Sequence[str]) -> list[int]:
    """Indices of frames in shooting order: by time where all have one, then by name, numbers in it as numbers."""
    timed = all(moment is not None for moment in taken)

    def key(index: int) -> tuple[object, ...]:
        moment = taken[index] if timed else None
        return (moment.timestamp() if moment else 0.0, natural(names[index]), index)

    return sorted(range(len(names)), key=key)


def natural(name: str) -> list[tuple[int, int, str]]:
    """Sort key of a name that puts 9 before 10."""
    parts = re.findall(r"\d+|\D+", name.lower())
    return [(0, int(part), "") if part.isdecimal() and part.isascii() else (1, 0, part) for part in parts]


def seed_of(digest: str) -> int:
    """Seed of a frame's grain, from the SHA-256 of its file in hexadecimal."""
    return int(digest[:8], 16)


def finished_cloud(plan: FramePlan, sample: Sample, seeing: Seeing) -> OKLab:
    """OKLab cloud (N, 3) of what is seen of a frame, as it will be seen in sRGB."""
    return framed(plan, sample, seeing, _DRIFT_COLOURS).finished(plan)


def plain_cloud(sample: Sample) -> OKLab:
    """OKLab cloud (N, 3) of a frame as it came."""
    return linear_to_oklab(sample.thinned(_DRIFT_COLOURS).colours)


def drift_of(plan: FramePlan | None, sample: Sample, seeing: Seeing, yardstick: Yardstick) -> Drift:
    """Drift of a frame from the target, under a plan or as it came."""
    return measure_drift(plain_cloud(sample) if plan is None else finished_cloud(plan, sample, seeing), yardstick)
