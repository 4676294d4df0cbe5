"""Smooth steps and limits that memberships, ramps and holds share."""

import numpy as np

from nuvett.core.quick import power
from nuvett.core.types import Floats


def smooth_step(t: Floats) -> Floats:
    """0 below 0, 1 above 1, and 3 t^2 - 2 t^3 between, with slope 0 at both ends."""
    s = t.clip(0, 1)
    return np.asarray(s * s * (3 - 2 * s), dtype=np.float32)


def soft_limit(movement: Floats, limit: Floats | float) -> Floats:
    """A movement (N,) that nears but never passes its limit: m / (1 + (|m|/limit)^3)^(1/3); slope 1 at none."""
    share = np.abs(movement) / np.maximum(limit, np.float32(1e-6))
    bend = np.asarray(1 + share * share * share, dtype=np.float32)
    return np.asarray(movement * power(bend, -1 / 3), dtype=np.float32)
