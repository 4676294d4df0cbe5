import numpy as np
from numpy.typing import NDArray

def scaled(kernel: NDArray[np.float64], rows: NDArray[np.float64], columns: NDArray[np.float64], rounds: int) -> None:
    """Scale the rows and columns of a positive matrix (K, M), in place, until they sum to (K,) and (M,), in rounds.

    Rows come last, so their sums are exact (Sinkhorn 1967).
    """
