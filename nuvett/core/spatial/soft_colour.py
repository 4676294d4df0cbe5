"""Fine differences of colour in soft places, kept near the frame's own: haze, sky, skin and blur do not tear.

A look that pulls near colours apart makes more of noise, and of steps between compression blocks. Where luminance and
colour hardly vary, what pixels' colours are off the mean about them is drawn in until it deviates by no more than it
did in the frame as it came; the mean itself, and luminance, are as the look made them.

Means and deviations are those of cells that lie where they lie in the frame, and are looked up between their centres,
so that every part agrees with the whole.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nuvett.core import lanes
from nuvett.core.plan.finish import SoftColourOperation
from nuvett.core.spatial import finishing
from nuvett.core.spatial.enlarging import Enlarged, Part
from nuvett.core.types import Floats

MIN_SCALE = 0.5
"""Of the frame's own pixels, below which a picture is drawn without: what is fine has gone then."""

_CELL = 8  # pixels of the frame a side
_REACH = 4  # cells about a pixel that it depends on
_ROUGH, _COLOURED = 0.05, 0.03  # encoded luminance, and colour, that varies so much is half left as the look made it
_PIXELS = 48_000  # worked on at once: what fits the processor's cache, with all that is looked up for it
_ROUNDED = 0.5 / 255  # noise that eight bits have anyway, and nobody sees

Rows = Callable[[slice], Floats]
"""Planes (3, n, w) of rows of a part."""


@dataclass(frozen=True)
class TornRows:
    """Where soft colour is torn in rows of a part, from row `first` of it on: maps as in `Torn`, enlarged."""

    maps: Enlarged
    amount: float
    first: int


class OverPart:
    """What is torn, looked up at the pixels of a part of a frame."""

    def __init__(self, maps: Floats, amount: float, part: Part) -> None:
        """maps, amount : as in `Torn`; part : begins as far into the first cell as it says."""
        self._laid, self._amount = Enlarged(maps, part), amount

    def rows(self, first: int) -> TornRows:
        """The same for rows from one on, as what lays codes takes it."""
        return TornRows(self._laid, self._amount, first)

    def mend(self, first: int, planes: Floats) -> None:
        """Draw fine differences of planes (3, n, w) of some rows, from one on, in where colour is torn."""
        above, below = self._laid.at[0, first], self._laid.at[1, first + planes.shape[1] - 1]
        if self._laid.across[0, above : below + 1].any():
            share, red, blue = self._laid.rows(first, planes.shape[1])
            lanes.drawn_in(planes, share, red, blue, np.array([self._amount], dtype=np.float32))


@dataclass(frozen=True)
class Torn:
    """Where soft colour is torn in a part of a frame, for each cell: maps (3, R, C) as `lanes.drawn_in` takes them.

    cell : pixels a side; at : pixel of the frame at which the first cell begins; amount : of it that is mended, 0 to 1
    """

    maps: Floats
    cell: int
    at: tuple[int, int]
    amount: float

    def over(self, part: Part) -> OverPart | None:
        """The same over a part that lies in it; none where nothing is torn."""
        if not self.maps[0].any():
            return None
        cells = (self.cell * self.maps.shape[2], self.cell * self.maps.shape[1])
        into = Part(part.left - self.at[0], part.top - self.at[1], part.width, part.height, cells)
        return OverPart(self.maps, self.amount, into)


class SoftColour:
    """What the operation does to a frame drawn at a scale, in pixels drawn for one of its own.

    `halo` is how many pixels around a part it needs.
    """

    def __init__(self, operation: SoftColourOperation, scale: float) -> None:
        self._operation = operation
        self._cell = 2 * max(1, round(_CELL / 2 * scale))
        self.halo = _REACH * self._cell - 1

    def torn(self, part: Part, coloured: Rows, came: Rows) -> Torn:
        """Where soft colour is torn in a part, as a look made it of the frame as it came.

        The middle row of each cell is looked at, and tells as much as all.
        """
        cell = self._cell
        left, top = part.left % cell, part.top % cell
        sums = np.zeros((8, -(-(top + part.height) // cell), -(-(left + part.width) // cell)))
        at_once = cell * max(1, _PIXELS // part.width)
        for first in range((cell // 2 - part.top) % cell, part.height, at_once):
            rows = slice(first, min(first + at_once, part.height), cell)
            finishing.cell_sums(came(rows), coloured(rows), cell, (left, (top + first) // cell), sums)
        means = sums / np.bincount((np.arange(part.width) + left) // cell)
        if (top + part.height - 1) % cell < cell // 2 and means.shape[1] > 1:
            means[:, -1] = means[:, -2]  # cut off before its middle row
        return Torn(self._maps(means), cell, (part.left - left, part.top - top), self._operation.amount)

    def _maps(self, means: NDArray[np.float64]) -> Floats:
        """For each cell (3, R, C): how far differences are drawn in, then means of red and blue off luminance.

        means : (8, R, C) of cells, as `finishing.cell_sums` has them
        """
        own_red, own_blue, own_squares, red, blue, squares, light, light_squares = means
        own = own_squares - own_red**2 - own_blue**2
        deviations = (own, squares - red**2 - blue**2, light_squares - light**2)
        own, made, rough, *colours = _smoothed(np.stack([*deviations, red, blue], dtype=np.float32))
        own, made = np.maximum(own, 0), np.maximum(made, 0)
        times = np.sqrt(made / (own + np.float32(_ROUNDED**2))) / self._operation.most
        calm = 1 / ((1 + np.square(rough / _ROUGH**2)) * (1 + np.square(own / _COLOURED**2)))
        share = calm * (1 - 1 / np.maximum(times, 1))
        # Means of colour are wide enough to hold nothing of a block of thinned colour.
        return np.stack([share, *_smoothed(np.stack(colours))]).astype(np.float32)


def _smoothed(values: Floats) -> Floats:
    """Means (K, R, C) over three cells each way, the middle one counted twice."""
    wide = np.pad(values, ((0, 0), (1, 1), (1, 1)), mode="edge")
    wide = wide[:, :-2] + 2 * wide[:, 1:-1] + wide[:, 2:]
    return np.asarray((wide[..., :-2] + 2 * wide[..., 1:-1] + wide[..., 2:]) / 16, dtype=np.float32)
