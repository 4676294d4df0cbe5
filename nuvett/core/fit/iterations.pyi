import numpy as np
from numpy.typing import NDArray

def scaled(kernel: NDArray[np.float64], rows: NDArray[np.float64], columns: NDArray[np.float64], rounds: int) -> None:
    """Scale the rows and columns of a positive matrix (K, M), in place, until they sum to (K,) and (M,), in rounds.

    Rows come last, so their sums are exact (Sinkhorn 1967).
    """

def bounded(
    turn: NDArray[np.float64],
    start: NDArray[np.float64],
    low: NDArray[np.float64],
    high: NDArray[np.float64],
    values: NDArray[np.float64],
    rounds: int,
) -> None:
    """Take values (N,), in place, toward the least of a quadratic function within bounds, in rounds of multipliers.

    turn : (N, N) symmetric, rho times the inverse of the function's matrix plus rho; start : (N,) that inverse times
    the function's linear part (Boyd et al. 2011, section 5.2)
    """
