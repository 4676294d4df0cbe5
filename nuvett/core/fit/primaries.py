"""A broad turn of all colours: the red, green and blue that light is mixed of, moved while white stays.

Light is taken as given in primaries that lie elsewhere in the CIE 1976 u'v' diagram than those of sRGB, turned about
white and nearer to it or farther away. The matrix of such primaries is the normalised primary matrix of SMPTE RP 177:
1993, so that greys are not moved at all, and it is linear in light, so that nothing is torn.
"""

import numpy as np
from numpy.typing import NDArray

from nuvett.core.spaces.rgb import D65, SPACES, Space
from nuvett.core.types import Floats

_Precise = NDArray[np.float64]

PRIMARIES = ("red", "green", "blue")
MAX_TURN, MIN_RICHER, MAX_RICHER = 20.0, -60.0, 50.0
"""Degrees that a primary is turned at most, and percent added to its distance from white at least and at most: with any
of them the triangle stays the right way round, and no primary is darker than black (`tests/core/test_hues.py` tries
all corners; at 25 degrees some fail)."""


def _uv(xy: _Precise) -> _Precise:
    """CIE 1931 x, y (..., 2) to CIE 1976 u', v' (CIE 15:2018, 8.2.1.1)."""
    x, y = xy[..., 0], xy[..., 1]
    below = -2 * x + 12 * y + 3
    return np.stack([4 * x / below, 9 * y / below], axis=-1)


def _xyz(uv: _Precise) -> _Precise:
    """u', v' (..., 2) to X, Y, Z (..., 3) of luminance 1."""
    u, v = uv[..., 0], uv[..., 1]
    return np.stack([9 * u / (4 * v), np.ones_like(u), (12 - 3 * u - 20 * v) / (4 * v)], axis=-1)


def _normalised(corners: _Precise, white: _Precise) -> _Precise:
    """Matrix (3, 3) from light in primaries at u', v' (3, 2) to X, Y, Z, all together giving white."""
    columns = _xyz(corners).T
    return np.asarray(columns * np.linalg.solve(columns, _xyz(white)))


def primaries_matrix(turns: _Precise, richer: _Precise) -> Floats:
    """Matrix (3, 3) on linear sRGB light for primaries that lie elsewhere; its rows add up to 1.

    turns : (3,) degrees of red, green and blue about white, rising with hue
    richer : (3,) shares added to their distances from white
    """
    white = _uv(np.array(D65))
    corners = _uv(np.array(SPACES[Space.SRGB].primaries))
    angle = np.radians(np.asarray(turns, dtype=np.float64))
    away = corners - white
    cos, sin = np.cos(angle), np.sin(angle)
    turned = np.stack([away[:, 0] * cos - away[:, 1] * sin, away[:, 0] * sin + away[:, 1] * cos], axis=1)
    moved = white + turned * (1 + np.asarray(richer, dtype=np.float64))[:, None]
    matrix = np.linalg.solve(_normalised(corners, white), _normalised(moved, white))
    return np.asarray(matrix / matrix.sum(axis=1, keepdims=True), dtype=np.float32)
