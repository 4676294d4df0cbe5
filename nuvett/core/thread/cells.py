"""A frame in cells: what kind of place each of them is, and which evened colour it has.

What kind of place it is, nets describe (`nuvett.imaging.descriptors`); colours are added as random features of a
Gaussian about them (Rahimi and Recht, "Random Features for Large-Scale Kernel Machines", 2007), lightness counting
half, so that the likeness of two cells is one product of vectors.
"""

from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from nuvett.core.types import Floats, OKLab

ROWS, COLUMNS = 52, 80
"""Cells that a picture is fitted into, with its own proportions."""
KINDS = 96
"""Numbers that describe what kind of place a cell is."""
UNIT = 300.0
"""What a kind of length one is kept as, in 8-bit numbers."""
_FEATURES, _WIDTH = 64, 0.05  # of the Gaussian about a colour, in OKLab
_COLOUR = 0.55  # weight of its colour beside what kind of place it is
_ALIKE = 3.0  # cells by which matches of neighbours may move apart and still move alike
_NEAR, _MIN = 6.0, 3  # cells within which others are neighbours, and how many must move alike

_RANDOM = np.random.default_rng(1)
_AXES = (_RANDOM.normal(size=(3, _FEATURES)) / _WIDTH).astype(np.float32)
_PHASES = _RANDOM.uniform(0, 2 * np.pi, _FEATURES).astype(np.float32)


def layout(width: int, height: int) -> tuple[int, int]:
    """Rows and columns of cells of a picture of a size."""
    scale = min(COLUMNS / width, ROWS / height)
    return max(1, round(height * scale)), max(1, round(width * scale))


@dataclass(frozen=True)
class Described:
    """A frame in cells, row by row: unit vectors (rows * columns, n) and evened OKLab colours (rows * columns, 3)."""

    rows: int
    columns: int
    cells: Floats
    colours: OKLab

    @classmethod
    def of(cls, kinds: NDArray[np.int8], colours: OKLab) -> "Described":
        """A frame by what kind of place each cell is (rows, columns, KINDS) and its evened colours alike."""
        rows, columns = kinds.shape[:2]
        flat = OKLab(colours.reshape(-1, 3).astype(np.float32))
        scaled = flat * np.array([0.5, 1, 1], dtype=np.float32)
        hues = np.sqrt(2 / _FEATURES) * _COLOUR * np.cos(scaled @ _AXES + _PHASES)
        joined = np.concatenate([kinds.reshape(rows * columns, -1) / np.float32(UNIT), hues], axis=1)
        return cls(rows, columns, _unit(np.asarray(joined, dtype=np.float32)), flat)

    @property
    def places(self) -> Floats:
        """Column and row of each cell, (rows * columns, 2)."""
        return _grid(self.rows, self.columns)

    @cached_property
    def halved(self) -> tuple[Floats, Floats]:
        """Unit vectors of cells of twice the size, and the columns and rows of their middles."""
        rows, columns = max(1, self.rows // 2), max(1, self.columns // 2)
        grid = self.cells.reshape(self.rows, self.columns, -1)
        small = cv2.resize(grid[: 2 * rows, : 2 * columns], (columns, rows), interpolation=cv2.INTER_AREA)
        places = np.asarray(_grid(rows, columns) * 2 + 0.5, dtype=np.float32)
        return _unit(np.asarray(small.reshape(rows * columns, -1), dtype=np.float32)), places


def _grid(rows: int, columns: int) -> Floats:
    across, down = np.meshgrid(np.arange(columns), np.arange(rows))
    return np.stack([across.ravel(), down.ravel()], axis=1).astype(np.float32)


def _unit(vectors: Floats) -> Floats:
    lengths = np.linalg.norm(vectors, axis=1, keepdims=True)
    return np.asarray(vectors / np.maximum(lengths, 1e-6), dtype=np.float32)


@dataclass(frozen=True)
class SharedCells:
    """What two frames both show: how much of the first, 0 to 1, and places (n, 2) in each of them, in cells."""

    share: float
    here: Floats
    there: Floats


def shared(one: Described, other: Described) -> SharedCells:
    """Cells that are each other's likest and whose neighbours' likest lie alike."""
    (cells, here), (others, there) = one.halved, other.halved
    likeness = cells @ others.T
    best, back = likeness.argmax(axis=1), likeness.argmax(axis=0)
    mutual = np.nonzero(back[best] == np.arange(len(cells)))[0]
    start, end = here[mutual], there[best[mutual]]
    near = _squares(start) < _NEAR**2
    np.fill_diagonal(near, False)
    sure = ((_squares(end - start) < _ALIKE**2) & near).sum(axis=1) >= _MIN
    return SharedCells(float(sure.sum() / len(cells)), start[sure], end[sure])


def _squares(points: Floats) -> Floats:
    """Squared distances (n, n) between points (n, 2)."""
    across, down = (np.subtract.outer(axis, axis) for axis in points.T)
    return np.asarray(across**2 + down**2, dtype=np.float32)
