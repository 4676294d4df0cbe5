"""Parts of a frame averaged in cells, and small maps of it looked up at every pixel of a part, some rows at a time."""

from dataclasses import dataclass

import cv2
import numpy as np

from nuvett.core.spatial import finishing
from nuvett.core.types import Floats

BLOCK_PIXELS = 64_000
"""Worked on at once: what fits the processor's cache with all that is looked up for it."""


@dataclass(frozen=True)
class Part:
    """A part of a frame, in pixels: where it begins, its own size, and the size (width, height) of the frame."""

    left: int
    top: int
    width: int
    height: int
    frame: tuple[int, int]


class Enlarged:
    """A map (C, h, w) of a frame, enlarged where a part of it lies: linear, or cubic where its bends would show.

    across : (C, count, w) rows of the map, enlarged across; at, shares : (2 or 4, h) which of them lie about each row
        of the part, and how much of each

    The cubic kernel is that of Keys, "Cubic convolution interpolation for digital image processing" (1981), a = -1/2.
    """

    def __init__(self, small: Floats, part: Part, cubic: bool = False) -> None:
        columns, across = _shares(part.left, part.width, small.shape[2] / part.frame[0], small.shape[2], cubic)
        rows, self.shares = _shares(part.top, part.height, small.shape[1] / part.frame[1], small.shape[1], cubic)
        first = int(rows.min())
        needed = np.ascontiguousarray(small[:, first : rows.max() + 1], dtype=np.float32)
        planes, count = needed.shape[:2]
        self.across = np.empty((planes, count, part.width), dtype=np.float32)
        finishing.across(needed.reshape(planes * count, -1), columns, across, self.across.reshape(planes * count, -1))
        self.at = rows - np.int32(first)
        self._out = np.empty((planes, 0, part.width), dtype=np.float32)

    def rows(self, first: int, count: int) -> Floats:
        """(C, count, w) rows of the part, until the next are asked for."""
        if self._out.shape[1] != count:
            self._out = np.empty((self._out.shape[0], count, self._out.shape[2]), dtype=np.float32)
        finishing.down(self.across, self.at, self.shares, first, self._out)
        return self._out


def _shares(first: int, count: int, scale: float, most: int, cubic: bool) -> tuple[np.ndarray, Floats]:
    """Which values (2 or 4, count) of a row of `most` give each pixel from the first on, and how much of each.

    scale : values for a pixel
    """
    at = (np.arange(count) + first + 0.5) * scale - 0.5
    whole = np.floor(at)
    t = at - whole
    if cubic:
        beside = (((2 - t) * t - 1) * t / 2, (t - 1) * t * t / 2)
        inner = ((3 * t - 5) * t * t / 2 + 1, ((4 - 3 * t) * t + 1) * t / 2)
        shares = np.stack([beside[0], *inner, beside[1]])
        taps = np.arange(-1, 3)
    else:
        shares, taps = np.stack([1 - t, t]), np.arange(2)
    places = np.clip(whole[None] + taps[:, None], 0, most - 1)
    return np.ascontiguousarray(places, dtype=np.int32), np.ascontiguousarray(shares, dtype=np.float32)


def in_cells(values: Floats, cell: int, at: tuple[int, int]) -> tuple[Floats, tuple[int, int]]:
    """Means of values (h, w) or (h, w, C) of a part, over cells of so many pixels that lie where they lie in the frame.

    at : the pixel of the frame that the part begins at; also returned: how far into its first cell that lies

    A cell that is cut off has the colour of the one beside it.
    """
    into, (x, y) = (at[0] % cell, at[1] % cell), (-at[0] % cell, -at[1] % cell)
    if cell == 1:
        return values, into
    if x + cell > values.shape[1] or y + cell > values.shape[0]:  # no whole cell: what is beside it is like it
        values = _widened(values, into[0], into[1], cell, cell)
        x = y = 0
    across, down = (values.shape[1] - x) // cell, (values.shape[0] - y) // cell
    inner = values[y : y + down * cell, x : x + across * cell]
    small = np.asarray(cv2.resize(inner, (across, down), interpolation=cv2.INTER_AREA), dtype=np.float32)
    right, below = values.shape[1] - x - across * cell, values.shape[0] - y - down * cell
    return _widened(small, *(int(beyond > 0) for beyond in (x, y, right, below))), into


def _widened(values: Floats, left: int, above: int, right: int, below: int) -> Floats:
    wide = cv2.copyMakeBorder(values, above, below, left, right, cv2.BORDER_REPLICATE)
    return np.asarray(wide, dtype=np.float32)
