"""Whether soft colour stays whole at full size: haze, sky, skin and walls, measured on pixels in small blocks.

Noise of a block is what its pixels are off a plane, so that a gradient is none. A block is soft where its lightness
hardly varies; its colour is torn where chroma noise is plainly seen afterwards and was not before.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nuvett.core.guided import box_mean
from nuvett.core.spaces.cielab import linear_to_cielab
from nuvett.core.types import CIELab, Linear

BLOCK = 12  # pixels a side
WINDOW = 12 * BLOCK  # pixels a side of a place that is looked at
MAX_TORN = 0.05  # share of torn blocks from which a picture is said to be torn
_WINDOWS = 6
_SOFT = 2.5  # CIE L* by which a soft block may vary about its plane
_SEEN, _TWICE = 1.2, 2.0  # CIELAB chroma noise of a torn block: so much, and so many times what it was
_MIN_NOISE = 0.25  # noise that eight bits have anyway
_LIGHTEST, _DARKEST = 96.0, 6.0  # CIE L* beyond which there is no colour to tear
_PLACE = 20.0  # CIELAB that half a picture's distance counts as, where windows are chosen

Box = tuple[int, int, int, int]
"""Left, top, width and height in pixels."""


@dataclass(frozen=True)
class SoftColourFinding:
    """What becomes of soft colour in a picture or a part of it.

    torn : share of all blocks, 0 to 1, whose soft colour is torn
    gain : times as noisy as before, at the 95th percentile of soft blocks; 1 where none is soft
    """

    torn: float
    gain: float


def block_noise(lab: CIELab) -> NDArray[np.float64]:
    """Standard deviations (rows, columns, 3) about a plane in whole blocks of a CIELAB picture (h, w, 3)."""
    across, down = np.meshgrid(np.arange(BLOCK), np.arange(BLOCK))
    plane = np.stack([np.ones(BLOCK * BLOCK), across.ravel(), down.ravel()], axis=1)
    off = np.eye(len(plane)) - plane @ np.linalg.pinv(plane)
    rows, columns = lab.shape[0] // BLOCK, lab.shape[1] // BLOCK
    blocks = lab[: rows * BLOCK, : columns * BLOCK].reshape(rows, BLOCK, columns, BLOCK, 3)
    flat = blocks.transpose(0, 2, 4, 1, 3).reshape(rows, columns, 3, -1)
    return np.asarray((flat @ off.T).std(axis=3))


def soft_colour(before: Linear, after: Linear) -> SoftColourFinding:
    """What becomes of soft colour between two linear pictures (h, w, 3) of the same places."""
    was, now = (block_noise(linear_to_cielab(picture)) for picture in (before, after))
    soft = was[..., 0] < _SOFT
    chroma_was, chroma_now = (np.hypot(noise[..., 1], noise[..., 2]) for noise in (was, now))
    torn = soft & (chroma_now > _SEEN) & (chroma_now > _TWICE * chroma_was)
    gain = (chroma_now / np.maximum(chroma_was, _MIN_NOISE))[soft]
    return SoftColourFinding(float(torn.mean()), float(np.quantile(gain, 0.95)) if soft.any() else 1.0)


def soft_windows(small: Linear, size: tuple[int, int], most: int = _WINDOWS) -> list[Box]:
    """The softest places of a picture of a size (width, height), of unlike colours and apart from each other.

    small : linear (h, w, 3), the whole picture at a smaller size
    """
    lab = linear_to_cielab(small).astype(np.float32)
    height, width = lab.shape[:2]
    wide, high = (min(WINDOW, side) // BLOCK * BLOCK for side in size)
    if not wide or not high:
        return []
    radius = min(max(1, round(WINDOW / 2 * max(width, height) / max(size))), min(width, height))
    coarse = np.stack([box_mean(lab[..., axis], radius) for axis in range(3)], axis=-1)
    detail = lab[..., 0] - box_mean(lab[..., 0], 1)
    rough = np.sqrt(np.maximum(box_mean(detail * detail, radius), 0))
    down, across = (np.arange(radius // 2, side, radius) for side in (height, width))
    rows, columns = (grid.ravel() for grid in np.meshgrid(down, across, indexing="ij"))
    coloured = (coarse[rows, columns, 0] <= _LIGHTEST) & (coarse[rows, columns, 0] >= _DARKEST)
    rows, columns = rows[coloured], columns[coloured]
    if not len(rows):
        return []
    roughness = rough[rows, columns]
    softer, softest = np.quantile(roughness, [0.5, 0.1])
    chosen = np.flatnonzero(roughness <= min(softer, max(softest, _SOFT)))
    scale = 2 * _PLACE / max(width, height)
    points = np.column_stack([coarse[rows, columns], rows * scale, columns * scale])[chosen]
    kept = [int(np.argmin(roughness[chosen]))]
    apart = np.full(len(chosen), np.inf)
    while len(kept) < min(most, len(chosen)):
        apart = np.minimum(apart, np.linalg.norm(points - points[kept[-1]], axis=1))
        kept.append(int(np.argmax(apart)))
    boxes = []
    for index in chosen[kept]:
        left = round(float(columns[index] / width * size[0] - wide / 2))
        top = round(float(rows[index] / height * size[1] - high / 2))
        boxes.append((min(max(left, 0), size[0] - wide), min(max(top, 0), size[1] - high), wide, high))
    return sorted(set(boxes))


@dataclass(frozen=True)
class Tear:
    """Soft colour that is torn in a picture: the worst place, and how many times as noisy it is there."""

    box: Box
    gain: float

    @property
    def words(self) -> str:
        """That in words."""
        return f"soft colour {self.gain:.1f} times as noisy"


def tear_in(found: Sequence[tuple[Box, SoftColourFinding]]) -> Tear | None:
    """What to say of soft places of a picture and what becomes of them; none where soft colour stays whole."""
    if not found or float(np.mean([one.torn for _, one in found])) < MAX_TORN:
        return None
    box, worst = max(found, key=lambda pair: pair[1].torn)
    return Tear(box, worst.gain)
