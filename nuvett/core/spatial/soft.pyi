from typing import Any

import numpy as np
from numpy.typing import NDArray

from nuvett.core.types import Floats

def apart(pixels: NDArray[Any], planes: Floats) -> None:
    """Pixels (h, w, 3), uint8, uint16 or float32, as encoded values 0 to 1 in planes (3, h, w).

    Raises ValueError where sizes differ, or pixels of a row do not lie side by side.
    """

def cell_sums(own: Floats, made: Floats, cell: tuple[int, int], at: tuple[int, int], sums: NDArray[np.float64]) -> None:
    """Add to sums (8, R, C) over cells: what red and blue are off luminance and the squares of both, of `own` and of
    `made` (3, h, w), then luminance of `own` and its square.

    cell : columns and rows of one; at : how many of them into the first cell the planes begin

    A row of cells has the same sums however the rows of a frame come, if it comes at once.
    """

def draw_in(laid: Floats, made: Floats) -> None:
    """Differences of colour of planes `made` (3, h, w) about their means drawn in; luminance stays.

    laid : (3, h, w) how far, 0 to 1, then means of red and blue off luminance
    """
