"""Gains on linear light: exposure, warmth and tint, and how they roll off near white."""

import numpy as np

from nuvett.core import lanes
from nuvett.core.even.camera import CAMERA_CURVE
from nuvett.core.quick import as_listed, planes_of
from nuvett.core.types import Floats, Linear

LUMINANCE = np.array([0.2126, 0.7152, 0.0722], dtype=np.float32)  # IEC 61966-2-1
_NOTHING = 1e-5  # difference from 1 that a gain may have and count as none
CLIPPED = (0.92, 1.0)  # least channel between which a colour counts as clipped white


def split_gains(gains: Floats) -> tuple[float, float, float]:
    """Exposure in EV, warmth and tint in percent of RGB gains (3,).

    Exposure is the gain's luminance on grey, in powers of two. Warmth is the ratio of red to blue, positive to
    yellow-orange; tint the ratio of red and blue together to green, positive to magenta.
    """
    red, green, blue = (float(g) for g in gains)
    exposure = float(np.log2(LUMINANCE @ np.asarray(gains, dtype=np.float32)))
    warmth = 100 * (np.sqrt(red / blue) - 1)
    tint = 100 * (np.sqrt(red * blue) / green - 1)
    return exposure, float(warmth), float(tint)


def join_gains(exposure: float, warmth: float = 0, tint: float = 0) -> Floats:
    """RGB gains (3,) of an exposure in EV, warmth and tint in percent; inverse of `split_gains`."""
    ratio = 1 + warmth / 100
    purple = 1 + tint / 100
    gains = np.array([purple * ratio, 1.0, purple / ratio])
    return np.asarray(gains * 2**exposure / float(LUMINANCE @ gains), dtype=np.float32)


def apply_gains(linear: Linear, gains: Floats, camera: float = 0.0) -> Linear:
    """Linear light (..., 3) under RGB gains (3,), rolling off near white.

    A gain g above 1 acts as x -> g x / (1 + (g^3 - 1) x^3)^(1/3): slope g at black, 1 at white, strictly rising
    between, so nothing that was not clipped becomes flat. Gains below 1 act plainly, except that clipped white
    keeps its neutrality: there all channels take the same gain.

    camera : how much of a camera curve the gains pass through, 0 (as on raw or linear files) to 1
    """
    gains = np.asarray(gains, dtype=np.float32)
    if np.abs(gains - 1).max() < _NOTHING:
        return linear
    how = [*gains, LUMINANCE @ gains, *CLIPPED, camera, *CAMERA_CURVE]
    return Linear(as_listed(lanes.gained(planes_of(linear), np.array(how, dtype=np.float32)), linear))
