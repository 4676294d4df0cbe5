"""Part to part: an area of a frame brought to what was read from a named part of a reference.

An area holds one kind of thing, a sky, a wall, a field of grass, and so does a part. Its colours are taken by their
middle and their deviation from it, in lightness and in tint: that leaves the thing its own modelling, needs no more
evidence than an area has, and arrives at the part's colour whatever else the two pictures show.
"""

import numpy as np

from nuvett.core.fit.tone import TONE_GRID
from nuvett.core.measure.statistics import ZONE_LIGHTNESS, Statistics, measure
from nuvett.core.plan.fitted import SpreadOperation, TintOperation, ToneOperation
from nuvett.core.plan.operation import Operation
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.types import Floats, Linear, Mask01, OKLab

_MIN_SHARE, _MIN = 0.004, 48
_TAKEN = 1024  # colours that stand for an area
_SPREADS = (0.6, 1.6)  # by which the contrast and the chroma of an area may be changed
_FARTHEST = 0.45  # OKLab lightness that an area may be carried


def statistics_inside(evened: Linear, weights: Mask01) -> Statistics | None:
    """Statistics of evened colours (N, 3) by their weights (N,) in an area; none where next to nothing lies in it."""
    total = float(weights.sum())
    if total < _MIN_SHARE * len(weights) or int((weights > 0.5).sum()) < _MIN:
        return None
    ends = np.cumsum(weights) / total
    taken = np.searchsorted(ends, (np.arange(_TAKEN) + 0.5) / _TAKEN).clip(0, len(weights) - 1)
    return measure(linear_to_oklab(Linear(evened[taken])))


def brought_to(own: Statistics, part: Statistics, amount: float) -> tuple[Operation, ...]:
    """Operations that bring an area to a part, by an amount of 0 to 1.5.

    own : statistics of the area as it comes to it
    """
    here, there = (_described(one) for one in (own, part))
    far = float(np.clip(there[0][0] - here[0][0], -_FARTHEST, _FARTHEST))
    harder, richer = (float(np.clip(b / a, *_SPREADS)) for a, b in zip(here[1], there[1], strict=True))
    line = here[0][0] + amount * far + (1 + amount * (harder - 1)) * (TONE_GRID - here[0][0])
    tint = here[0][1:] + amount * (there[0][1:] - here[0][1:])
    zones = np.ones((len(ZONE_LIGHTNESS), 1), dtype=np.float32)
    before, after = (zones * np.asarray(ab, dtype=np.float32) for ab in (here[0][1:], tint))
    same = np.eye(2, dtype=np.float32) * np.float32(1 + amount * (richer - 1))
    aim = (float(there[0][1]), float(there[0][2]))
    return (
        ToneOperation(curve=_rising(line, here[0][0])),
        TintOperation(before=before, after=after, aims=(aim, aim, aim)),
        SpreadOperation(about=after, matrix=zones * same.reshape(1, 4)),
    )


def _described(of: Statistics) -> tuple[OKLab, tuple[float, float]]:
    """Middle colour (3,), and deviations of lightness and of a and b about it."""
    cloud = np.asarray(of.cloud, dtype=np.float64)
    middle = np.median(cloud, axis=0)
    off = cloud - middle
    deviation = float(np.sqrt((off[:, 0] ** 2).mean())) + 4e-3
    about = float(np.sqrt((off[:, 1:] ** 2).sum(axis=1).mean())) + 4e-3
    return OKLab(middle.astype(np.float32)), (deviation, about)


def _rising(line: Floats, about: float) -> Floats:
    """A straight tone curve (129,) that is bent towards its ends, so that black and white stay where they are."""
    middle = float(np.interp(about, TONE_GRID, line))
    below, above = max(about, 1e-3), max(1 - about, 1e-3)
    slope = float(line[-1] - line[0])
    up = np.clip((TONE_GRID - about) / above, 0, 1)
    down = np.clip((about - TONE_GRID) / below, 0, 1)
    # From the middle on the line is followed first, and then what is left to the end.
    higher = middle + up * above * slope + up**3 * (1 - middle - above * slope)
    lower = middle - down * below * slope - down**3 * (middle - below * slope)
    made = np.where(about <= TONE_GRID, higher, lower).clip(0, 1)
    return np.asarray(np.maximum.accumulate(made), dtype=np.float32)
