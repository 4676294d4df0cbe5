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

def merged(
    centres: NDArray[np.float64], shares: NDArray[np.float64], power: float, count: int, fixed: int
) -> NDArray[np.bool_]:
    """Merge clusters (K, 3) of shares (K,) pairwise, cheapest first, in place, until `count` are left: which are (K,).

    What a merger costs is Ward's criterion (Ward 1963) with shares raised to a power. The first `fixed` clusters keep
    their places, take others in and are never merged with each other.
    """
