"""Gains on linear light: exposure, warmth and tint, and how they roll off near white."""

import numpy as np

from nuvett.core.even.camera import gain_in_camera
from nuvett.core.quick import power
from nuvett.core.smooth import smooth_step
from nuvett.core.types import Floats, Linear

_LUMINANCE = np.array([0.2126, 0.7152, 0.0722], dtype=np.float32)  # IEC 61966-2-1
_NOTHING = 1e-5  # difference from 1 that a gain may have and count as none
_CLIPPED = (0.92, 1.0)  # least channel between which a colour counts as clipped white


def split_gains(gains: Floats) -> tuple[float, float, float]:
    """Exposure in EV, warmth and tint in percent of RGB gains (3,).

    Exposure is the gain's luminance on grey, in powers of two. Warmth is the ratio of red to blue, positive to
    yellow-orange; tint the ratio of red and blue together to green, positive to magenta.
    """
    red, green, blue = (float(g) for g in gains)
    exposure = float(np.log2(_LUMINANCE @ np.asarray(gains, dtype=np.float32)))
    warmth = 100 * (np.sqrt(red / blue) - 1)
    tint = 100 * (np.sqrt(red * blue) / green - 1)
    return exposure, float(warmth), float(tint)


def join_gains(exposure: float, warmth: float = 0, tint: float = 0) -> Floats:
    """RGB gains (3,) of an exposure in EV, warmth and tint in percent; inverse of `split_gains`."""
    ratio = 1 + warmth / 100
    purple = 1 + tint / 100
    gains = np.array([purple * ratio, 1.0, purple / ratio])
    return np.asarray(gains * 2**exposure / float(_LUMINANCE @ gains), dtype=np.float32)


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
    # Plane by plane, because working along a last axis of 3 is several times slower.
    planes = np.ascontiguousarray(linear.reshape(-1, 3).T, dtype=np.float32)
    least = np.minimum(np.minimum(planes[0], planes[1]), planes[2])
    bright = np.flatnonzero(least > _CLIPPED[0])
    white = smooth_step((least[bright] - _CLIPPED[0]) / (_CLIPPED[1] - _CLIPPED[0]))
    common = np.float32(_LUMINANCE @ gains)
    own = gains[:, None]
    out = _exposed(planes, own, camera)
    if bright.size:
        out[:, bright] = _exposed(np.take(planes, bright, axis=1), own * (1 - white) + common * white, camera)
    return Linear(out.T if linear.ndim == 2 else out.T.reshape(linear.shape))


def _exposed(planes: Floats, gain: Floats, camera: float) -> Floats:
    """Channels (3, N) under a gain each (3, 1) or one for each value (3, N), partly through the camera's curve."""
    plain = _rolled(planes, gain)
    if camera == 0:
        return plain
    return np.asarray(plain + np.float32(camera) * (gain_in_camera(planes, gain) - plain), dtype=np.float32)


def _rolled(planes: Floats, gain: Floats) -> Floats:
    """Channels (3, N) under a gain each (3, 1) or one for each value (3, N), rolled off where it is above 1."""
    magnitude = np.minimum(np.abs(planes), 1)
    above = np.maximum(gain, 1)
    bend = 1 + (above * above * above - 1) * (magnitude * magnitude * magnitude)
    return np.asarray(planes * gain * power(bend, -1 / 3), dtype=np.float32)
