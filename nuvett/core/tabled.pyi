from nuvett.core.types import Floats

def along(table: Floats, at: Floats) -> Floats:
    """Values (C, N) of a table (K, C) over 0 to 1 in even steps, at places (N,), those outside taken as at its ends."""

def across(cells: Floats, down: Floats, right: Floats) -> Floats:
    """Values (N,) of a grid of cells at rows and columns (N,), whole at their upper left corners; bilinear.

    cells : (R, C, 4) a corner, its steps to the right and down, and what both together add
    """
