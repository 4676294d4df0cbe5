"""What a vignette does to encoded colours, by where they lie in what is seen and by how light they are."""

import numpy as np

from nuvett.core import lanes
from nuvett.core.plan.finish import VignetteOperation
from nuvett.core.types import Floats

_GAMMA = 2.2  # by which a change of exposure acts on encoded values
_SPARED = (0.6, 0.95)  # encoded value between which highlights come to be spared


def vignette(operation: VignetteOperation, planes: Floats, x: Floats, y: Floats, size: tuple[float, float]) -> None:
    """Encoded colours (3, h, w), changed in place, at places x, y (h, w) of what is seen, in the units of its size.

    The distance from the centre is 1 at half of the diagonal: on circles, or as far as the operation says on a
    superellipse that follows the frame.
    """
    width, height = size
    octaves = -operation.stops * operation.amount / _GAMMA
    spared = operation.spared if operation.stops > 0 else 0.0
    form = (width, height, operation.begins, operation.soft, operation.framed, octaves, *_SPARED, spared)
    across, down = x - np.float32(operation.x * width), y - np.float32(operation.y * height)
    lanes.shaded(planes, np.asarray(across), np.asarray(down), np.array(form, dtype=np.float32))
