"""The one resampling of a frame: what geometry shows, looked up in the source."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import cv2
import numpy as np

from nuvett.core.drawing.renderer import Pixels
from nuvett.core.geometry.geometry import Placing
from nuvett.core.types import Floats

_REACH = 2  # source pixels around a place that the cubic kernel looks at
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
        left, top, width, height = box
        x = (np.arange(width, dtype=np.float64)[None] + (left + 0.5)) / self.size[0]
        y = (np.arange(height, dtype=np.float64)[:, None] + (top + 0.5)) / self.size[1]
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
        corners = [(left, top), (left + width, top), (left, top + height), (left + width, top + height)]
        across, down = (np.array([corner[i] / self.size[i] for corner in corners]) for i in (0, 1))
        x, y = self.placing.original(across, down)
        columns, rows = x * self.source[0], y * self.source[1]
        first = [max(0, int(np.floor(v.min())) - _REACH - 1) for v in (columns, rows)]
        last = [
            min(most, int(np.ceil(v.max())) + _REACH + 1) for v, most in zip((columns, rows), self.source, strict=True)
        ]
        return first[0], first[1], max(1, last[0] - first[0]), max(1, last[1] - first[1])

    def drawn(self, pixels: Pixels, at: tuple[int, int], box: Box) -> Pixels:
        """Pixels (h, w, 3) of a part of the picture, from a part of the source that begins at `at`.

        A cubic kernel on encoded values: as sharp as longer ones to the eye, and with one overshoot instead of waves.
        """
        x, y = self._grid(box, at)
        made = cv2.remap(pixels, x, y, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
        return np.asarray(made)

    def _grid(self, box: Box, at: tuple[int, int]) -> tuple[Floats, Floats]:
        """Where the pixels of a part lie in a part of the source that begins at `at`, in its pixels.

        On the grid that the library rounds to, so that the same place is the same wherever the part begins.
        """
        left, top, width, height = box
        across = (np.arange(width, dtype=np.float64)[None] + (left + 0.5)) / self.size[0]
        down = (np.arange(height, dtype=np.float64)[:, None] + (top + 0.5)) / self.size[1]
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
