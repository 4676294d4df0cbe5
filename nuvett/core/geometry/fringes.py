"""Fringes of colour found in a frame itself, where nothing is known of its lens.

A lens that magnifies red or blue by a little more than green draws every edge apart along the way from the middle of
the picture, the farther out the more. What is fine in red and blue is compared with what is fine in green there, by
least squares over all places where the two go together (Lucas and Kanade, "An Iterative Image Registration Technique",
1981, for two numbers a channel). Things whose edges have a colour of their own lie at random to that way.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from nuvett.core.geometry.lens import PLAIN, LensCorrection, Terms
from nuvett.core.types import Encoded01, Floats

NAME = "Found in the frame"
Normal = tuple[NDArray[np.float64], NDArray[np.float64]]

FRINGE_EDGE = 2400
"""Long edge at which they are looked for: a tenth of a pixel of it still shows."""

_BROAD, _FINE, _WINDOW = 3.0, 0.7, 4.0  # spreads in pixels: what is taken off, what is smoothed, what goes together
_ALIKE, _MIN_CONTRAST = 0.85, 0.012  # correlation of two channels, and encoded contrast, of a place that counts
_ROUNDS, _SECTORS = 3, 8
_SURE = 4.0  # standard errors, by sectors of the picture, that fringes are beyond
_MIN_OFF = 0.12  # pixels at the corner, of the picture looked at, below which nobody sees them
_MAX_OFF = 6.0
_MIN_PLACES, _SMALLEST = 400, 200  # places; pixels of the short side


def find_fringes(encoded: Encoded01) -> LensCorrection | None:
    """How to undo the fringes of a frame (h, w, 3), at FRINGE_EDGE or less, as it came from its file.

    None where none are sure.
    """
    if min(encoded.shape[:2]) < _SMALLEST:
        return None
    red, blue = _terms(encoded, 0), _terms(encoded, 2)
    return None if red == blue == PLAIN else LensCorrection(name=NAME, red=red, blue=blue)


def _terms(small: Floats, channel: int) -> Terms:
    """By how much farther off a channel is than green: v and b of v + b r², r in units of half the short side."""
    green = np.ascontiguousarray(small[..., 1])
    x, y, r2 = _places(small.shape[1], small.shape[0])
    v, b = 0.0, 0.0
    sectors = (np.arctan2(y, x) / (2 * np.pi / _SECTORS) + _SECTORS).astype(np.intp) % _SECTORS
    normal = None
    for _ in range(_ROUNDS):
        factor = 1 + v + b * r2
        other = _drawn(small[..., channel], x * factor, y * factor)
        normal = _equations(green, other, (x, y, r2), sectors)
        if normal is None:
            return PLAIN
        matrix, right = normal[0].sum(axis=0), normal[1].sum(axis=0)
        dv, db = np.linalg.solve(matrix, right)
        v, b = v + float(dv), b + float(db)
    corner = float(r2.max())
    off = (v + b * corner) * corner**0.5 * min(small.shape[:2]) / 2  # in pixels of the picture looked at
    if not _MIN_OFF <= abs(off) <= _MAX_OFF or not _is_sure(normal, corner, v + b * corner):
        return PLAIN
    return 1 + v, 0.0, b


def _is_sure(normal: Normal | None, corner: float, found: float) -> bool:
    """Whether what is found at the corner lies beyond its error, with one sector of the picture left out at a time."""
    if normal is None:
        return False
    matrices, rights = normal
    apart = []
    for sector in range(_SECTORS):
        matrix, right = matrices.sum(axis=0) - matrices[sector], rights.sum(axis=0) - rights[sector]
        dv, db = np.linalg.solve(matrix + 1e-9 * np.eye(2), right)
        apart.append(dv + db * corner)
    error = float(np.sqrt((_SECTORS - 1) / _SECTORS * np.sum((np.array(apart) - np.mean(apart)) ** 2)))  # jackknife
    return abs(found) > _SURE * error


def _places(width: int, height: int) -> tuple[Floats, Floats, Floats]:
    """Places off the middle (h, w) and their squared distance, in units of half the short side."""
    half = min(width, height) / 2
    x = (np.arange(width, dtype=np.float32) + 0.5 - width / 2) / np.float32(half)
    y = (np.arange(height, dtype=np.float32) + 0.5 - height / 2) / np.float32(half)
    across, down = np.meshgrid(x, y)
    return across, down, across * across + down * down


def _drawn(plane: Floats, x: Floats, y: Floats) -> Floats:
    height, width = plane.shape
    half = np.float32(min(width, height) / 2)
    at = (x * half + np.float32(width / 2 - 0.5), y * half + np.float32(height / 2 - 0.5))
    drawn = cv2.remap(np.ascontiguousarray(plane), *at, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(drawn, dtype=np.float32)


def _equations(
    green: Floats, other: Floats, places: tuple[Floats, Floats, Floats], sectors: np.ndarray
) -> Normal | None:
    """Normal equations (S, 2, 2) and (S, 2) of what is left to v and b by sectors; none with too little to go by."""
    x, y, r2 = places
    own, its = _fine(green), _fine(other)
    both, squares, others = (_blurred(product, _WINDOW) for product in (own * its, own * own, its * its))
    ratio = both / np.maximum(squares, 1e-8)
    alike = np.abs(both) / np.sqrt(np.maximum(squares * others, 1e-12))
    counts = (alike > _ALIKE) & (squares > _MIN_CONTRAST**2) & (others > _MIN_CONTRAST**2) & (np.abs(x) < 10)
    if counts.sum() < _MIN_PLACES:
        return None
    # What is at one place in green is at that place times 1 + v + b r² in the other channel.
    half = np.float32(min(green.shape) / 2)
    along = (cv2.Sobel(own, -1, 1, 0, scale=1 / 8) * x + cv2.Sobel(own, -1, 0, 1, scale=1 / 8) * y) * half
    slope, left = (-ratio * along)[counts], (its - ratio * own)[counts]
    weight = 1 / (others[counts] + _MIN_CONTRAST**2)
    columns = np.stack([slope, slope * r2[counts]])
    matrices = np.zeros((_SECTORS, 2, 2))
    rights = np.zeros((_SECTORS, 2))
    at = sectors[counts]
    for i in range(2):
        rights[:, i] = np.bincount(at, weight * columns[i] * left, _SECTORS)
        for j in range(2):
            matrices[:, i, j] = np.bincount(at, weight * columns[i] * columns[j], _SECTORS)
    return matrices, rights


def _fine(plane: Floats) -> Floats:
    return _blurred(plane, _FINE) - _blurred(plane, _BROAD)


def _blurred(plane: Floats, sigma: float) -> Floats:
    return np.asarray(cv2.GaussianBlur(plane, (0, 0), sigma, borderType=cv2.BORDER_REFLECT), dtype=np.float32)
