import numpy as np
from numpy.typing import NDArray

from nuvett.core.types import Floats

def drawn(
    pixels: NDArray[np.uint8],
    bases: NDArray[np.int32],
    fractions: Floats,
    lattice: Floats,
    side: int,
    noise: Floats,
    first_row: int,
    out: NDArray[np.uint8],
) -> None:
    """Lay pixels (H, W, 3) through a table into `out`, dithered.

    bases : (3, 256) what each code of red, green and blue adds to the place of a cell; fractions : (256,) of the
    cell, 0 to 1, that a code lies on from there
    lattice : (S³, 4) the table's colours times 255, red slowest; side : S
    noise : (64, 64, 4) of places, within half a code of a half; first_row : 0 to 63, the row of it that they begin on
    """
