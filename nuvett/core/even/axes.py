"""Light as mean log2, log2 R-G and log2 B-G: exposure and white apart."""

import numpy as np
from numpy.typing import NDArray

from nuvett.core.types import Floats


def log_axes(linear: Floats | tuple[float, float, float]) -> NDArray[np.float64]:
    """Mean log2, log2 R-G and log2 B-G of gains or linear colours (..., 3) above zero: (..., 3)."""
    logs = np.log2(np.asarray(linear, dtype=np.float64))
    return np.stack([logs.mean(axis=-1), logs[..., 0] - logs[..., 1], logs[..., 2] - logs[..., 1]], axis=-1)


def gains_of_axes(axes: NDArray[np.float64]) -> tuple[float, float, float]:
    """Gains of mean log2, log2 R-G and log2 B-G (3,); inverse of `log_axes`."""
    mean, red_green, blue_green = (float(v) for v in axes)
    green = mean - (red_green + blue_green) / 3
    return float(2 ** (green + red_green)), float(2**green), float(2 ** (green + blue_green))
