import numpy as np

from nuvett.core.types import Floats

def luminance(planes: Floats, out: Floats) -> None:
    """Luminance weights on planes (3, h, w), into (h, w)."""

def across(rows: Floats, at: np.ndarray, shares: Floats, out: Floats) -> None:
    """Rows (R, n) enlarged along themselves into (R, w): sums of 2 or 4 of their values.

    at, shares : (2 or 4, w) int32 which values, and how much of each
    """

def down(rows: Floats, at: np.ndarray, shares: Floats, first: int, out: Floats) -> None:
    """Planes of rows (C, R, w) enlarged across them into (C, h, w), from a row of the part on.

    at, shares : (2 or 4, H) int32 which rows, and how much of each, for all rows of the part
    """

def edges(blurred: Floats, first: int, spared: float, steep: float, out: Floats) -> None:
    """How far sharpening acts (h, w), from a row of blurred luminance (H, w) on.

    spared : how much flat areas are left out; steep : times the gradient by Sobel's kernels, at 1 of which it is whole
    """

def guided_lines(guide: Floats, values: Floats, radius: int, epsilon: float, lines: Floats) -> None:
    """Slope and offset (2 V, h, w) on a guide (h, w), for each of values (V, h, w), or for the guide itself (0, h, w).

    The guided filter (He, Sun and Tang 2013); what lies beyond the border is reflected.
    """

def less_noise_of_light(encoded: Floats, light: Floats, lines: Floats, out: Floats) -> None:
    """Encoded colours (h, w, 3) with slope times luminance plus offset (2, h, w) for their luminance (h, w)."""

def off_light(encoded: Floats, light: Floats, off: Floats) -> None:
    """Luminance (h, w) of encoded colours (h, w, 3), and what red and blue have off it (2, h, w)."""

def less_noise_of_colour(encoded: Floats, lines: Floats, amount: float, out: Floats) -> None:
    """Encoded colours (h, w, 3) with what red and blue have off luminance brought to what a filter gives.

    lines : (4, h, w) slope and offset on luminance for red, then for blue; amount : 0 to 1
    """

def cell_sums(own: Floats, made: Floats, cell: int, at: tuple[int, int], sums: np.ndarray) -> None:
    """Add to sums (8, R, C) over cells: what red and blue are off luminance and the squares of both, of planes `own`
    and of planes `made` (3, h, w), then luminance of `own` and its square. Each row is one of another row of cells.

    cell : columns of one; at : how many columns into the first cell, and which row of cells, the planes begin

    Raises ValueError where sizes differ.
    """
