"""A series as a whole: light evened set-up by set-up, statistics pooled, every frame planned and measured."""

from dataclasses import dataclass, field

import numpy as np

from nuvett.core.drift.drift import Drift, Yardstick, measure_drift
from nuvett.core.even.joint import MOST_TOGETHER, even_together
from nuvett.core.even.light import apply_gains
from nuvett.core.even.overlay import EvenLight, light_cloud, overlay
from nuvett.core.fit.plan import Aim, FramePlan, apply_plan, even_gains, plan_frame
from nuvett.core.fit.pooling import mix, pull_weights
from nuvett.core.fit.statistics import Statistics, measure, thin
from nuvett.core.look.look import Look, Trim
from nuvett.core.reading.sampling import SAMPLE_SIZE, colour_order
from nuvett.core.spaces.gamut import map_to_gamut
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.types import Linear, OKLab

_DRIFT_COLOURS = 2048
SERIES_BASE, HERO_BASE = "the middle of its set-up", "the hero"


def even_series(samples: list[Linear], setups: list[int], hero: int | None = None) -> list[EvenLight]:
    """Even light of each frame's sample (N, 3) to the base of its set-up.

    All frames of a set-up are aligned together; the hero stays as it is. A frame alone in its set-up stays.
    """
    clouds = [light_cloud(sample) for sample in samples]
    found: list[EvenLight] = [EvenLight(base=SERIES_BASE)] * len(samples)
    for number in sorted(set(setups)):
        members = [i for i, own in enumerate(setups) if own == number]
        if len(members) == 1:
            continue
        name = HERO_BASE if hero in members else SERIES_BASE
        chosen = _spread_out(members, hero)
        together = even_together([clouds[i] for i in chosen], name, chosen.index(hero) if hero in members else None)
        for i, light in zip(chosen, together.lights, strict=True):
            found[i] = light
        for i in set(members) - set(chosen):
            found[i] = overlay(clouds[i], together.base, name)
    return found


def _spread_out(members: list[int], hero: int | None) -> list[int]:
    """At most MOST_TOGETHER members, evenly spaced, the hero among them."""
    step = -(-len(members) // MOST_TOGETHER)
    chosen = members[::step]
    return chosen if hero not in members or hero in chosen else sorted([*chosen, hero])


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
        evened = [apply_gains(f.sample, np.array(even_gains(np.array(f.even.gains), look), np.float32)) for f in frames]
        numbers = [f.setup for f in frames]
        by_setup = {
            number: pool_samples([e for e, own in zip(evened, numbers, strict=True) if own == number])
            for number in sorted(set(numbers))
        }
        return cls([measure(linear_to_oklab(e)) for e in evened], by_setup, pool_samples(evened), numbers)

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
    return plan_frame(pools.pulled(index, look.pull / 100), aim, look, np.array(even.gains, np.float32), trim, faces)


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
