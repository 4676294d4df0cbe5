"""What strokes of a brush cover."""

from functools import lru_cache
from itertools import pairwise

import numpy as np

from nuvett.core.area.parts import Stroke
from nuvett.core.smooth import smooth_step
from nuvett.core.types import Floats, Mask01

_KEPT_STROKES = 512
_LIGHTEST = 0.25  # share of its radius that a pen without pressure has


def brushed(strokes: tuple[Stroke, ...], size: tuple[int, int]) -> Mask01:
    """Weights (h, w) that strokes leave on a map of a size (width, height), each over those before it."""
    width, height = size
    made = np.zeros((height, width), dtype=np.float32)
    for stroke in strokes:
        left, top, laid = _laid(stroke, size)
        part = made[top : top + laid.shape[0], left : left + laid.shape[1]]
        if stroke.erases:
            part *= 1 - laid
        else:
            part += (1 - part) * laid
    return made


@lru_cache(maxsize=_KEPT_STROKES)
def _laid(stroke: Stroke, size: tuple[int, int]) -> tuple[int, int, Floats]:
    """Left, top and weights (h, w) of what one stroke covers; where it crosses itself it lies once."""
    width, height = size
    edge = max(size)
    radius = max(stroke.radius / 100 * edge, 0.75)
    points = np.array(stroke.points, dtype=np.float32)
    points[:, 0] = points[:, 0] * width - 0.5
    points[:, 1] = points[:, 1] * height - 0.5
    left, top = (int(np.floor(v)) for v in np.maximum(points[:, :2].min(axis=0) - radius - 1, 0))
    right, bottom = (int(np.ceil(v)) for v in points[:, :2].max(axis=0) + radius + 2)
    right, bottom = min(right, width), min(bottom, height)
    covered = np.zeros((max(0, bottom - top), max(0, right - left)), dtype=np.float32)
    if covered.size == 0:
        return min(left, width), min(top, height), covered
    ends = list(pairwise(points)) or [(points[0], points[0])]
    for start, end in ends:
        _cover(covered, start - (left, top, 0), end - (left, top, 0), radius, stroke.hardness / 100)
    covered *= stroke.flow / 100
    return left, top, covered


def _cover(covered: Floats, start: Floats, end: Floats, radius: float, hardness: float) -> None:
    """Let one piece of a stroke, from x, y, pressure to x, y, pressure in pixels, cover its surroundings."""
    reach = radius + 1
    x0, y0 = (max(0, int(v)) for v in np.floor(np.minimum(start, end)[:2] - reach))
    x1, y1 = (int(v) for v in np.ceil(np.maximum(start, end)[:2] + reach) + 1)
    part = covered[y0:y1, x0:x1]
    if part.size == 0:
        return
    across = np.arange(x0, x0 + part.shape[1], dtype=np.float32)[None] - start[0]
    down = np.arange(y0, y0 + part.shape[0], dtype=np.float32)[:, None] - start[1]
    run = end - start
    length = float(run[0] ** 2 + run[1] ** 2)
    along = np.clip((across * run[0] + down * run[1]) / max(length, 1e-9), 0, 1)
    pressure = start[2] + along * run[2]
    own = radius * (_LIGHTEST + (1 - _LIGHTEST) * pressure)
    distance = np.hypot(across - along * run[0], down - along * run[1]) / own
    soft = max(1 - hardness, 1 / radius)
    np.maximum(part, pressure * (1 - smooth_step((distance - (1 - soft)) / soft)), out=part)
