"""What is said of the light of two frames."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class Witness:
    """What is said of two frames: the second needs `difference` more light than the first, give or take `spread`.

    difference, spread : (3,) mean log2, R-G and B-G; a spread of infinity where it says nothing
    kind : which kind of witness says it
    """

    first: int
    second: int
    difference: NDArray[np.float64]
    spread: NDArray[np.float64]
    kind: str
