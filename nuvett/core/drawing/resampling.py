"""The one resampling of a frame: what geometry shows, looked up in the source."""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from nuvett.core.drawing.boxes import Box
from nuvett.core.drawing.cubic import resampled
from nuvett.core.drawing.lens_light import curve_of_light
from nuvett.core.drawing.renderer import Pixels
from nuvett.core.geometry.geometry import Placing, Shares
from nuvett.core.geometry.lens import CHANNELS
from nuvett.core.spaces.rgb import SPACES, Space
from nuvett.core.types import Encoded01, Floats

_REACH = (40, 8)  # source pixels along and beside a run that the kernel looks at: 24 columns and 6 rows
_ALONG = 17  # places along each edge of a part
_SPACING, _FINE = 16, 4  # pixels between places that are worked out
# Pixels along the long edge from which the former will do: of the lens database's 1267 models of distortion, at their
# shortest focal lengths and this size, nine in ten are off by 0.06 pixel at most between places, half by 0.02.
_LARGE = 600


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
        x, y = (np.stack(shares) for shares in zip(*self._in_source(*self.placing.straight(across, down)), strict=True))
        columns, rows = x * self.source[0], y * self.source[1]
        reaches = _REACH[::-1] if self._turn[0] else _REACH
        first, last = [], []
        for found, most, reach in zip((columns, rows), self.source, reaches, strict=True):
            first.append(max(0, int(np.floor(found.min())) - reach))
            last.append(min(most, int(np.ceil(found.max())) + reach))
        return first[0], first[1], max(1, last[0] - first[0]), max(1, last[1] - first[1])

    def drawn(self, pixels: Pixels, at: tuple[int, int], box: Box, domain: Space = Space.SRGB) -> Encoded01:
        """Pixels (h, w, 3) of a part of the picture, from a part of the source that begins at `at`, in its domain.

        A cubic kernel on encoded values: as sharp as longer ones to the eye, and with one overshoot instead of waves.
        Light that the lens took is given back.
        """
        planes = next(drawn for _, drawn in self.blocks(pixels, at, box, domain, box[3]))
        return Encoded01(np.asarray(cv2.merge(list(planes)), dtype=np.float32))

    def blocks(
        self, pixels: Pixels, at: tuple[int, int], box: Box, domain: Space, rows: int
    ) -> Iterator[tuple[int, Floats]]:
        """`drawn`, by so many rows: the first row of each block within the part, and its planes (3, n, w)."""
        left, top, width, height = box
        spacing = self._spacing
        columns = np.arange(left // spacing, (left + width - 1) // spacing + 2) * spacing
        corners = np.arange(top // spacing, (top + height - 1) // spacing + 2) * spacing
        across, down = (columns[None] + 0.5) / self.size[0], (corners[:, None] + 0.5) / self.size[1]
        places = self._in_source(*self.placing.straight(across, down))
        grid = np.stack([np.stack([x * self.source[0] - 0.5, y * self.source[1] - 0.5]) for x, y in places])
        light = self._light(places, domain)
        planes, grid, part = _along_rows(_planes(pixels), grid, (*at, *self.source), self._turn)
        most = 1.0 if pixels.dtype == np.float32 else np.iinfo(pixels.dtype).max
        for first in range(0, height, rows):
            out = np.empty((3, min(rows, height - first), width), dtype=np.float32)
            within = (left % spacing, top % spacing + first, spacing, 1 / most)
            resampled(planes, part, grid, light, curve_of_light(domain), within, out)
            yield first, out

    @cached_property
    def _turn(self) -> tuple[bool, bool]:
        """Whether rows of the picture run along columns of the source, and whether backwards."""
        x, y = self.placing.straight(np.array([0.25, 0.75]), np.array([0.5, 0.5]))
        across, down = float(np.diff(x)[0]) * self.source[0], float(np.diff(y)[0]) * self.source[1]
        by_columns = abs(down) > abs(across)
        return by_columns, (down if by_columns else across) < 0

    @property
    def _spacing(self) -> int:
        """Pixels between places that are worked out: small pictures bend much within few pixels."""
        straight = self.placing.lens is None and np.allclose(self.placing.matrix[2, :2], 0, atol=1e-12)
        return _SPACING if straight or max(self.size) >= _LARGE else _FINE

    def _in_source(self, x: Shares, y: Shares) -> list[tuple[Shares, Shares]]:
        """Shares of the source as the file holds it, for all channels or for each, at those as it should be."""
        lens = self.placing.lens
        if lens is None:
            return [(x, y)]
        if lens.parts_colours:
            return [lens.in_file(x, y, self.placing.source, channel) for channel in CHANNELS]
        return [lens.in_file(x, y, self.placing.source)]

    def _light(self, places: list[tuple[Shares, Shares]], domain: Space) -> Floats:
        """Factors that give light back at shares of the source, as the kernel takes them."""
        lens = self.placing.lens
        if lens is None or not lens.darkens:
            return np.zeros((0, 1, 1), dtype=np.float32)
        light = lens.light(*places[len(places) // 2], self.placing.source)
        return np.stack([light, light ** np.float32(1 / SPACES[domain].curve.exponent)])

    def _across(self, box: Box) -> tuple[Shares, Shares]:
        """Shares of the picture across (1, w) and down (h, 1) a part of it."""
        left, top, width, height = box
        across = (np.arange(width, dtype=np.float64)[None] + (left + 0.5)) / self.size[0]
        return across, (np.arange(height, dtype=np.float64)[:, None] + (top + 0.5)) / self.size[1]


def _planes(pixels: Pixels) -> Pixels:
    planes = np.empty((3, *pixels.shape[:2]), dtype=pixels.dtype)
    cv2.split(pixels, list(planes))
    return planes


def _along_rows(
    planes: Pixels, grid: NDArray[np.float64], part: tuple[int, int, int, int], turn: tuple[bool, bool]
) -> tuple[Pixels, NDArray[np.float64], tuple[int, int, int, int]]:
    """Planes (3, H, W), places and part, turned so that rows of the picture run along rows of the source, to the right.

    turn : whether they run along columns; whether backwards. The kernel weighs runs of a row side by side, which
    quarter turns and mirrors would keep it from.
    """
    left, top, width, height = part
    by_columns, backwards = turn
    if by_columns:
        planes = np.stack([cv2.transpose(plane) for plane in planes])
        grid = np.ascontiguousarray(grid[:, ::-1])
        left, top, width, height = top, left, height, width
    if backwards:
        planes = np.stack([cv2.flip(plane, 1) for plane in planes])
        grid = np.stack([np.stack([width - 1 - across, down]) for across, down in grid])
        left = width - left - planes.shape[2]
    return planes, grid, (left, top, width, height)
