"""A series as a whole: light evened set-up by set-up, statistics pooled, every frame planned and measured."""

from dataclasses import dataclass, field

import numpy as np

from nuvett.core.drift.drift import Drift, Yardstick, measure_drift
from nuvett.core.even.even_light import EvenLight
from nuvett.core.even.shared import Seen
from nuvett.core.even.together import even_setup
from nuvett.core.fit.plan import Aim, FramePlan, apply_plan, evened, plan_frame
from nuvett.core.fit.pooling import mix, pull_weights
from nuvett.core.fit.statistics import Statistics, measure, thin
from nuvett.core.look.look import Look, Trim
from nuvett.core.reading.sampling import SAMPLE_SIZE, colour_order
from nuvett.core.spaces.gamut import map_to_gamut
from nuvett.core.spaces.oklab import linear_to_oklab
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


def even_members(frames: list[Seen], hero: int | None) -> list[EvenLight]:
    """Even light of the frames of one set-up, in shooting order."""
    return even_setup(frames, SERIES_BASE if hero is None else HERO_BASE, hero)


def pool_samples(samples: list[Linear]) -> Statistics:
    """Statistics of several evened samples together, each frame counting alike, whatever their order."""
    share = max(1, SAMPLE_SIZE // len(samples))
    in_order = sorted(samples, key=lambda sample: sample[:64].tobytes())
    lab = linear_to_oklab(np.concatenate([thin(sample, share) for sample in in_order]))
    return measure(lab[colour_order(lab)])


@dataclass(frozen=True)
class Measured:
    """One frame made ready for planning: its sample (N, 3) as it came, its even light and its set-up."""

    sample: Linear
    even: EvenLight
    setup: int


@dataclass(frozen=True)
class Pools:
    """Statistics of evened frames: each by itself, by set-up and of the series."""

    frames: list[Statistics]
    setups: dict[int, Statistics]
    series: Statistics
    numbers: list[int] = field(default_factory=list)

    @classmethod
    def of(cls, frames: list[Measured], look: Look) -> "Pools":
        """Measure evened frames, with even light as strong as the look asks."""
        even = [evened(f.sample, f.even, look) for f in frames]
        numbers = [f.setup for f in frames]
        by_setup = {
            number: pool_samples([e for e, own in zip(even, numbers, strict=True) if own == number])
            for number in sorted(set(numbers))
        }
        return cls([measure(linear_to_oklab(e)) for e in even], by_setup, pool_samples(even), numbers)

    def pulled(self, index: int, pull: float) -> Statistics:
        """Statistics that frame `index` is fitted by, at a pull of 0 to 1."""
        series, setup, frame = pull_weights(pull)
        return mix([(self.series, series), (self.setups[self.numbers[index]], setup), (self.frames[index], frame)])


def plan_in_series(
    pools: Pools,
    index: int,
    even: EvenLight,
    aim: Aim,
    look: Look,
    trim: Trim | None = None,
    faces: Linear | None = None,
) -> FramePlan:
    """Plan of one frame of a series, pooled as the look's pull asks; other arguments as in `plan_frame`."""
    return plan_frame(pools.pulled(index, look.pull / 100), aim, look, even, trim, faces)


def plan_shared(pools: Pools, aim: Aim, look: Look) -> FramePlan:
    """The part of a look that all frames share (pull 0, no even light): what a lookup table can carry."""
    return plan_frame(pools.series, aim, look)


def finished_cloud(plan: FramePlan, sample: Linear) -> OKLab:
    """OKLab cloud (N, 3) of a frame as it will be seen, mapped into sRGB."""
    return linear_to_oklab(map_to_gamut(apply_plan(plan, thin(sample, _DRIFT_COLOURS))))


def plain_cloud(sample: Linear) -> OKLab:
    """OKLab cloud (N, 3) of a frame as it came."""
    return linear_to_oklab(thin(sample, _DRIFT_COLOURS))


def drift_of(plan: FramePlan | None, sample: Linear, yardstick: Yardstick) -> Drift:
    """Drift of a frame from the target, under a plan or as it came."""
    return measure_drift(plain_cloud(sample) if plan is None else finished_cloud(plan, sample), yardstick)
