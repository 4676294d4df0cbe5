"""Elementwise functions, by the library that is several times faster at them than numpy."""

from collections.abc import Callable
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import ArrayLike

from nuvett.core.types import Floats


def planar(*columns: Floats) -> Floats:
    """Columns (N,) as one array (N, C) in which each of them lies in one piece.

    Work that goes column by column, as nearly all on colours does, is much quicker on such arrays.
    """
    planes = np.empty((len(columns), len(columns[0])), dtype=np.float32)
    for plane, column in zip(planes, columns, strict=True):
        plane[:] = column
    return planes.T


def planes_of(values: Floats) -> Floats:
    """Values (..., C) as planes (C, N), each in one piece; as they are where they lie so already."""
    return np.ascontiguousarray(values.reshape(-1, values.shape[-1]).T, dtype=np.float32)


def as_listed(planes: Floats, like: Floats) -> Floats:
    """Planes (C, N) as values of another's shape (..., C); lists stay planar."""
    return planes.T if like.ndim == 2 else np.ascontiguousarray(planes.T).reshape(like.shape)


def joined(*parts: ArrayLike) -> Floats:
    """Numbers of any shapes, one after the other: what `lanes` takes as what work depends on."""
    return np.concatenate([np.asarray(part, dtype=np.float32).ravel() for part in parts])


def power(values: Floats, exponent: float) -> Floats:
    """Values from 0 (any shape) to a power."""
    if values.size == 0:
        return values
    return _flat(lambda flat: cv2.pow(flat, exponent), values)


def exp(values: Floats) -> Floats:
    """The exponential of values (any shape)."""
    if values.size == 0:
        return values
    return _flat(lambda flat: cv2.exp(flat), values)


def _flat(work: Callable[[Floats], Any], values: Floats) -> Floats:
    """Elementwise work on values of any shape, in the order in which they lie."""
    order: Literal["F", "C"] = "F" if values.flags.f_contiguous else "C"
    flat = np.ascontiguousarray(values.ravel(order)).reshape(-1, 1)
    return np.asarray(work(flat), dtype=np.float32).reshape(values.shape, order=order)
