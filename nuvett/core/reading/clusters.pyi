import numpy as np
from numpy.typing import NDArray

from nuvett.core.types import Floats

def farthest(planes: Floats, first: int, count: int, same: float) -> list[int]:
    """Indices of at most `count` points (3, N): the first, then always the one farthest from all before.

    Gonzalez, "Clustering to minimize the maximum intercluster distance" (1985).

    same : squared distance up to which points count as one
    """

def gathered(planes: Floats, centres: Floats) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Sums (K, 3) and numbers (K,) of points (3, N) by the nearest of centres (K, 3), the first of equals."""
