"""Finish: what is done to a picture beside its colours. Everything is sized relative to the frame.

Any part of a frame can be finished by itself: a pixel depends on those within `Finisher.halo` of it, on its place, and
on two small maps made once for the frame. So strips, crops and whole pictures agree, whatever their shape.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache, lru_cache

import cv2
import numpy as np

from nuvett.core.guided import encoded_luminance, guided
from nuvett.core.plan.apply import vignette_at
from nuvett.core.plan.finish import (
    FinishOperation,
    GrainOperation,
    HazeOperation,
    LocalOperation,
    NoiseOperation,
    SharpenOperation,
    SoftnessOperation,
    VignetteOperation,
)
from nuvett.core.smooth import smooth_step
from nuvett.core.types import Encoded01, Floats, Mask01

BASE_EDGE = 384  # long edge of the picture that maps are made from
_BASE_RADIUS = 0.045  # of the long edge: what counts as local
_BASE_EDGES = 0.012  # variance that counts as an edge to the guided filter
_LOCAL_GAIN = 1.1
_HAZE_PATCH = 0.02
_HAZE_MOST, _HAZE_LEAST = 0.75, 0.35  # share of the veil that is taken at most, and least transmission
_SHARP_SIGMA, _SHARP_GAIN = 0.00055, 1.6
_SOFT_SIGMA, _SOFT_SHARE = 0.004, 0.75
_NOISE_RADIUS, _NOISE_STRENGTH = 0.0009, 0.06
_GRAIN_CELLS, _GRAIN_GAIN = 3000, 0.085
_TILE = 1024  # cells of noise a side, after which grain repeats


@dataclass(frozen=True)
class FrameMaps:
    """Small maps of a finished frame: coefficients (h, w, 2) of its local base, of its transmission, and its airlight.

    base, transmission : slope and offset on luminance, as the guided filter has them (He, Sun and Tang 2013)
    """

    base: Floats
    transmission: Floats
    airlight: Floats


def make_maps(small: Encoded01) -> FrameMaps:
    """Maps of a frame from its finished colours at about BASE_EDGE (h, w, 3).

    Haze by the dark channel (He, Sun and Tang 2011), refined by the guided filter; its light is taken as grey, so that
    taking it away does not tint.
    """
    edge = max(small.shape[:2])
    light = encoded_luminance(small)
    radius = max(1, round(_BASE_RADIUS * edge))
    patch = 2 * max(1, round(_HAZE_PATCH * edge)) + 1
    dark = cv2.erode(small.min(axis=2), np.ones((patch, patch), np.uint8))
    far = dark >= np.quantile(dark, 0.995)
    airlight = np.full(3, max(float(small[far].mean()), 0.3), dtype=np.float32)
    veil = cv2.erode((small / airlight).min(axis=2), np.ones((patch, patch), np.uint8))
    return FrameMaps(
        base=guided(light, light, radius, _BASE_EDGES),
        transmission=guided(light, np.clip(1 - veil, 0, 1).astype(np.float32), max(1, radius // 2), 1e-3),
        airlight=airlight,
    )


def _kernel(edge: int, sigma: float) -> int:
    """Reach of a Gaussian kernel in pixels, as the library cuts it off."""
    return int(np.ceil(4 * sigma * edge)) + 2


@dataclass(frozen=True)
class InArea:
    """An operation, and the number of the layer whose weights say where it acts; none for everywhere."""

    operation: FinishOperation
    layer: int | None = None


def _where(own: InArea, before: Encoded01, after: Encoded01, weights: Sequence[Mask01]) -> Encoded01:
    if own.layer is None:
        return after
    return Encoded01(before + weights[own.layer][..., None] * (after - before))


class Finisher:
    """Finishes parts of one frame of a size in pixels by operations, in their order; noise goes first.

    `halo` is how many pixels around a part it needs.
    """

    def __init__(
        self, operations: Sequence[InArea], size: tuple[int, int], seed: int, maps: FrameMaps | None = None
    ) -> None:
        self._noises = [o for o in operations if isinstance(o.operation, NoiseOperation)]
        self._operations = [o for o in operations if not isinstance(o.operation, NoiseOperation)]
        self._maps, self._seed = maps, seed
        self.width, self.height = size
        self.edge = max(size)
        self.halo = sum(self._reach(o.operation) for o in operations)

    def _reach(self, operation: FinishOperation) -> int:
        if isinstance(operation, NoiseOperation):
            return 2 * self._noise_radius
        if isinstance(operation, SharpenOperation):
            return _kernel(self.edge, _SHARP_SIGMA) + 2
        if isinstance(operation, SoftnessOperation):
            return _kernel(self.edge, _SOFT_SIGMA) + 1
        return 0

    @property
    def has_noise_reduction(self) -> bool:
        """Whether pixels are changed before their colours are."""
        return bool(self._noises)

    @property
    def _noise_radius(self) -> int:
        return max(1, round(_NOISE_RADIUS * self.edge))

    def denoise(self, encoded: Encoded01, weights: Sequence[Mask01] = ()) -> Encoded01:
        """Noise reduction, before the colours: each channel by the guided filter with itself, edges kept.

        weights : (h, w) of each layer
        """
        for noise in self._noises:
            out = np.empty_like(encoded)
            for channel in range(3):
                values = np.ascontiguousarray(encoded[..., channel])
                edges = (_NOISE_STRENGTH * noise.operation.amount) ** 2
                slope_offset = guided(values, values, self._noise_radius, edges)
                out[..., channel] = slope_offset[..., 0] * values + slope_offset[..., 1]
            encoded = _where(noise, encoded, Encoded01(out), weights)
        return encoded

    def finish(self, encoded: Encoded01, left: int, top: int, weights: Sequence[Mask01] = ()) -> Encoded01:
        """A part (h, w, 3) that begins at a pixel of the frame; what lies within `halo` of a cut edge is not valid.

        weights : (h, w) of each layer
        """
        for own in self._operations:
            encoded = _where(own, encoded, self._finished(own.operation, encoded, left, top), weights)
        return Encoded01(np.ascontiguousarray(np.clip(encoded, 0, 1), dtype=np.float32))

    def _finished(self, operation: FinishOperation, encoded: Encoded01, left: int, top: int) -> Encoded01:
        match operation:
            case HazeOperation():
                return self._haze(encoded, left, top, operation.amount)
            case LocalOperation():
                return self._local(encoded, left, top, operation.amount)
            case SoftnessOperation():
                return self._soften(encoded, operation.amount)
            case SharpenOperation():
                return self._sharpen(encoded, operation)
            case VignetteOperation():
                factor = self._vignette(operation, encoded.shape, left, top)
                return Encoded01(np.asarray(cv2.multiply(encoded, _thrice(factor))))
            case GrainOperation():
                return self._grained(encoded, left, top, operation)
        raise ValueError(f"nothing finishes {type(operation).__name__}")

    @property
    def _needed_maps(self) -> FrameMaps:
        if self._maps is None:
            raise ValueError("haze and local contrast need maps of the frame")
        return self._maps

    def _local(self, encoded: Encoded01, left: int, top: int, amount: float) -> Encoded01:
        light = encoded_luminance(encoded)
        detail = light - self._mapped(self._needed_maps.base, light, left, top)
        # Large steps, which are edges of things and not their texture, are spared.
        return _added(encoded, _LOCAL_GAIN * amount * detail * cv2.exp(-((detail / np.float32(0.22)) ** 2)))

    def _soften(self, encoded: Encoded01, amount: float) -> Encoded01:
        soft = cv2.GaussianBlur(encoded, (0, 0), _SOFT_SIGMA * self.edge, borderType=cv2.BORDER_REFLECT)
        share = _SOFT_SHARE * amount
        return Encoded01(np.asarray(cv2.addWeighted(soft, share, encoded, 1 - share, 0)))

    def _mapped(self, coefficients: Floats, light: Floats, left: int, top: int) -> Floats:
        """Slope times luminance plus offset, from small maps looked up at the part's place (bilinear)."""
        at = self._looked_up(coefficients, light.shape, left, top)
        return np.asarray(at[..., 0] * light + at[..., 1], dtype=np.float32)

    def _looked_up(self, small: Floats, shape: tuple[int, ...], left: int, top: int, smooth: bool = False) -> Floats:
        scale_x, scale_y = small.shape[1] / self.width, small.shape[0] / self.height
        columns = ((np.arange(shape[1], dtype=np.float32) + left + 0.5) * scale_x - 0.5).astype(np.float32)
        rows = ((np.arange(shape[0], dtype=np.float32) + top + 0.5) * scale_y - 0.5).astype(np.float32)
        map_x, map_y = np.broadcast_to(columns, shape[:2]), np.broadcast_to(rows[:, None], shape[:2])
        how = cv2.INTER_CUBIC if smooth else cv2.INTER_LINEAR
        return np.asarray(
            cv2.remap(
                small, np.ascontiguousarray(map_x), np.ascontiguousarray(map_y), how, borderMode=cv2.BORDER_REPLICATE
            )
        )

    def _haze(self, encoded: Encoded01, left: int, top: int, amount: float) -> Encoded01:
        light = encoded_luminance(encoded)
        transmission = np.clip(self._mapped(self._needed_maps.transmission, light, left, top), 0, 1)[..., None]
        air = self._needed_maps.airlight
        if amount > 0:
            through = np.maximum(1 - amount * _HAZE_MOST * (1 - transmission), _HAZE_LEAST)
            return Encoded01(np.asarray((encoded - air) / through + air))
        added = -amount * 0.6 * (1 - 0.6 * transmission)
        return Encoded01(np.asarray(encoded + (air - encoded) * added))

    def _sharpen(self, encoded: Encoded01, operation: SharpenOperation) -> Encoded01:
        """Unsharp masking of luminance, less where there are no edges."""
        light = encoded_luminance(encoded)
        blurred = cv2.GaussianBlur(light, (0, 0), max(0.4, _SHARP_SIGMA * self.edge), borderType=cv2.BORDER_REFLECT)
        detail = light - blurred
        edges = cv2.magnitude(cv2.Sobel(blurred, -1, 1, 0, scale=0.25), cv2.Sobel(blurred, -1, 0, 1, scale=0.25))
        spared = operation.spared
        mask = 1 - spared + spared * smooth_step((edges / (0.004 + 0.02 * spared)).astype(np.float32))
        return _added(encoded, np.float32(_SHARP_GAIN * operation.amount) * detail * mask)

    def _vignette(self, operation: VignetteOperation, shape: tuple[int, ...], left: int, top: int) -> Floats:
        """Factor on encoded values (h, w) of a part that begins at a pixel of the frame."""
        half = np.hypot(self.width, self.height) / 2
        x = ((np.arange(shape[1], dtype=np.float32) + left + 0.5 - self.width / 2) / half).astype(np.float32)
        y = ((np.arange(shape[0], dtype=np.float32) + top + 0.5 - self.height / 2) / half).astype(np.float32)
        return vignette_at(operation, np.sqrt((x * x)[None] + (y * y)[:, None]))

    def _grain_field(self, size: float) -> Floats:
        """Noise on a grid that belongs to the frame, averaged when the picture has fewer pixels than the grid."""
        cells = _GRAIN_CELLS / size
        width, height = (max(2, round(cells * side / self.edge)) for side in (self.width, self.height))
        return _field_of(self._seed, (width, height), (min(width, self.width), min(height, self.height)))

    def _grained(self, encoded: Encoded01, left: int, top: int, operation: GrainOperation) -> Encoded01:
        field = self._grain_field(operation.size)
        if field.shape == (self.height, self.width):
            noise = field[top : top + encoded.shape[0], left : left + encoded.shape[1]]
        else:
            noise = self._looked_up(field, encoded.shape, left, top, smooth=True)
        light = np.clip(encoded_luminance(encoded), 0, 1)
        weight = np.sqrt(4 * light * (1 - light)) * np.float32(0.9) + np.float32(0.1) * (light > 0.002)
        return _added(encoded, np.float32(_GRAIN_GAIN * operation.amount) * noise * weight)


@cache
def _noise_tile() -> Floats:
    tile = np.random.default_rng(41).standard_normal((_TILE, _TILE), dtype=np.float32)
    tile.setflags(write=False)
    return tile


@lru_cache(maxsize=6)
def _field_of(seed: int, cells: tuple[int, int], size: tuple[int, int]) -> Floats:
    """Noise of a frame on a grid of cells (width, height), averaged to a size: one tile, begun where the seed says."""
    start = np.random.default_rng(seed).integers(0, _TILE, 2)
    rows, columns = ((np.arange(n) + at) % _TILE for n, at in zip(cells[::-1], start, strict=True))
    field = _noise_tile()[rows[:, None], columns[None]]
    if size != cells:
        return np.asarray(cv2.resize(field, size, interpolation=cv2.INTER_AREA), dtype=np.float32)
    return np.asarray(field)


def _thrice(plane: Floats) -> Floats:
    return np.asarray(cv2.merge([plane, plane, plane]))


def _added(encoded: Encoded01, plane: np.ndarray) -> Encoded01:
    """A plane (h, w) added to every channel; the library does it several times faster than broadcasting."""
    return Encoded01(np.asarray(cv2.add(encoded, _thrice(np.ascontiguousarray(plane, dtype=np.float32)))))
