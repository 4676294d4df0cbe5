"""Grain: noise on a grid that belongs to the frame."""

from collections.abc import Callable
from functools import cache, lru_cache

import cv2
import numpy as np

from nuvett.core.plan.finish import GrainOperation
from nuvett.core.spatial.enlarging import Enlarged, Part
from nuvett.core.types import Floats

GRAIN_GAIN = 0.085
_CELLS = 3000
_CLUMPS, _LARGEST = 2.6, 4.0  # clumps are so many times as large as the grain itself
_TILE = 1024  # cells of noise a side, after which grain repeats


class Grain:
    """Noise of a frame of a size (width, height), finer and in clumps as an operation has it.

    Averaged when the frame has fewer pixels than the grid, enlarged when it has more.
    """

    def __init__(self, operation: GrainOperation, size: tuple[int, int], seed: int) -> None:
        self._rough = np.float32(operation.rough)
        sizes = [operation.size, min(_LARGEST, operation.size * _CLUMPS)]
        self._fields = [_field(of, size, seed) for of in (sizes if operation.rough else sizes[:1])]

    def of(self, part: Part) -> Callable[[int, int], Floats]:
        """What gives (count, w) rows of a part, from a row of it on."""
        fine, *clumps = (_rows_of(field, part) for field in self._fields)

        def rows(first: int, count: int) -> Floats:
            own = fine(first, count)
            if not clumps:
                return own
            in_clumps = clumps[0](first, count)
            return np.asarray((1 - np.float32(0.4) * self._rough) * own + np.float32(1.1) * self._rough * in_clumps)

        return rows


def _field(size: float, frame: tuple[int, int], seed: int) -> Floats:
    across, down = (max(2, round(_CELLS / size * side / max(frame))) for side in frame)
    return _field_of(seed, (across, down), (min(across, frame[0]), min(down, frame[1])))


def _rows_of(field: Floats, part: Part) -> Callable[[int, int], Floats]:
    if field.shape != part.frame[::-1]:
        large = Enlarged(field[None], part, cubic=True)
        return lambda first, count: np.asarray(large.rows(first, count)[0])
    own = field[part.top : part.top + part.height, part.left : part.left + part.width]
    return lambda first, count: np.ascontiguousarray(own[first : first + count])


@cache
def _noise_tile() -> Floats:
    tile = np.random.default_rng(41).standard_normal((_TILE, _TILE), dtype=np.float32)
    tile.setflags(write=False)
    return tile


@lru_cache(maxsize=4)
def _field_of(seed: int, cells: tuple[int, int], size: tuple[int, int]) -> Floats:
    """Noise of a frame on a grid of cells (width, height), averaged to a size: one tile, begun where the seed says."""
    begun = np.roll(_noise_tile(), -np.random.default_rng(seed).integers(0, _TILE, 2), axis=(0, 1))
    width, height = cells
    field = np.tile(begun, (-(-height // _TILE), -(-width // _TILE)))[:height, :width]
    if size != cells:
        return np.asarray(cv2.resize(field, size, interpolation=cv2.INTER_AREA), dtype=np.float32)
    return np.ascontiguousarray(field)
