"""Curves through points, and contrast about a pivot."""

from functools import lru_cache
from itertools import pairwise

import numpy as np
from scipy.interpolate import PchipInterpolator

from nuvett.core import lanes
from nuvett.core.quick import joined, planes_of
from nuvett.core.spaces.cielab import lightness_of_oklab, oklab_of_lightness
from nuvett.core.spaces.curves import SRGB_CURVE
from nuvett.core.spaces.oklab import TO_LINEAR, TO_OKLAB
from nuvett.core.types import Floats, OKLab

CurvePoint = tuple[float, float]
"""Value in and out, 0 to 100."""

Points = tuple[CurvePoint, ...]
STRAIGHT: Points = ((0.0, 0.0), (100.0, 100.0))
MAX_POINTS = 16
TABLE = 513
"""Points that curves are looked up from."""


def check_rising(points: Points) -> Points:
    """The points themselves, if a curve can go through them. Raises ValueError otherwise."""
    if not 2 <= len(points) <= MAX_POINTS:
        raise ValueError(f"a curve has 2 to {MAX_POINTS} points")
    if any(not 0 <= v <= 100 for point in points for v in point):
        raise ValueError("points of a curve lie within 0 to 100")
    if any(b[0] - a[0] < 0.499 or b[1] < a[1] for a, b in pairwise(points)):
        raise ValueError("a curve rises from left to right, its points at least half a step apart")
    return points


def is_straight(points: Points) -> bool:
    """Whether a curve through points changes nothing."""
    return all(y == x for x, y in points) and points[0][0] == 0 and points[-1][0] == 100


def curve_through(points: Points, x: Floats) -> Floats:
    """Values (N,) of the curve through points, 0 to 100 both ways; level before the first point and after the last.

    Monotone piecewise cubic (Fritsch and Carlson 1980), so that it never leaves the points' own range.
    """
    xs, ys = np.array(points).T
    return np.asarray(PchipInterpolator(xs, ys)(np.clip(x, xs[0], xs[-1])), dtype=np.float32)


def curved(lab: OKLab, master: Points, faded: float, channels: tuple[Points, Points, Points]) -> OKLab:
    """OKLab colours (N, 3) through curves: of L*, blacks faded by L*, then of encoded red, green and blue.

    What lies outside 0 to 1 keeps its distance from the end of a curve.
    """
    return OKLab(lanes.curved(planes_of(lab), _numbers(master, faded, channels)).T)


@lru_cache(maxsize=64)
def _numbers(master: Points, faded: float, channels: tuple[Points, Points, Points]) -> Floats:
    """Curves as `lanes` takes them."""
    lightness = master_table(master, faded)
    if all(is_straight(points) for points in channels):
        return joined([TABLE, 0], lightness)
    tables = [channel_table(points) for points in channels]
    return joined([TABLE, 1], lightness, TO_LINEAR, TO_OKLAB, SRGB_CURVE.numbers, *tables)


def channel_table(points: Points) -> Floats:
    """(513,) encoded values out over encoded values in, 0 to 1, of a channel's curve."""
    at = np.linspace(0, 100, TABLE, dtype=np.float32)
    return np.asarray(curve_through(points, at) / 100, dtype=np.float32)


def master_table(points: Points, faded: float = 0) -> Floats:
    """(513,) OKLab lightness out over lightness in: a curve on L*, with blacks faded by L*."""
    lightness = lightness_of_oklab(np.linspace(0, 1, TABLE, dtype=np.float32))
    out = curve_through(points, lightness)
    lifted = out + faded * (1 - np.clip(out, 0, 100) / 100) ** 4
    return oklab_of_lightness(np.clip(lifted, 0, 100).astype(np.float32))


def contrast_about(lightness: Floats, amount: float, pivot: float) -> Floats:
    """Contrast about a pivot: slope 1 + amount there, black and white kept (power curve on each side)."""
    gamma = 1 + amount
    x = np.clip(lightness, 0, 1)
    below = pivot * (np.minimum(x, pivot) / pivot) ** gamma
    above = 1 - (1 - pivot) * ((1 - np.maximum(x, pivot)) / (1 - pivot)) ** gamma
    return np.asarray(np.where(x < pivot, below, above) + (lightness - x), dtype=np.float32)
