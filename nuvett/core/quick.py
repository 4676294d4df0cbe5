"""Elementwise functions, by the library that is several times faster at them than numpy."""

import cv2
import numpy as np

from nuvett.core.types import Floats


def power(values: Floats, exponent: float) -> Floats:
    """Values from 0 (any shape) to a power."""
    if values.size == 0:
        return values
    return np.asarray(cv2.pow(values.reshape(-1, 1), exponent).reshape(values.shape), dtype=np.float32)


def exp(values: Floats) -> Floats:
    """The exponential of values (any shape)."""
    if values.size == 0:
        return values
    return np.asarray(cv2.exp(values.reshape(-1, 1)).reshape(values.shape), dtype=np.float32)
