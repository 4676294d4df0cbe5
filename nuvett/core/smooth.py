"""The smooth step that memberships and ramps share."""

import numpy as np

from nuvett.core.types import Floats


def smooth_step(t: Floats) -> Floats:
    """0 below 0, 1 above 1, and 3 t^2 - 2 t^3 between, with slope 0 at both ends."""
    s = np.clip(t, 0, 1)
    return np.asarray(s * s * (3 - 2 * s), dtype=np.float32)
