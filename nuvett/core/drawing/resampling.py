"""The one resampling of a frame: what geometry shows, looked up in the source."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import cv2
import numpy as np

from nuvett.core.drawing.renderer import Pixels
from nuvett.core.geometry.geometry import Placing
from nuvett.core.types import Floats

_FRINGE = 24  # source pixels that red and blue may lie apart from green
_REACH = 2  # source pixels around a place that the cubic kernel looks at
_ALONG = 17  # places along each edge of a part
_GRID = 32  # places a pixel that the library tells apart
Box = tuple[int, int, int, int]
"""Left, top, width and height in pixels."""


@dataclass(frozen=True)
class Resampling:
    """A picture of a size (width, height) drawn from a source of a size, both in pixels, by where places come from."""

    placing: Placing
    size: tuple[int, int]
    source: tuple[int, int]

    @cached_property
    def is_plain(self) -> bool:
        """Whether the picture is the source as it is."""
        return self.placing.is_plain and self.size == self.source

    def places(self, box: Box) -> tuple[Floats, Floats]:
        """Shares of the original x, y (h, w) that the pixels of a part of the picture show."""
        width, height = box[2:]
        x, y = self._across(box)
        if self.placing.is_plain:
            found = (np.broadcast_to(v.astype(np.float32), (height, width)) for v in (x, y))
        else:
            found = (np.broadcast_to(v, (height, width)) for v in self.placing.original(x, y))
        along, down = (np.ascontiguousarray(v, dtype=np.float32) for v in found)
        return along, down

    def around(self, box: Box) -> Box:
        """The part of the source that a part of the picture is drawn from."""
        if self.is_plain:
            return box
        left, top, width, height = box
        # Corners are enough for straight lines; those that a lens bends are followed along the edge.
        ends = np.linspace(0, 1, 2 if self.placing.lens is None else _ALONG)
        zeros, ones = np.zeros_like(ends), np.ones_like(ends)
        across = (left + width * np.concatenate([ends, ends, zeros, ones])) / self.size[0]
        down = (top + height * np.concatenate([zeros, ones, ends, ends])) / self.size[1]
        x, y = self.placing.original(across, down)
        columns, rows = x * self.source[0], y * self.source[1]
        reach = _REACH + (0 if self.placing.lens is None else _FRINGE)
        first = [max(0, int(np.floor(v.min())) - reach - 1) for v in (columns, rows)]
        last = [
            min(most, int(np.ceil(v.max())) + reach + 1) for v, most in zip((columns, rows), self.source, strict=True)
        ]
        return first[0], first[1], max(1, last[0] - first[0]), max(1, last[1] - first[1])

    def drawn(self, pixels: Pixels, at: tuple[int, int], box: Box) -> Pixels:
        """Pixels (h, w, 3) of a part of the picture, from a part of the source that begins at `at`.

        A cubic kernel on encoded values: as sharp as longer ones to the eye, and with one overshoot instead of waves.
        """
        lens = self.placing.lens
        if lens is None or not lens.parts_colours:
            return _remapped(pixels, self._grid(box, at))
        across, down = self._across(box)
        places = lens.in_file_each(*self._straight(across, down), self.placing.source)
        planes = [
            _remapped(np.ascontiguousarray(pixels[..., index]), self._on_grid(shares, at))
            for index, shares in enumerate(places)
        ]
        return np.asarray(cv2.merge(planes))

    def _across(self, box: Box) -> tuple[Any, Any]:
        """Shares of the picture across (1, w) and down (h, 1) a part of it."""
        left, top, width, height = box
        across = (np.arange(width, dtype=np.float64)[None] + (left + 0.5)) / self.size[0]
        return across, (np.arange(height, dtype=np.float64)[:, None] + (top + 0.5)) / self.size[1]

    def _grid(self, box: Box, at: tuple[int, int]) -> tuple[Floats, Floats]:
        """Where the pixels of a part lie in a part of the source that begins at `at`, in its pixels.

        On the grid that the library rounds to, so that the same place is the same wherever the part begins.
        """
        across, down = self._across(box)
        if self.placing.lens is not None:
            return self._on_grid(self.placing.lens.in_file(*self._straight(across, down), self.placing.source), at)
        m: Any = self.placing.matrix / self.placing.matrix[2, 2]
        over = None if np.allclose(m[2, :2], 0, atol=1e-12) else 1 / (m[2, 0] * across + m[2, 1] * down + 1)
        found = []
        for axis in (0, 1):
            scale, back = _GRID * self.source[axis], _GRID * (0.5 + at[axis])
            if over is None:
                grid = (m[axis, 0] * across * scale) + ((m[axis, 1] * down + m[axis, 2]) * scale - back)
            else:
                grid = (m[axis, 0] * across + (m[axis, 1] * down + m[axis, 2])) * over
                grid *= scale
                grid -= back
            np.rint(grid, out=grid)
            found.append(np.multiply(grid, 1 / _GRID, dtype=np.float32, casting="unsafe"))
        return found[0], found[1]

    def _straight(self, across: Any, down: Any) -> tuple[Floats, Floats]:
        """Shares of the source as it would be without its lens, at shares of the picture."""
        m: Any = self.placing.matrix / self.placing.matrix[2, 2]
        over = m[2, 0] * across + m[2, 1] * down + 1
        x, y = ((m[axis, 0] * across + (m[axis, 1] * down + m[axis, 2])) / over for axis in (0, 1))
        return np.asarray(x, dtype=np.float32), np.asarray(y, dtype=np.float32)

    def _on_grid(self, shares: tuple[Any, Any], at: tuple[int, int]) -> tuple[Floats, Floats]:
        """Where shares of the source lie in a part of it that begins at `at`, on the library's own grid of places."""
        found = []
        for axis in (0, 1):
            grid = shares[axis] * np.float32(_GRID * self.source[axis])
            np.rint(grid - np.float32(_GRID * 0.5), out=grid)
            grid -= np.float32(_GRID * at[axis])
            found.append(np.multiply(grid, np.float32(1 / _GRID)))
        return found[0], found[1]


def _remapped(pixels: Pixels, grid: tuple[Floats, Floats]) -> Pixels:
    return np.asarray(cv2.remap(pixels, *grid, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE))
