"""A generic camera curve: how a difference of exposure passes through the tones of a finished picture.

A camera bends scene light before it writes a picture: a stop more is more than a stop in the dark parts and much less
near white. The curve is that of film and of photoreceptors (Naka and Rushton 1966; generalised as in Reinhard et al.,
"Photographic tone reproduction for digital images", 2002): x = s^a / (1 + s^(a q))^(1/q), whose local slope in
log-log is a (1 - x^q). Under it a gain stays in closed form. Raw and linear files show none of it, most finished
pictures some, so it is taken as far as a set-up's own frames show it.
"""

import numpy as np

from nuvett.core.quick import power
from nuvett.core.types import Floats, Linear

_SLOPE, _SHOULDER, _WHITE = 1.14, 1.6, 1.1
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


def gain_in_camera(values: Floats, gain: Floats) -> Floats:
    """Finished values (any shape) as if the scene had had a gain times the light; `gain` broadcasts to them.

    With G = gain^a: x -> G x / (1 + (G^q - 1) x^q)^(1/q), white kept where light is added and lowered where it is
    taken. What lies outside 0 to 1 takes the plain gain of its end.
    """
    raised = np.asarray(gain, dtype=np.float32) ** np.float32(_SLOPE)
    white = np.where(raised > 1, np.float32(1), np.float32(_WHITE)).astype(np.float32)
    y = np.asarray(values.clip(0, 1) / white, dtype=np.float32)
    bend = 1 + (raised ** np.float32(_SHOULDER) - 1) * power(y, _SHOULDER)
    made = values * raised * power(np.asarray(bend, np.float32), -1 / _SHOULDER)
    return np.asarray(made, dtype=np.float32)
