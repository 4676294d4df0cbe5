from typing import Any

import numpy as np
from numpy.typing import NDArray

from nuvett.core.types import Floats

def cell_sums(
    own: NDArray[Any],
    in_planes: bool,
    made: Floats,
    cell: int,
    at: tuple[int, int],
    sums: NDArray[np.float64],
) -> None:
    """Add to sums (8, R, C) over cells: what red and blue are off luminance and the squares of both, of `own` and of
    planes `made` (3, h, w), then luminance of `own` and its square. Each row is one of another row of cells.

    own : pixels (h, w, 3), uint8, uint16 or float32, or planes like those made
    cell : columns of one; at : how many columns into the first cell, and which row of cells, the pictures begin

    Raises ValueError where sizes differ, or pixels of a row do not lie side by side.
    """

def draw_in(laid: Floats, made: Floats) -> None:
    """Differences of colour of planes `made` (3, h, w) about their means drawn in; luminance stays.

    laid : (3, h, w) how far, 0 to 1, then means of red and blue off luminance
    """
