"""The one renderer: table and pixels in, pixels out, at any size, for preview, wall and delivery alike."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cache, cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from nuvett.core.drawing import lattice
from nuvett.core.spatial.soft_colour import TornRows
from nuvett.core.table.table import ShapedTable, check_table
from nuvett.core.types import Encoded01, Floats

Pixels = NDArray[Any]
"""(H, W, 3) uint8, uint16 or float32 encoded pixels."""

STRIP_ROWS = 256
_NOISE_SIDE = 64
BLOCK_PIXELS = 128_000  # rendered at once: what fits the processor's cache


@dataclass(frozen=True)
class _Laid:
    """A table as `lattice.drawn` takes it."""

    bases: NDArray[np.int32]
    fractions: Floats
    knots: Floats
    lattice: Floats
    side: int

    @classmethod
    def of(cls, table: Floats, shaper: Floats | None) -> "_Laid":
        side, shares = table.shape[0], np.linspace(0, 1, 256)
        ends = np.array([0.0, 1.0]) if shaper is None else np.clip(shaper.astype(np.float64), 0, 1)
        places = np.interp(shares, np.linspace(0, 1, len(ends)), ends) * (side - 1)
        cells = np.minimum(places.astype(np.int32), side - 2)
        colours = np.zeros((side**3, 4), np.float32)
        np.clip(table.reshape(-1, 3), 0, 1, out=colours[:, :3])
        bases = np.stack([cells * side * side, cells * side, cells]).astype(np.int32)
        knots = np.stack([ends, np.diff(ends, append=ends[-1])], axis=1) * (side - 1)
        return cls(bases, (places - cells).astype(np.float32), knots.astype(np.float32), colours, side)


class Renderer:
    """Applies one table (S, S, S, 3), indexed red, green, blue, by tetrahedral interpolation, after its shaper."""

    def __init__(self, source: Floats | ShapedTable) -> None:
        self._table = source.table if isinstance(source, ShapedTable) else source
        self._shaper = source.shaper if isinstance(source, ShapedTable) else None
        check_table(self._table)

    @cached_property
    def _laid(self) -> _Laid:
        return _Laid.of(self._table, self._shaper)

    def _draw(
        self,
        source: Pixels,
        out: Pixels,
        at: tuple[int, int],
        in_planes: bool,
        into_planes: bool,
        torn: TornRows | None = None,
    ) -> None:
        of, source = self._laid, source if in_planes else _side_by_side(source)
        laid = (of.bases, of.fractions, of.knots, of.lattice, of.side)
        lattice.drawn(source, in_planes, *laid, _grain(), at, out, into_planes, torn)

    def lay(self, pixels: Pixels, left: int, top: int, out: Pixels, torn: TornRows | None = None) -> None:
        """A part (H, W, 3) of a frame laid into `out`, 8 or 16 bit: the pixels that `picture` gives there.

        torn : where soft colour is mended on the way

        8-bit output is dithered by less than half a code, tied to the place in the picture: what needed no
        change gets none, and the same place gets the same pixels however the picture is cut into parts. `out` may be
        the pixels themselves.
        """
        self._draw(pixels, out, (left, top), False, False, torn)

    def coloured(self, pixels: Pixels) -> Floats:
        """Planes (3, H, W) of encoded colours of pixels (H, W, 3), in floating point."""
        made = np.empty((3, *pixels.shape[:2]), dtype=np.float32)
        self._draw(pixels, made, (0, 0), False, True)
        return made

    def lay_planes(self, planes: Floats, left: int, top: int, out: Pixels) -> None:
        """Planes (3, H, W) of encoded colours through the table into a part `out` (H, W, 3), 8 or 16 bit."""
        self._draw(planes, out, (left, top), True, False)

    def coloured_planes(self, planes: Floats) -> Floats:
        """As `coloured`, of planes (3, H, W) of encoded colours."""
        made = np.empty(planes.shape, dtype=np.float32)
        self._draw(planes, made, (0, 0), True, True)
        return made

    def picture(self, pixels: Pixels, depth: int = 8, threads: int = 1, rows: int = STRIP_ROWS) -> Pixels:
        """A whole picture (H, W, 3), in row strips on `threads` threads; the same pixels whatever the two are."""
        out = empty(pixels.shape[:2], depth)

        def work(top: int) -> None:
            self.lay(pixels[top : top + rows], 0, top, out[top : top + rows])

        by_rows(work, len(pixels), rows, threads)
        return out


def by_rows(work: Callable[[int], None], height: int, rows: int, threads: int) -> None:
    """Do work at the first of every so many rows, on `threads` threads where there is more than one to be used."""
    tops = range(0, height, rows)
    if threads == 1 or len(tops) == 1:
        for top in tops:
            work(top)
    else:
        with ThreadPoolExecutor(threads) as pool:
            list(pool.map(work, tops))


def in_floats(pixels: Pixels) -> Encoded01:
    """Pixels as encoded values 0 to 1, in floating point."""
    if pixels.dtype == np.float32:
        return Encoded01(pixels)
    return Encoded01(np.multiply(pixels, np.float32(1 / np.iinfo(pixels.dtype).max), dtype=np.float32))


def empty(size: tuple[int, int], depth: int) -> Pixels:
    """A picture (H, W, 3) of a size (height, width) to be filled, of 8 or 16 bit."""
    return np.empty((*size, 3), dtype=np.uint16 if depth == 16 else np.uint8)


def lay_rounded(planes: Floats, left: int, top: int, out: Pixels, torn: TornRows | None = None) -> None:
    """Planes (3, H, W) of encoded values 0 to 1 laid into `out` (H, W, 3), 8 or 16 bit, dithered as by `Renderer.lay`.

    torn : where soft colour is mended on the way
    """
    lattice.rounded(planes, _grain(), (left, top), out, torn)


def _side_by_side(pixels: Pixels) -> Pixels:
    size = pixels.itemsize
    return pixels if pixels.strides[1:] == (3 * size, size) else np.ascontiguousarray(pixels)


@cache
def _grain() -> Floats:
    """(64, 64, 4) dither noise, half a code up, since the kernel cuts off what lies beyond a whole one."""
    noise = np.random.default_rng(20).uniform(-0.498, 0.498, (_NOISE_SIDE, _NOISE_SIDE, 3)).astype(np.float32)
    grain = np.zeros((_NOISE_SIDE, _NOISE_SIDE, 4), np.float32)
    grain[..., :3] = noise + np.float32(0.5)
    grain.setflags(write=False)
    return grain
