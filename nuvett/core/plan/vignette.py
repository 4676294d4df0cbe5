"""What a vignette does to encoded values, by where they lie in what is seen and by how light they are."""

import numpy as np

from nuvett.core.plan.finish import VignetteOperation
from nuvett.core.quick import exp
from nuvett.core.smooth import smooth_step
from nuvett.core.types import Encoded01, Floats

_GAMMA = 2.2  # by which a change of exposure acts on encoded values
_CORNERED = 4.0  # exponent of the superellipse that follows the frame
_SPARED = (0.6, 0.95)  # encoded value between which highlights come to be spared


def vignette_factor(operation: VignetteOperation, x: Floats, y: Floats, size: tuple[float, float]) -> Floats:
    """Factor on encoded values at places x, y of what is seen (arrays that broadcast, in the units of its size).

    The distance from the centre is 1 at half of the diagonal: on circles, or as far as the operation says on a
    superellipse that follows the frame.
    """
    width, height = size
    dx, dy = (np.asarray(at - np.float32(c * s)) for at, c, s in ((x, operation.x, width), (y, operation.y, height)))
    half = np.float32(np.hypot(width, height) / 2)
    radius = np.sqrt(dx * dx + dy * dy) / half
    if operation.framed:
        across, down = np.abs(dx) / np.float32(width / 2), np.abs(dy) / np.float32(height / 2)
        cornered = ((across**_CORNERED + down**_CORNERED) / 2) ** np.float32(1 / _CORNERED)
        radius = radius + np.float32(operation.framed) * (cornered - radius)
    rim = (radius - np.float32(operation.begins)) / np.float32(operation.soft)
    stops = -operation.stops * operation.amount / _GAMMA * float(np.log(2))
    return exp(smooth_step(np.asarray(rim, dtype=np.float32)) * np.float32(stops))


def vignetted(operation: VignetteOperation, encoded: Encoded01, light: Floats, factor: Floats) -> Encoded01:
    """Encoded colours (..., 3) of a luminance (...) times a factor (...), as far as highlights are not spared."""
    if operation.spared and operation.stops > 0:
        low, high = _SPARED
        kept = smooth_step((light - np.float32(low)) / np.float32(high - low)) * np.float32(operation.spared)
        factor = factor + (1 - factor) * kept
    return Encoded01(np.asarray(encoded * factor[..., None], dtype=np.float32))
