"""Strokes of a brush, and what they cover."""

from functools import lru_cache
from itertools import pairwise
from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, field_validator

from nuvett.core.area.part import AreaPart, Begins, Place
from nuvett.core.area.scene import Scene
from nuvett.core.fields import number
from nuvett.core.smooth import smooth_step
from nuvett.core.types import Document, Floats, Mask01

MAX_STROKES, MAX_POINTS = 400, 4000
_KEPT_STROKES = 512
_LIGHTEST = 0.25  # share of its radius that a pen without pressure has


class Stroke(Document):
    """A stroke of a brush: points as x, y in shares and pressure 0 to 1; radius in percent of the long edge."""

    points: tuple[tuple[Place, Place, Annotated[float, Field(ge=0, le=1)]], ...] = Field(min_length=1)
    radius: float = number(4, 0.2, 40, "Radius of the brush, of the long edge", "%", 0.2)
    hardness: float = number(30, 0, 100, "Hardness of the brush")
    flow: float = number(100, 1, 100, "Flow of the brush")
    erases: bool = False

    @field_validator("points", mode="before")
    @classmethod
    def _not_endless(cls, points: object) -> object:
        if isinstance(points, list | tuple) and len(points) > MAX_POINTS:
            raise ValueError(f"a stroke holds at most {MAX_POINTS} points, this one has {len(points)}")
        return points


class BrushPart(AreaPart):
    """What strokes have covered, those that erase taken away in their turn."""

    title: ClassVar[str] = "brush"
    travels: ClassVar[bool] = False
    begins: ClassVar[Begins] = "brushed"
    kind: Literal["brush"] = "brush"
    strokes: tuple[Stroke, ...] = Field(default=(), max_length=MAX_STROKES)

    @property
    def words(self) -> str:
        count = len(self.strokes)
        return "a brush" if not count else f"{count} brush stroke{'' if count == 1 else 's'}"

    def weigh(self, scene: Scene) -> Mask01:
        return _brushed(self.strokes, scene.size)

    def changes(self, after: Self) -> list[str]:
        if len(after.strokes) > len(self.strokes):
            return ["a stroke erased" if after.strokes[-1].erases else "a stroke brushed"]
        if self.strokes == after.strokes:
            return []
        return ["a stroke taken back" if len(after.strokes) < len(self.strokes) else "strokes changed"]


def _brushed(strokes: tuple[Stroke, ...], size: tuple[int, int]) -> Mask01:
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
