"""What is seen of a frame: the colours of its sample inside the cut, where they lie there, and what layers weigh."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nuvett.core.area.weights import WeightMap
from nuvett.core.guided import encoded_luminance
from nuvett.core.measure.sampling import Sample
from nuvett.core.plan.apply import seen
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.spaces.rgb import from_linear
from nuvett.core.types import Encoded01, Floats, Linear, Mask01, OKLab

_EDGE = 6000  # pixels that the long edge of a frame is taken for, of which only proportions are known here
_MIN = 32


@dataclass(frozen=True)
class Seeing:
    """How a frame is looked at when it is measured.

    proportion : width over height of the whole frame; weights : of the layers of its plan
    """

    proportion: float = 1.5
    weights: tuple[WeightMap, ...] = ()


@dataclass(frozen=True)
class Framed:
    """Colours (N, 3) of a sample that are seen under a plan, as they came.

    places : (N, 2) shares of what is seen; proportion : its width over its height; weights : (N,) of each layer
    """

    colours: Linear
    places: Floats
    proportion: float
    weights: tuple[Mask01, ...]

    def finished(self, plan: FramePlan) -> OKLab:
        """OKLab colours (N, 3) as they will be seen in sRGB."""
        return seen(plan, self.colours, self.places, self.proportion, self.weights)


def framed(plan: FramePlan, sample: Sample, seeing: Seeing, count: int) -> Framed:
    """At most `count` colours of a frame that are seen under a plan. A cut too small for the sample leaves it whole."""
    sample, shown, proportion = _seen_of(plan, sample, seeing.proportion)
    few, places = sample.thinned(count), Sample(sample.colours, shown).thinned(count).places
    return Framed(few.colours, places, proportion, weights_at(seeing.weights, few))


def inside_cut(plan: FramePlan, sample: Sample, proportion: float) -> Sample:
    """What of a frame's sample is seen under a plan; all of it where a cut is too small for the sample."""
    return _seen_of(plan, sample, proportion)[0]


def _seen_of(plan: FramePlan, sample: Sample, proportion: float) -> tuple[Sample, Floats, float]:
    """What of a sample is seen under a plan, where in what is seen, and the proportion of that."""
    shown, inside, seen_proportion = places_seen(plan, sample.places, proportion)
    if _MIN <= int(inside.sum()) < len(inside):
        sample, shown = Sample(Linear(sample.colours[inside]), sample.places[inside]), shown[inside]
    return sample, shown, seen_proportion


def places_seen(plan: FramePlan, places: Floats, proportion: float) -> tuple[Floats, NDArray[np.bool_], float]:
    """Where places (N, 2) of a frame lie in what is seen of it, which (N,) are seen, and the proportion of that."""
    if not plan.is_placed:
        return places, np.ones(len(places), dtype=bool), proportion
    placing = plan.placed((round(_EDGE * min(1.0, proportion)), round(_EDGE * min(1.0, 1 / proportion))))
    shown = np.stack(placing.seen(places[:, 0], places[:, 1]), axis=1)
    inside = np.asarray(((shown >= 0) & (shown <= 1)).all(axis=1))
    return np.asarray(shown, dtype=np.float32), inside, placing.size[0] / placing.size[1]


def weights_at(maps: Sequence[WeightMap], sample: Sample) -> tuple[Mask01, ...]:
    """Weights (N,) of layers at the places of a sample."""
    if not maps:
        return ()
    x, y = (np.ascontiguousarray(sample.places[:, i])[None] for i in (0, 1))
    luminance = encoded_luminance(Encoded01(np.ascontiguousarray(from_linear(sample.colours)[None])))
    return tuple(one.at(x, y, luminance)[0] for one in maps)
