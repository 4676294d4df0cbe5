"""Finish: what is done to a picture beside its colours. Everything is sized relative to the frame.

Any part of a frame can be finished by itself: a pixel depends on those within `Finisher.halo` of it, on its place, and
on small maps made once for the frame. So strips, crops and whole pictures agree, whatever their shape.
"""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import TypeVar

import cv2
import numpy as np

from nuvett.core import lanes
from nuvett.core.fit.regions import move_regions
from nuvett.core.plan.finish import (
    FineOperation,
    FinishOperation,
    GlowOperation,
    GrainOperation,
    HalationOperation,
    HazeOperation,
    LocalOperation,
    NoiseOperation,
    RegionsOperation,
    SharpenOperation,
    SoftnessOperation,
    VignetteOperation,
)
from nuvett.core.plan.vignette import vignette
from nuvett.core.spatial import finishing
from nuvett.core.spatial.enlarging import BLOCK_PIXELS, Enlarged, Part, in_cells
from nuvett.core.spatial.grain import GRAIN_GAIN, Grain
from nuvett.core.spatial.maps import FrameMaps, softened
from nuvett.core.spatial.noise import less_noise, noise_reach
from nuvett.core.types import Encoded01, Floats, Mask01

_LOCAL_GAIN, _FINE_GAIN = 1.1, 1.3
_LARGE, _LARGE_FINE = 0.22, 0.12  # encoded luminance off the base that is an edge of things, and not their texture
_HAZE_MOST, _HAZE_LEAST = 0.75, 0.35  # share of the veil that is taken at most, and least transmission
_HAZE_ADDED = 0.6  # share of the veil that is added at most, and how much less of it where nothing veils
_GLOW_GAIN, _HALATION_GAIN = 0.7, 0.55
_HALATION_COLOUR = (1.0, 0.32, 0.1)  # of light that came back through the film
_SHARP_SIGMA, _SHARP_GAIN = 0.00055, 1.6
_GRAIN_LEAST = 0.1  # of grain in black and white
_SHARP_EDGE, _SHARP_SPARED = 0.004, 0.02  # gradient that is an edge, and by how much more where flat areas are spared
_SHARP_CELLS = 2.2  # cells that the spread of sharpening has at least
_SOFT_SHARE = 0.75
_BEFORE_SOFTNESS = (RegionsOperation, HazeOperation, LocalOperation, FineOperation)
_ON_MAPS = (*_BEFORE_SOFTNESS, SoftnessOperation, GlowOperation, HalationOperation)

_Kind = TypeVar("_Kind", bound=FinishOperation)
Acting = Callable[[Floats, int], None]
"""Changes planes (3, h, w) of a block, that begins at a row of the part, in place."""


@dataclass(frozen=True)
class InArea:
    """An operation, and the number of the layer whose weights say where it acts; none for everywhere."""

    operation: FinishOperation
    layer: int | None = None


def needs_maps(operations: Sequence[InArea]) -> bool:
    """Whether any of them looks at small maps of the whole frame."""
    return any(isinstance(o.operation, _ON_MAPS) for o in operations)


def maps_for(operations: Sequence[InArea], small: Encoded01, edge: int) -> FrameMaps:
    """Maps of a frame of a long edge, from its colours at about BASE_EDGE (h, w, 3), with what acts everywhere."""
    before = [o for o in operations if o.layer is None and isinstance(o.operation, _BEFORE_SOFTNESS)]
    maps = FrameMaps(small, [o.operation for o in before if isinstance(o.operation, RegionsOperation)])
    if any(isinstance(o.operation, SoftnessOperation) for o in operations):
        # What is laid over softly has the contrast that the sharp picture came to have before it.
        made = Finisher(before, (small.shape[1], small.shape[0]), 0, maps).finish(small, 0, 0)
        maps.soft = softened(made, edge)
    return maps


class Finisher:
    """Finishes parts of one frame of a size in pixels by operations, in their order; noise goes first.

    `halo` is how many pixels around a part it needs; of these, `finish` alone needs `finish_halo`.
    """

    def __init__(
        self, operations: Sequence[InArea], size: tuple[int, int], seed: int, maps: FrameMaps | None = None
    ) -> None:
        self._noises = [o for o in operations if isinstance(o.operation, NoiseOperation)]
        rest = [o for o in operations if not isinstance(o.operation, NoiseOperation)]
        # Regions come first: the maps of all others are made of a frame that has them.
        rest = sorted(rest, key=lambda o: not isinstance(o.operation, RegionsOperation))
        self._runs = _runs(rest)
        self._maps, self._size = maps, size
        self._grains = {o: Grain(o, size, seed) for o in _kinds(rest, GrainOperation)}
        self._edge = max(size)
        sharpened = _kinds(rest, SharpenOperation)
        self.finish_halo = sum(int(np.ceil(4 * self._sharp_sigma(o))) + 4 * self._sharp_cell(o) for o in sharpened)
        self.halo = self.finish_halo + sum(noise_reach(o, self._edge) for o in _kinds(self._noises, NoiseOperation))

    @property
    def has_noise_reduction(self) -> bool:
        """Whether pixels are changed before their colours are."""
        return bool(self._noises)

    def denoise(self, encoded: Encoded01, left: int, top: int, weights: Sequence[Mask01] = ()) -> Encoded01:
        """Noise reduction of a part (h, w, 3) that begins at a pixel of the frame, before its colours.

        weights : (h, w) of each layer
        """
        for noise in self._noises:
            if isinstance(noise.operation, NoiseOperation):
                made = less_noise(noise.operation, encoded, self._edge, left, top)
                if noise.layer is not None:
                    made = Encoded01(encoded + weights[noise.layer][..., None] * (made - encoded))
                encoded = made
        return encoded

    def finish(self, encoded: Encoded01, left: int, top: int, weights: Sequence[Mask01] = ()) -> Encoded01:
        """A part (h, w, 3) that begins at a pixel of the frame; what lies within the halo of a cut edge is not valid.

        weights : (h, w) of each layer
        """
        height, width = encoded.shape[:2]
        planes = np.array(np.moveaxis(encoded, 2, 0), dtype=np.float32, order="C")
        made = self.blocks(lambda rows: planes[:, rows], Part(left, top, width, height, self._size), weights)
        finished = np.concatenate([block for _, block in made], axis=1)
        return Encoded01(np.ascontiguousarray(np.moveaxis(np.clip(finished, 0, 1), 0, 2)))

    def blocks(
        self, coloured: Callable[[slice], Floats], part: Part, weights: Sequence[Mask01] = ()
    ) -> Iterator[tuple[int, Floats]]:
        """Planes (3, n, w) of rows of a part, each with the row of the part that it begins at; beyond 0 to 1 as well.

        coloured : planes of rows of the part before they are finished, asked for once
        """
        rows, kept = max(1, BLOCK_PIXELS // part.width), list[Floats]()
        light = np.empty((part.height if len(self._runs) > 1 else 0, part.width), dtype=np.float32)
        for run in self._runs:
            acting = [(self._acting(own.operation, light, part), own.layer) for own in run]
            is_first, is_last = run is self._runs[0], run is self._runs[-1]
            for number, first in enumerate(range(0, part.height, rows)):
                block = slice(first, min(first + rows, part.height))
                planes = np.ascontiguousarray(coloured(block)) if is_first else kept[number]
                for act, layer in acting:
                    before = None if layer is None else planes.copy()
                    act(planes, first)
                    if layer is not None and before is not None:
                        planes -= before
                        planes *= weights[layer][block]
                        planes += before
                if is_last:
                    yield first, planes
                    continue
                finishing.luminance(planes, light[block])
                if is_first:
                    kept.append(planes)

    def _acting(self, operation: FinishOperation, light: Floats, part: Part) -> Acting:
        """What an operation does in a part; light : its luminance (h, w) before, for what looks at pixels about it."""
        match operation:
            case RegionsOperation():
                return self._by_regions(operation, part)
            case HazeOperation():
                return self._hazed(operation.amount, part)
            case LocalOperation():
                return _detailed(Enlarged(self._needed_maps.base, part), _LOCAL_GAIN * operation.amount, _LARGE)
            case FineOperation():
                return _detailed(Enlarged(self._needed_maps.fine, part), _FINE_GAIN * operation.amount, _LARGE_FINE)
            case GlowOperation():
                shares = [_GLOW_GAIN * operation.amount] * 3
                return _screened(Enlarged(self._needed_maps.glow, part, cubic=True), shares)
            case HalationOperation():
                shares = [_HALATION_GAIN * operation.amount * share for share in _HALATION_COLOUR]
                return _screened(Enlarged(self._needed_maps.halation, part, cubic=True), shares)
            case SoftnessOperation():
                return self._softened(operation.amount, part)
            case SharpenOperation():
                return self._sharpened(operation, light, (part.left, part.top))
            case VignetteOperation():
                return _vignetted(operation, part)
            case GrainOperation():
                return self._grained(operation, part)
        raise ValueError(f"nothing finishes {type(operation).__name__}")

    @property
    def _needed_maps(self) -> FrameMaps:
        if self._maps is None:
            raise ValueError("what looks at the frame as a whole needs maps of it")
        return self._maps

    def _by_regions(self, operation: RegionsOperation, part: Part) -> Acting:
        tones = Enlarged(self._needed_maps.tones, part)

        def act(planes: Floats, first: int) -> None:
            slope, offset = tones.rows(first, planes.shape[1])
            move_regions(planes, slope * _luminance(planes) + offset, operation.shares)

        return act

    def _hazed(self, amount: float, part: Part) -> Acting:
        """Haze taken away where the veil is thick, or added there, towards its own grey."""
        taken, added = _HAZE_MOST * max(amount, 0), _HAZE_ADDED * min(amount, 0)
        how = _numbers(self._needed_maps.airlight, taken, _HAZE_LEAST, added, _HAZE_ADDED)
        return _over(lanes.hazed, Enlarged(self._needed_maps.transmission, part), how)

    def _softened(self, amount: float, part: Part) -> Acting:
        """A soft picture laid over the sharp one."""
        return _over(lanes.mixed, Enlarged(self._needed_maps.soft, part, cubic=True), _numbers(_SOFT_SHARE * amount))

    def _sharpened(self, operation: SharpenOperation, light: Floats, at: tuple[int, int]) -> Acting:
        """Unsharp masking of luminance, less where there are no edges."""
        blurred, gain = self._blurred(operation, light, at), _numbers(_SHARP_GAIN * operation.amount)

        def act(planes: Floats, first: int) -> None:
            mask = np.empty(planes.shape[1:], dtype=np.float32)
            finishing.edges(blurred, first, operation.spared, _steep(operation), mask)
            lanes.sharpened(planes, blurred[first : first + planes.shape[1]], mask, gain)

        return act

    def _blurred(self, operation: SharpenOperation, light: Floats, at: tuple[int, int]) -> Floats:
        """Luminance (h, w) of a part from a pixel of the frame on, blurred by sharpening's radius.

        A wide blur is made on cells, which it could not tell from pixels.
        """
        sigma = self._sharp_sigma(operation)
        cell = self._sharp_cell(operation)
        small, into = in_cells(light, cell, at)
        spread = (sigma * sigma - (cell * cell - 1) / 12) ** 0.5 / cell  # less what the cells have averaged
        blurred = np.asarray(cv2.GaussianBlur(small, (0, 0), spread, borderType=cv2.BORDER_REFLECT), dtype=np.float32)
        if cell == 1:
            return blurred
        part = Part(*into, light.shape[1], light.shape[0], (small.shape[1] * cell, small.shape[0] * cell))
        return np.asarray(Enlarged(blurred[None], part, cubic=True).rows(0, light.shape[0])[0])

    def _sharp_cell(self, operation: SharpenOperation) -> int:
        """Pixels a side of the cells on which luminance is blurred."""
        return max(1, int(self._sharp_sigma(operation) / _SHARP_CELLS))

    def _sharp_sigma(self, operation: SharpenOperation) -> float:
        """Spread of what is sharpened, in pixels; in a small picture as little as pixels can show."""
        return operation.radius * max(0.4, _SHARP_SIGMA * self._edge)

    def sharpened(self, encoded: Encoded01) -> Mask01:
        """How far sharpening acts at each pixel (h, w) of a whole picture (h, w, 3); nowhere without any."""
        most = np.zeros(encoded.shape[:2], dtype=np.float32)
        light = _luminance(np.ascontiguousarray(np.moveaxis(encoded, 2, 0), dtype=np.float32))
        for own in (own for run in self._runs for own in run):
            if isinstance(own.operation, SharpenOperation):
                mask = np.empty_like(most)
                blurred = self._blurred(own.operation, light, (0, 0))
                finishing.edges(blurred, 0, own.operation.spared, _steep(own.operation), mask)
                np.maximum(most, mask, out=most)
        return most

    def _grained(self, operation: GrainOperation, part: Part) -> Acting:
        rows = self._grains[operation].of(part)
        how = _numbers(GRAIN_GAIN * operation.amount, operation.lights, _GRAIN_LEAST)

        def act(planes: Floats, first: int) -> None:
            lanes.grained(planes, rows(first, planes.shape[1]), how)

        return act


def _kinds(operations: Sequence[InArea], kind: type[_Kind]) -> list[_Kind]:
    return [o.operation for o in operations if isinstance(o.operation, kind)]


def _runs(operations: Sequence[InArea]) -> list[list[InArea]]:
    """Operations that can act on a block at once; one that looks at pixels about it begins anew and is never first."""
    runs: list[list[InArea]] = [[]]
    for own in operations:
        if isinstance(own.operation, SharpenOperation):
            runs.append([])
        runs[-1].append(own)
    return runs


def _steep(operation: SharpenOperation) -> float:
    return 1 / (_SHARP_EDGE + _SHARP_SPARED * operation.spared)


def _luminance(planes: Floats) -> Floats:
    light = np.empty(planes.shape[1:], dtype=np.float32)
    finishing.luminance(planes, light)
    return light


def _numbers(*values: float) -> Floats:
    return np.array(values, dtype=np.float32)


def _over(change: Callable[..., None], laid: Enlarged, how: Floats) -> Acting:
    """What is changed by the planes of a map, enlarged."""

    def act(planes: Floats, first: int) -> None:
        change(planes, *laid.rows(first, planes.shape[1]), how)

    return act


def _detailed(base: Enlarged, gain: float, large: float) -> Acting:
    """What lies on a base made more or less of. Large steps, which are edges of things, are spared."""
    return _over(lanes.detailed, base, _numbers(gain, -np.log2(np.e) / large**2))


def _screened(laid: Enlarged, shares: Sequence[float]) -> Acting:
    """Light laid over by screening: never beyond white."""

    def act(planes: Floats, first: int) -> None:
        light = laid.rows(first, planes.shape[1])
        lanes.screened(planes, light[0], light[len(light) // 2], light[-1], _numbers(*shares))

    return act


def _vignetted(operation: VignetteOperation, part: Part) -> Acting:
    rows = max(1, BLOCK_PIXELS // part.width)
    across = np.tile(np.arange(part.width, dtype=np.float32) + np.float32(part.left + 0.5), (rows, 1))

    def act(planes: Floats, first: int) -> None:
        count = planes.shape[1]
        down = np.arange(count, dtype=np.float32) + np.float32(part.top + first + 0.5)
        vignette(operation, planes, across[:count], np.repeat(down[:, None], part.width, axis=1), part.frame)

    return act
