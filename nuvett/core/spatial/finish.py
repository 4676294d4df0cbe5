"""Finish: what is done to a picture beside its colours. Everything is sized relative to the frame.

Any part of a frame can be finished by itself: a pixel depends on those within `Finisher.halo` of it, on its place, and
on small maps made once for the frame. So strips, crops and whole pictures agree, whatever their shape.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache, lru_cache

import cv2
import numpy as np

from nuvett.core.fit.regions import moved_by_regions
from nuvett.core.guided import encoded_luminance, guided
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
from nuvett.core.plan.vignette import vignette_factor, vignetted
from nuvett.core.smooth import smooth_step
from nuvett.core.spatial.maps import FrameMaps
from nuvett.core.types import Encoded01, Floats, Mask01

_LOCAL_GAIN, _FINE_GAIN = 1.1, 1.3
_LARGE, _LARGE_FINE = 0.22, 0.12  # encoded luminance off the base that is an edge of things, and not their texture
_HAZE_MOST, _HAZE_LEAST = 0.75, 0.35  # share of the veil that is taken at most, and least transmission
_GLOW_GAIN, _HALATION_GAIN = 0.7, 0.55
_SHARP_SIGMA, _SHARP_GAIN = 0.00055, 1.6
_SOFT_SIGMA, _SOFT_SHARE = 0.004, 0.75
_NOISE_RADIUS, _NOISE_STRENGTH = 0.0009, 0.06
_COLOUR_RADIUS, _COLOUR_STRENGTH = 3, 0.12  # times the radius of other noise: blotches are larger; of luminance
_GRAIN_CELLS, _GRAIN_GAIN = 3000, 0.085
_CLUMPS = 2.6  # times as large as the grain itself
_TILE = 1024  # cells of noise a side, after which grain repeats
ON_MAPS = (RegionsOperation, HazeOperation, LocalOperation, FineOperation, GlowOperation, HalationOperation)
"""What looks at small maps of the whole frame."""


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
        rest = [o for o in operations if not isinstance(o.operation, NoiseOperation)]
        # Regions come first: the maps of all others are made of a frame that has them.
        self._operations = sorted(rest, key=lambda o: not isinstance(o.operation, RegionsOperation))
        self._maps, self._seed = maps, seed
        self.width, self.height = size
        self.edge = max(size)
        self.halo = sum(self._reach(o.operation) for o in operations)

    def _reach(self, operation: FinishOperation) -> int:
        if isinstance(operation, NoiseOperation):
            return 2 * self._noise_radius * (1 if operation.of == "all" else _COLOUR_RADIUS)
        if isinstance(operation, SharpenOperation):
            return int(np.ceil(4 * self._sharp_sigma(operation))) + 4
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
        """Noise reduction, before the colours, by the guided filter, edges kept.

        weights : (h, w) of each layer
        """
        for noise in self._noises:
            operation = noise.operation
            if isinstance(operation, NoiseOperation):
                encoded = _where(noise, encoded, self._denoised(operation, encoded), weights)
        return encoded

    def _denoised(self, operation: NoiseOperation, encoded: Encoded01) -> Encoded01:
        """Each channel smoothed by itself; or light alone; or what channels have off light, over a wider reach."""
        if operation.of == "all":
            out = np.empty_like(encoded)
            for channel in range(3):
                out[..., channel] = self._smoothed(np.ascontiguousarray(encoded[..., channel]), operation.amount)
            return Encoded01(out)
        light = encoded_luminance(encoded)
        if operation.of == "light":
            return _added(encoded, self._smoothed(light, operation.amount) - light)
        radius, edges = self._noise_radius * _COLOUR_RADIUS, (_COLOUR_STRENGTH * operation.amount) ** 2
        out = np.empty_like(encoded)
        for channel in range(3):
            away = encoded[..., channel] - light
            at = guided(light, away, radius, edges)
            smooth = at[..., 0] * light + at[..., 1]
            out[..., channel] = light + away + np.float32(operation.amount) * (smooth - away)
        return Encoded01(out)

    def _smoothed(self, values: Floats, amount: float) -> Floats:
        at = guided(values, values, self._noise_radius, (_NOISE_STRENGTH * amount) ** 2)
        return np.asarray(at[..., 0] * values + at[..., 1], dtype=np.float32)

    def finish(self, encoded: Encoded01, left: int, top: int, weights: Sequence[Mask01] = ()) -> Encoded01:
        """A part (h, w, 3) that begins at a pixel of the frame; what lies within `halo` of a cut edge is not valid.

        weights : (h, w) of each layer
        """
        for own in self._operations:
            encoded = _where(own, encoded, self._finished(own.operation, encoded, left, top), weights)
        return Encoded01(np.ascontiguousarray(np.clip(encoded, 0, 1), dtype=np.float32))

    def _finished(self, operation: FinishOperation, encoded: Encoded01, left: int, top: int) -> Encoded01:
        match operation:
            case RegionsOperation():
                light = encoded_luminance(encoded)
                base = self._mapped(self._needed_maps.tones, light, left, top)
                return moved_by_regions(encoded, light, base, operation.shares)
            case HazeOperation():
                return self._haze(encoded, left, top, operation.amount)
            case LocalOperation():
                return self._detailed(
                    encoded, left, top, self._needed_maps.base, _LOCAL_GAIN * operation.amount, _LARGE
                )
            case FineOperation():
                gain = _FINE_GAIN * operation.amount
                return self._detailed(encoded, left, top, self._needed_maps.fine, gain, _LARGE_FINE)
            case GlowOperation():
                return self._screened(encoded, left, top, self._needed_maps.glow, _GLOW_GAIN * operation.amount)
            case HalationOperation():
                return self._screened(encoded, left, top, self._needed_maps.halation, _HALATION_GAIN * operation.amount)
            case SoftnessOperation():
                return self._soften(encoded, operation.amount)
            case SharpenOperation():
                return self._sharpen(encoded, operation)
            case VignetteOperation():
                return self._vignetted(operation, encoded, left, top)
            case GrainOperation():
                return self._grained(encoded, left, top, operation)
        raise ValueError(f"nothing finishes {type(operation).__name__}")

    @property
    def _needed_maps(self) -> FrameMaps:
        if self._maps is None:
            raise ValueError("what looks at the frame as a whole needs maps of it")
        return self._maps

    def _detailed(self, encoded: Encoded01, left: int, top: int, base: Floats, gain: float, large: float) -> Encoded01:
        """What lies on a base made more or less of. Large steps, which are edges of things, are spared."""
        light = encoded_luminance(encoded)
        detail = light - self._mapped(base, light, left, top)
        return _added(encoded, gain * detail * cv2.exp(-((detail / np.float32(large)) ** 2)))

    def _screened(self, encoded: Encoded01, left: int, top: int, small: Floats, share: float) -> Encoded01:
        """Light laid over by screening: never beyond white."""
        laid = np.clip(self._looked_up(small, encoded.shape, left, top, smooth=True), 0, 1) * np.float32(share)
        return Encoded01(np.asarray(1 - (1 - encoded) * (1 - laid), dtype=np.float32))

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
        mask, blurred = self._sharp_mask(light, operation)
        return _added(encoded, np.float32(_SHARP_GAIN * operation.amount) * (light - blurred) * mask)

    def _sharp_sigma(self, operation: SharpenOperation) -> float:
        """Spread of what is sharpened, in pixels; in a small picture as little as pixels can show."""
        return operation.radius * max(0.4, _SHARP_SIGMA * self.edge)

    def _sharp_mask(self, light: Floats, operation: SharpenOperation) -> tuple[Mask01, Floats]:
        """How far sharpening acts at each pixel (h, w), and luminance (h, w) blurred by its radius."""
        sigma = self._sharp_sigma(operation)
        blurred: Floats = np.asarray(
            cv2.GaussianBlur(light, (0, 0), sigma, borderType=cv2.BORDER_REFLECT), dtype=np.float32
        )
        edges = cv2.magnitude(cv2.Sobel(blurred, -1, 1, 0, scale=0.25), cv2.Sobel(blurred, -1, 0, 1, scale=0.25))
        spared = operation.spared
        mask = 1 - spared + spared * smooth_step((edges / (0.004 + 0.02 * spared)).astype(np.float32))
        return np.asarray(mask, dtype=np.float32), blurred

    def sharpened(self, encoded: Encoded01) -> Mask01:
        """How far sharpening acts at each pixel (h, w) of a whole picture (h, w, 3); nowhere without any."""
        light = encoded_luminance(encoded)
        acting = [o.operation for o in self._operations if isinstance(o.operation, SharpenOperation)]
        found = [self._sharp_mask(light, operation)[0] for operation in acting]
        return np.maximum.reduce(found) if found else np.zeros_like(light)

    def _vignetted(self, operation: VignetteOperation, encoded: Encoded01, left: int, top: int) -> Encoded01:
        x = np.arange(encoded.shape[1], dtype=np.float32)[None] + np.float32(left + 0.5)
        y = np.arange(encoded.shape[0], dtype=np.float32)[:, None] + np.float32(top + 0.5)
        factor = vignette_factor(operation, x, y, (self.width, self.height))
        if operation.spared:
            return vignetted(operation, encoded, encoded_luminance(encoded), factor)
        return Encoded01(np.asarray(cv2.multiply(encoded, _thrice(factor))))

    def _grain_field(self, size: float) -> Floats:
        """Noise on a grid that belongs to the frame, averaged when the picture has fewer pixels than the grid."""
        cells = _GRAIN_CELLS / size
        width, height = (max(2, round(cells * side / self.edge)) for side in (self.width, self.height))
        return _field_of(self._seed, (width, height), (min(width, self.width), min(height, self.height)))

    def _grained(self, encoded: Encoded01, left: int, top: int, operation: GrainOperation) -> Encoded01:
        noise = self._grain_at(operation.size, encoded.shape, left, top)
        if operation.rough:
            clumps = self._grain_at(min(4.0, operation.size * _CLUMPS), encoded.shape, left, top)
            share = np.float32(operation.rough)
            noise = np.asarray((1 - share) * noise + share * (0.6 * noise + 1.1 * clumps), dtype=np.float32)
        light = np.clip(encoded_luminance(encoded), 0, 1)
        weight = np.sqrt(4 * light * (1 - light)) * np.float32(0.9) + np.float32(0.1) * (light > 0.002)
        weight = weight * (1 + np.float32(operation.lights) * (2 * light - 1))
        return _added(encoded, np.float32(_GRAIN_GAIN * operation.amount) * noise * weight)

    def _grain_at(self, size: float, shape: tuple[int, ...], left: int, top: int) -> Floats:
        """Noise (h, w) of a part that begins at a pixel of the frame."""
        field = self._grain_field(size)
        if field.shape == (self.height, self.width):
            return field[top : top + shape[0], left : left + shape[1]]
        return self._looked_up(field, shape, left, top, smooth=True)


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
