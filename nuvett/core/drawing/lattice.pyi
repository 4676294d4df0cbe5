from typing import Any

import numpy as np
from numpy.typing import NDArray

from nuvett.core.spatial.soft_colour import TornRows
from nuvett.core.types import Floats

def drawn(
    source: NDArray[Any],
    planes_in: bool,
    bases: NDArray[np.int32],
    fractions: Floats,
    knots: Floats,
    lattice: Floats,
    side: int,
    noise: Floats,
    at: tuple[int, int],
    out: NDArray[Any],
    planes_out: bool,
    torn: TornRows | None = None,
) -> None:
    """Lay pixels (H, W, 3) uint8, uint16 or float32, or planes (3, H, W), through a table.

    bases : (3, 256) what each code of eight bits of red, green and blue adds to the place of a cell; fractions : (256,)
        of the cell, 0 to 1, that a code lies on from there
    knots : (K, 2) where even steps of other values from 0 to 1 lie among the table's points, and how much further the
        next step does
    lattice : (S³, 4) the table's colours, red slowest; side : S
    noise : (64, 64, 4) of places, within half a code of a half; at : left and top, where the pixels lie in it
    out : (H, W, 3) uint8, dithered, or uint16; or planes (3, H, W) float32
    torn : where soft colour is mended on the way to codes, block by block while they are in the first cache
    Raises ValueError where an array is not of such a form, or its rows do not lie side by side.
    """

def rounded(
    planes: Floats, noise: Floats, at: tuple[int, int], out: NDArray[Any], torn: TornRows | None = None
) -> None:
    """Planes (3, H, W) of encoded values as codes (H, W, 3), as `drawn` makes them; raises ValueError as that."""
