import numpy as np
from numpy.typing import NDArray

from nuvett.core.types import Floats

def averaged(pixels: NDArray[np.uint8] | NDArray[np.uint16], decoding: Floats, side: int, out: Floats) -> None:
    """Means of boxes of `side` by `side` pixels (H, W, 3) into `out` (h, w, 3), h side at most H and w side at most W.

    decoding : (256,) or (65536,) what each code counts
    """
