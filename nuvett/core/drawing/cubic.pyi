from typing import Any

import numpy as np
from numpy.typing import NDArray

from nuvett.core.types import Floats

def resampled(
    planes: NDArray[Any],
    part: tuple[int, int, int, int],
    grid: NDArray[np.float64],
    light: Floats,
    curve: tuple[float, int, float, float],
    first: tuple[int, int, int, float],
    out: Floats,
) -> None:
    """Draw a part of a picture into `out` (3, h, w), encoded values 0 to 1.

    planes : (3, H, W) uint8, uint16 or float32, a part of the source
    part : left and top of that part in the source, width and height of all of the source, in pixels
    grid : (1 or 3, 2, rows, columns) x and y in the source at the corners of squares of the picture, for all channels
        or for each; 0 is the middle of the source's first pixel
    light : (2, rows, columns) factors on linear light at those corners, and those to the curve's power; or none
    curve : toe, whether it begins straight, code of white, codes of a stop above white (0 for none)
    first : column and row of the part's first pixel from the grid's first corner on, side of a square, factor on
        the samples
    """
