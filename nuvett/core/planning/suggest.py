"""A pull suggested for a series, by what it gains in drift and costs in difference between frames' transforms."""

from collections.abc import Mapping, Sequence

import numpy as np
from pydantic import Field

from nuvett.core.drift.drift import Yardstick, distance
from nuvett.core.evenly import evenly
from nuvett.core.look.look import Look
from nuvett.core.plan.apply import apply_plan
from nuvett.core.planning.framed import Seeing
from nuvett.core.planning.series import Measured, Own, Pools, SeriesRun, finished_cloud
from nuvett.core.steps.step import Aim
from nuvett.core.types import Document, Linear, OKLab

PULLS = (0, 20, 40, 60, 80, 100)
_MAX_FRAMES = 12
_BENDING_COST = 0.22  # drift that a frame must gain for each hundredth of OKLab its transform leaves the shared one
_UNSEEN = 0.02  # of that cost


class PullTrial(Document):
    """One pull tried: mean drift, and how far frames' transforms are from the shared one, both in OKLab times 100."""

    pull: int
    drift: float
    bending: float


class PullSuggestion(Document):
    """The pull with the least drift plus cost of bending, and what was tried."""

    pull: int = Field(ge=0, le=100)
    trials: tuple[PullTrial, ...]

    @property
    def words(self) -> str:
        """The reason in one sentence: gains of drift, which trims, crops and areas change alike at every pull."""
        chosen, none, all_ = (next(t for t in self.trials if t.pull == p) for p in (self.pull, 0, 100))
        start = f"{self.pull} % is suggested"
        if self.pull == 0:
            gain = max(0.0, none.drift - all_.drift)
            return f"{start}: individual fit would bring frames only {gain:.1f} nearer to the target."
        nearer = max(0.0, none.drift - chosen.drift)
        start = f"{start}: frames come {nearer:.1f} nearer to the target than if all were treated alike"
        if self.pull == 100:
            return f"{start}."
        further, more = all_.bending / max(chosen.bending, 0.05), max(0.0, chosen.drift - all_.drift)
        return (
            f"{start}; 100 % would gain another {more:.1f}, but treat them {further:.1f} times as differently from "
            "each other."
        )


def tried_frames(count: int) -> Sequence[int]:
    """Indices of the frames of a series of so many that pulls are tried on: evenly spaced."""
    return evenly(range(count), _MAX_FRAMES)


def suggest_pull(frames: Mapping[int, Measured], pools: Pools, aim: Aim, look: Look) -> PullSuggestion:
    """Try pulls on some frames of a series, by their indices, and take the one of least drift plus bending.

    Of some that nobody could tell apart it is the smallest.
    """
    yardstick = Yardstick.of(OKLab(np.asarray(aim.statistics.cloud)))
    shared = SeriesRun(pools, aim, look).shared()
    trials = []
    for pull in PULLS:
        drifts, bends = [], []
        for index, frame in frames.items():
            pulled = look.model_copy(update={"pull": float(pull)})
            plan = SeriesRun(pools, aim, pulled).plan(index, Own(frame.even)).without_layers()
            drifts.append(distance(finished_cloud(plan, frame.sample, Seeing(frame.proportion)), yardstick))
            colours = Linear(frame.sample.colours[::16])
            alike = shared.with_group(plan.group("light"))
            apart = apply_plan(plan, colours) - apply_plan(alike, colours)
            bends.append(float(np.linalg.norm(apart, axis=1).mean() * 100))
        trials.append(PullTrial(pull=pull, drift=float(np.mean(drifts)), bending=float(np.mean(bends))))
    costs = [trial.drift + _BENDING_COST * trial.bending for trial in trials]
    best = next(trial for trial, cost in zip(trials, costs, strict=True) if cost <= min(costs) + _UNSEEN)
    return PullSuggestion(pull=best.pull, trials=tuple(trials))
