"""Fine differences of colour in soft places, kept near the frame's own: haze, sky, skin and blur do not tear.

A look that pulls near colours apart makes more of noise, and of steps between compression blocks. Where luminance and
colour hardly vary, what pixels' colours are off the mean about them is drawn in until it deviates by no more than it
did in the frame as it came; the mean itself, and luminance, are as the look made them.

Means and deviations are those of cells that lie where they lie in the frame, and are looked up between their centres,
so that every part agrees with the whole.
"""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from nuvett.core.plan.finish import SoftColourOperation
from nuvett.core.spatial import soft
from nuvett.core.spatial.enlarging import Enlarged, Part
from nuvett.core.types import Floats

LEAST_SCALE = 0.5
"""Of the frame's own pixels, below which a picture is drawn without: what is fine has gone then."""

_CELL = 8  # pixels of the frame a side
_REACH = 4  # cells about a pixel that it depends on
_ROUGH, _COLOURED = 0.05, 0.03  # encoded luminance, and colour, that varies so much is half left as the look made it
_PIXELS = 48_000  # worked on at once: what fits the processor's cache, with all that is looked up for it
_ROUNDED = 0.5 / 255  # noise that eight bits have anyway
_UNSEEN = 0.4 / 255  # deviation of colour that nobody sees; twice that is seen

Rows = Callable[[slice], tuple[NDArray[Any], bool]]
"""Rows of a part of the frame as it came, pixels (n, w, 3) or planes (3, n, w), and whether they are planes."""


class SoftColour:
    """What the operation does to a frame drawn at a scale, in pixels drawn for one of its own.

    `halo` is how many pixels around a part it needs.
    """

    def __init__(self, operation: SoftColourOperation, scale: float) -> None:
        self.operation = operation
        self.cell = 2 * max(1, round(_CELL / 2 * scale))
        self.halo = _REACH * self.cell - 1
        self._spare: list[Floats] = []

    def looked_at(self, part: Part) -> "LookedAt":
        """A part of the frame, to be looked at."""
        return LookedAt(self, part)

    @contextmanager
    def room(self, part: Part) -> Iterator[Floats]:
        """Planes (3, h, w) to make a part in: those of one that is done, as new memory costs as much as the work."""
        try:
            made = self._spare.pop()
        except IndexError:
            made = np.empty((3, 0, 0), dtype=np.float32)
        wanted = (3, part.height, part.width)
        made = made if made.shape == wanted else np.empty(wanted, dtype=np.float32)
        yield made
        self._spare.append(made)


class LookedAt:
    """Where soft colour is torn in a part of a frame: what is made of it is added, by `blocks` of rows or at once."""

    def __init__(self, soft_colour: SoftColour, part: Part) -> None:
        self._operation, self._cell, self._part = soft_colour.operation, soft_colour.cell, part
        self._into = (part.left % self._cell, part.top % self._cell)
        across, down = (-(-(n + length) // self._cell) for n, length in zip(self._into, part.size, strict=True))
        self._sums = np.zeros((8, down, across))
        self.blocks = _blocks(part, self._cell)

    def add(self, rows: slice, own: Rows, made: Floats) -> None:
        """A block of rows as made, planes (3, n, w); own : asked for rows of the frame as it came."""
        # Every other row tells as much of what lies in a cell.
        skipped = (self._part.top + rows.start) % 2
        looked = slice(skipped, None, 2)
        first = (self._into[1] + rows.start + skipped) // 2
        came, in_planes = own(slice(rows.start + skipped, rows.stop, 2))
        cell, at = (self._cell, self._cell // 2), (self._into[0], first)
        soft.cell_sums(came, in_planes, made[:, looked], cell, at, self._sums)

    def torn(self) -> Iterator[tuple[slice, Floats]]:
        """Blocks of rows in which colour is torn, each with what `soft.draw_in` takes to mend it."""
        maps = self._maps(self._sums / _counts(self._part, self._cell, self._sums.shape))
        if not maps[0].any():
            return
        (left, top), cell = self._into, self._cell
        cells = (cell * maps.shape[2], cell * maps.shape[1])
        laid = Enlarged(maps, Part(left, top, *self._part.size, cells))
        for block in self.blocks:
            if maps[0, max(0, (top + block.start) // cell - 1) : (top + block.stop) // cell + 1].any():
                yield block, laid.rows(block.start, block.stop - block.start)

    def _maps(self, means: NDArray[np.float64]) -> Floats:
        """For each cell (3, R, C): how far differences are drawn in, then means of red and blue off luminance.

        means : (8, R, C) of cells, as `soft.cell_sums` has them
        """
        own_red, own_blue, own_squares, red, blue, squares, light, light_squares = means
        own = own_squares - own_red**2 - own_blue**2
        deviations = (own, squares - red**2 - blue**2, light_squares - light**2)
        own, made, rough, *colours = _smoothed(np.stack([*deviations, red, blue], dtype=np.float32))
        own, made = np.maximum(own, 0), np.maximum(made, 0)
        times = np.sqrt(made / (own + np.float32(_ROUNDED**2))) / self._operation.most
        calm = 1 / ((1 + np.square(rough / _ROUGH**2)) * (1 + np.square(own / _COLOURED**2)))
        seen = np.clip(np.sqrt(made) / np.float32(_UNSEEN) - 1, 0, 1)
        share = self._operation.amount * calm * seen * (1 - 1 / np.maximum(times, 1))
        # Means of colour are wide enough to hold nothing of a block of thinned colour.
        return np.stack([share, *_smoothed(np.stack(colours))]).astype(np.float32)


def _blocks(part: Part, cell: int) -> list[slice]:
    """Rows of a part, some at a time, cut where cells are."""
    rows = max(1, _PIXELS // part.width // cell) * cell
    ends = [0, *range(rows - part.top % cell, part.height, rows), part.height]
    return [slice(first, last) for first, last in pairwise(ends)]


def _counts(part: Part, cell: int, shape: tuple[int, ...]) -> NDArray[np.float64]:
    """Pixels of a part that are looked at in each cell of (..., R, C); 1 where there is none."""
    down, across = (
        np.bincount((np.arange(first % step, length, step) + first % cell) // cell, minlength=count)
        for first, length, step, count in (
            (part.top, part.height, 2, shape[-2]),
            (part.left, part.width, 1, shape[-1]),
        )
    )
    return np.asarray(np.maximum(down[:, None] * across, 1.0))


def _smoothed(values: Floats) -> Floats:
    """Means (K, R, C) over three cells each way, the middle one counted twice."""
    wide = np.pad(values, ((0, 0), (1, 1), (1, 1)), mode="edge")
    wide = wide[:, :-2] + 2 * wide[:, 1:-1] + wide[:, 2:]
    return np.asarray((wide[..., :-2] + 2 * wide[..., 1:-1] + wide[..., 2:]) / 16, dtype=np.float32)
