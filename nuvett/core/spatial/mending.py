"""Spots painted out of the source, before anything else is done: what is around them goes on, with its own grain.

Broad colour is inpainted by fast marching (Telea, "An Image Inpainting Technique Based on the Fast Marching Method",
2004); the fine unrest on it is that of the surroundings, mirrored at the spot's edge. What becomes of a spot depends
on a box about it alone, so every part of a picture has the same pixels, as long as it has all of the boxes that it
touches: `around` says which part of the source that is.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from nuvett.core.geometry.spots import Spot
from nuvett.core.smooth import smooth_step
from nuvett.core.types import Floats

Box = tuple[int, int, int, int]
"""Left, top, width and height in pixels."""

_MIN_RADIUS = 0.6  # pixels of radius below which a spot is too small to be seen
_MARGIN, _MIN_MARGIN = 2.4, 6  # radii, and pixels at least, around a spot that its box holds
_SOFT = 0.3  # of the radius over which the mended colour sets in, beyond the spot
_AS_UNREST = 2.5  # times the usual difference from what is broad
_GRAIN = 0.15  # of the radius: what is finer counts as unrest
_LOOKED_AT = 4  # pixels that the inpainting looks at around each one


@dataclass(frozen=True)
class _Disc:
    """A spot in pixels of the source."""

    x: float
    y: float
    radius: float

    def box(self, size: tuple[int, int]) -> Box:
        reach = _MARGIN * self.radius + _MIN_MARGIN
        left, top = max(0, int(self.x - reach)), max(0, int(self.y - reach))
        right, bottom = min(size[0], int(self.x + reach) + 1), min(size[1], int(self.y + reach) + 1)
        return left, top, max(1, right - left), max(1, bottom - top)


class Mending:
    """Spots of a source of a size (width, height) in pixels."""

    def __init__(self, spots: Sequence[Spot], size: tuple[int, int]) -> None:
        edge = max(size)
        found = [_Disc(s.x * size[0], s.y * size[1], s.radius / 100 * edge) for s in spots if s.on]
        self._groups = _grouped([disc for disc in found if disc.radius >= _MIN_RADIUS], size)

    @property
    def is_none(self) -> bool:
        """Whether nothing is to be mended at this size."""
        return not self._groups

    def around(self, box: Box) -> Box:
        """A part of the source with all of the boxes of spots that it touches."""
        grown = box
        while True:
            touched = [own for own, _ in self._groups if _meet(own, grown)]
            wider = _union([grown, *touched])
            if wider == grown:
                return grown
            grown = wider

    def mended(self, pixels: np.ndarray, at: tuple[int, int]) -> np.ndarray:
        """A part of the source (h, w, 3), 8 or 16 bit, that begins at `at`: spots whose boxes it has are mended."""
        out = pixels
        height, width = pixels.shape[:2]
        for (left, top, across, down), discs in self._groups:
            x, y = left - at[0], top - at[1]
            if x < 0 or y < 0 or x + across > width or y + down > height:
                continue
            if out is pixels:
                out = pixels.copy()
            moved = [_Disc(disc.x - left, disc.y - top, disc.radius) for disc in discs]
            out[y : y + down, x : x + across] = _mended(pixels[y : y + down, x : x + across], moved)
        return out


def _meet(first: Box, second: Box) -> bool:
    return (
        first[0] < second[0] + second[2]
        and second[0] < first[0] + first[2]
        and first[1] < second[1] + second[3]
        and second[1] < first[1] + first[3]
    )


def _union(boxes: Sequence[Box]) -> Box:
    left, top = min(b[0] for b in boxes), min(b[1] for b in boxes)
    right, bottom = max(b[0] + b[2] for b in boxes), max(b[1] + b[3] for b in boxes)
    return left, top, right - left, bottom - top


def _grouped(discs: Sequence[_Disc], size: tuple[int, int]) -> list[tuple[Box, list[_Disc]]]:
    """Discs whose boxes meet, together, each group with the box that holds it."""
    groups: list[tuple[Box, list[_Disc]]] = []
    for disc in discs:
        box, members = disc.box(size), [disc]
        while meeting := [group for group in groups if _meet(group[0], box)]:
            groups = [group for group in groups if group not in meeting]
            box = _union([box, *(own for own, _ in meeting)])
            members = [*members, *(one for _, own in meeting for one in own)]
        groups.append((box, members))
    return groups


def _mended(part: np.ndarray, discs: Sequence[_Disc]) -> np.ndarray:
    """A box (h, w, 3) with its discs mended."""
    rows, columns = np.mgrid[0 : part.shape[0], 0 : part.shape[1]].astype(np.float32) + np.float32(0.5)
    away = np.stack([np.hypot(columns - d.x, rows - d.y) / np.float32(d.radius) for d in discs])
    nearest, depth = away.argmin(axis=0), away.min(axis=0)
    inside = (depth < 1 + _SOFT / 2).astype(np.uint8)
    broad = _inpainted(part, inside)
    sigma = max(0.8, _GRAIN * float(np.median([d.radius for d in discs])))
    unrest = part.astype(np.float32) - cv2.GaussianBlur(broad, (0, 0), sigma)
    unrest[inside > 0] = 0
    # Lines and edges would be mirrored too: what is plainly more than unrest is cut down to it.
    most = _AS_UNREST * np.median(np.abs(unrest[inside == 0]), axis=0) if (inside == 0).any() else 0
    unrest = np.clip(unrest, -most, most)
    x, y = _mirrored(columns, rows, discs, nearest, depth)
    grain = cv2.remap(unrest, x, y, cv2.INTER_NEAREST, borderMode=cv2.BORDER_REFLECT)
    soft = np.where(inside[..., None] > 0, cv2.GaussianBlur(broad, (0, 0), max(0.8, sigma / 2)), broad)
    share = (1 - smooth_step((depth - 1) / np.float32(_SOFT)))[..., None]
    made = part + share * (soft + grain - part)
    return np.asarray(np.rint(made).clip(0, np.iinfo(part.dtype).max), dtype=part.dtype)


def _inpainted(part: np.ndarray, inside: np.ndarray) -> Floats:
    planes = [np.ascontiguousarray(part[..., channel]) for channel in range(3)]
    made = [cv2.inpaint(plane, inside, _LOOKED_AT, cv2.INPAINT_TELEA) for plane in planes]
    return np.asarray(cv2.merge(made), dtype=np.float32)


def _mirrored(
    columns: Floats, rows: Floats, discs: Sequence[_Disc], nearest: np.ndarray, depth: Floats
) -> tuple[Floats, Floats]:
    """Where (h, w) the unrest of each place comes from: beyond the edge of its disc, as far as it lies within."""
    x, y = (np.array([getattr(disc, name) for disc in discs], dtype=np.float32)[nearest] for name in ("x", "y"))
    beyond = np.float32(2 * (1 + _SOFT)) - depth
    scale = np.where(depth > 1e-3, beyond / np.maximum(depth, np.float32(1e-3)), 1)
    scale = np.where(depth < 1 + _SOFT, np.minimum(scale, 40), 1).astype(np.float32)
    across, down = x + (columns - x) * scale - np.float32(0.5), y + (rows - y) * scale - np.float32(0.5)
    return across.astype(np.float32), down.astype(np.float32)
