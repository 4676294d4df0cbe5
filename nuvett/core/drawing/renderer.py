"""The one renderer: table and pixels in, pixels out, at any size, for preview, wall and delivery alike."""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cache, cached_property, lru_cache
from typing import Any

import cv2
import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from nuvett.core.drawing.lattice import drawn
from nuvett.core.table.table import ShapedTable, check_table
from nuvett.core.types import Encoded01, Floats

Pixels = NDArray[Any]
"""(H, W, 3) uint8, uint16 or float32 encoded pixels."""

STRIP_ROWS = 256
_NOISE_SIDE = 64
BLOCK_PIXELS = 128_000  # rendered at once: what fits the processor's cache
_DEPTHS: dict[str, ocio.BitDepth] = {
    "uint8": ocio.BIT_DEPTH_UINT8,
    "uint16": ocio.BIT_DEPTH_UINT16,
    "float32": ocio.BIT_DEPTH_F32,
}


@dataclass(frozen=True)
class _Codes:
    """A table as pixels of eight bits look into it; as `lattice.drawn` takes it."""

    bases: NDArray[np.int32]
    fractions: Floats
    lattice: Floats
    side: int

    @classmethod
    def of(cls, table: Floats, shaper: Floats | None) -> "_Codes":
        side, shares = table.shape[0], np.linspace(0, 1, 256)
        if shaper is not None:
            shares = np.clip(np.interp(shares, np.linspace(0, 1, len(shaper)), shaper), 0, 1)
        places = shares * (side - 1)
        cells = np.minimum(places.astype(np.int32), side - 2)
        lattice = np.zeros((side**3, 4), np.float32)
        np.multiply(table.reshape(-1, 3), np.float32(255), out=lattice[:, :3])
        bases = np.stack([cells * side * side, cells * side, cells]).astype(np.int32)
        return cls(bases, (places - cells).astype(np.float32), lattice, side)


class Renderer:
    """Applies one table (S, S, S, 3), indexed red, green, blue, by tetrahedral interpolation, after its shaper."""

    def __init__(self, source: Floats | ShapedTable) -> None:
        self._table = source.table if isinstance(source, ShapedTable) else source
        self._shaper = source.shaper if isinstance(source, ShapedTable) else None
        check_table(self._table)
        self._ready: dict[tuple[str, str], ocio.CPUProcessor] = {}

    # Either is asked for by some pictures only, and takes as long to make ready as a preview to draw.
    @cached_property
    def _codes(self) -> _Codes:
        return _Codes.of(self._table, self._shaper)

    @cached_property
    def _processor(self) -> ocio.Processor:
        transform = ocio.Lut3DTransform(self._table.shape[0])
        transform.setData(np.ascontiguousarray(self._table, dtype=np.float32).reshape(-1))
        transform.setInterpolation(ocio.INTERP_TETRAHEDRAL)
        group = ocio.GroupTransform([transform])
        if self._shaper is not None:
            shaper = ocio.Lut1DTransform(len(self._shaper), False)
            shaper.setData(np.repeat(self._shaper.astype(np.float32), 3))
            group.prependTransform(shaper)
        return _configured().getProcessor(group)

    def _apply(self, source: Pixels, made: Pixels) -> None:
        """Run pixels through the table; what the library prepares for a pair of kinds is kept."""
        kinds = (source.dtype.name, made.dtype.name)
        if kinds not in self._ready:
            depths = (_DEPTHS[kind] for kind in kinds)
            self._ready[kinds] = self._processor.getOptimizedCPUProcessor(*depths, ocio.OPTIMIZATION_LOSSLESS)
        self._ready[kinds].apply(_described(source), _described(made))

    def strip(self, pixels: Pixels, first_row: int, depth: int) -> Pixels:
        """Rows (H, W, 3) that start at `first_row` of the picture, as 8 or 16 bit.

        8-bit output is dithered by less than half a code, tied to the place in the picture: what needed no
        change gets none, and the same place gets the same pixels however the picture is cut into strips.
        """
        pixels = np.ascontiguousarray(pixels)
        made = np.empty(pixels.shape, dtype=np.uint16 if depth == 16 else np.uint8)
        if depth == 8 and pixels.dtype == np.uint8:
            of, row = self._codes, first_row % _NOISE_SIDE
            drawn(pixels, of.bases, of.fractions, of.lattice, of.side, _grain(), row, made)
            return made
        rows = min(_NOISE_SIDE, max(1, BLOCK_PIXELS // pixels.shape[1]))
        noise = _noise(pixels.shape[1])
        block = np.empty((rows, *pixels.shape[1:]), dtype=np.float32)
        at = 0
        while at < len(pixels):
            start = (first_row + at) % _NOISE_SIDE
            count = min(rows, len(pixels) - at, _NOISE_SIDE - start)
            target = made[at : at + count]
            if depth == 16:
                self._apply(pixels[at : at + count], target)
            else:
                part = block[:count]
                self._apply(pixels[at : at + count], part)
                flat, grain = part.reshape(count, -1), noise[start : start + count].reshape(count, -1)
                cv2.addWeighted(flat, 255, grain, 1, 0, dst=target.reshape(count, -1), dtype=cv2.CV_8U)
            at += count
        return made

    def part(self, pixels: Pixels, left: int, top: int, depth: int = 8) -> Pixels:
        """A part (H, W, 3) of a frame, 8 or 16 bit: the pixels that `picture` gives there."""
        offset = left % _NOISE_SIDE
        padded = np.pad(pixels, ((0, 0), (offset, 0), (0, 0)), mode="edge")
        return self.strip(padded, top, depth)[:, offset:]

    def coloured(self, pixels: Pixels) -> Encoded01:
        """Encoded colours (H, W, 3) of pixels, in floating point."""
        source = np.ascontiguousarray(pixels)
        made = np.empty(source.shape, dtype=np.float32)
        self._apply(source, made)
        return Encoded01(made)

    def picture(self, pixels: Pixels, depth: int = 8, threads: int = 1, rows: int = STRIP_ROWS) -> Pixels:
        """A whole picture (H, W, 3), in row strips on `threads` threads; the same pixels whatever the two are."""
        out = np.empty(pixels.shape, dtype=np.uint16 if depth == 16 else np.uint8)

        def work(top: int) -> None:
            out[top : top + rows] = self.strip(pixels[top : top + rows], top, depth)

        tops = range(0, len(pixels), rows)
        if threads == 1 or len(tops) == 1:
            for top in tops:
                work(top)
        else:
            with ThreadPoolExecutor(threads) as pool:
                list(pool.map(work, tops))
        return out


def in_floats(pixels: Pixels) -> Encoded01:
    """Pixels as encoded values 0 to 1, in floating point."""
    if pixels.dtype == np.float32:
        return Encoded01(pixels)
    return Encoded01(np.multiply(pixels, np.float32(1 / np.iinfo(pixels.dtype).max), dtype=np.float32))


def rounded(encoded: Floats, left: int, top: int, depth: int) -> Pixels:
    """Encoded values (H, W, 3) 0 to 1 as 8 or 16 bit; those of 8 dithered by the noise of their place in the frame."""
    if depth == 16:
        return np.asarray(np.rint(encoded * 65535), dtype=np.uint16)
    out = np.empty(encoded.shape, dtype=np.uint8)
    offset = left % _NOISE_SIDE
    noise = _noise(encoded.shape[1] + offset)[:, offset:]
    at = 0
    while at < len(encoded):
        start = (top + at) % _NOISE_SIDE
        count = min(len(encoded) - at, _NOISE_SIDE - start)
        grain = np.ascontiguousarray(noise[start : start + count]).reshape(count, -1)
        target = out[at : at + count].reshape(count, -1)
        cv2.addWeighted(encoded[at : at + count].reshape(count, -1), 255, grain, 1, 0, dst=target, dtype=cv2.CV_8U)
        at += count
    return out


def _described(pixels: Pixels) -> ocio.PackedImageDesc:
    height, width, _ = pixels.shape
    size = pixels.itemsize
    return ocio.PackedImageDesc(pixels, width, height, 3, _DEPTHS[pixels.dtype.name], size, size * 3, size * 3 * width)


@cache
def _configured() -> ocio.Config:
    """What the library works under: nothing but what it is given, and nothing of it kept."""
    config = ocio.Config.CreateRaw()
    config.setProcessorCacheFlags(ocio.PROCESSOR_CACHE_OFF)
    return config


@cache
def _noise_tile() -> Floats:
    return np.random.default_rng(20).uniform(-0.498, 0.498, (_NOISE_SIDE, _NOISE_SIDE, 3)).astype(np.float32)


@cache
def _grain() -> Floats:
    """(64, 64, 4) the same noise, half a code up, since the kernel cuts off what lies beyond a whole one."""
    grain = np.zeros((_NOISE_SIDE, _NOISE_SIDE, 4), np.float32)
    grain[..., :3] = _noise_tile() + np.float32(0.5)
    grain.setflags(write=False)
    return grain


@lru_cache(maxsize=4)
def _noise(width: int) -> Floats:
    """(64, width, 3) dither noise, a tile repeated along the row."""
    noise = np.tile(_noise_tile(), (1, -(-width // _NOISE_SIDE), 1))[:, :width].copy()
    noise.setflags(write=False)
    return noise
