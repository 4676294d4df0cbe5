"""A generic camera curve: how a difference of exposure passes through the tones of a finished picture.

A camera bends scene light before it writes a picture: a stop more is more than a stop in the dark parts and much less
near white. The curve is that of film and of photoreceptors (Naka and Rushton 1966; generalised as in Reinhard et al.,
"Photographic tone reproduction for digital images", 2002): x = s^a / (1 + s^(a q))^(1/q), whose local slope in
log-log is a (1 - x^q). Under it a gain stays in closed form. Raw and linear files show none of it, most finished
pictures some, so it is taken as far as a set-up's own frames show it.
"""

import numpy as np

from nuvett.core.types import Linear

CAMERA_CURVE = _SLOPE, _SHOULDER, _WHITE = 1.14, 1.6, 1.1
"""Slope in the shadows, exponent of the shoulder, and the value that white lies below, all for a whole camera curve."""


def scene_light(linear: Linear, share: float) -> Linear:
    """Light before the camera's curve (..., 3), up to a factor, of finished pixels (..., 3) from 0; share 0 to 1.

    Between none and the whole curve the logarithms are mixed.
    """
    if share == 0:
        return linear
    y = np.clip(linear, 1e-6, 1).astype(np.float64) / _WHITE
    logs = (np.log(y) - np.log1p(-(y**_SHOULDER)) / _SHOULDER) / _SLOPE
    return Linear(np.asarray(np.exp(share * logs + (1 - share) * np.log(y)), dtype=np.float32))
