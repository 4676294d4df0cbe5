"""How much an area weighs at each place of a frame.

Weights are worked out once for the whole frame on a map of AREA_EDGE, and looked up wherever a part of the frame is
drawn, so that a strip, a crop, a preview and the whole agree whatever their size. Where an area follows edges, the
map holds a slope and an offset on the picture's own luminance (He, Sun and Tang 2013), which keeps them sharp.
"""

from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np

from nuvett.core.area.area import Area
from nuvett.core.area.part import AreaPart
from nuvett.core.area.scene import EDGE_VARIANCE, Scene
from nuvett.core.guided import guided
from nuvett.core.types import Floats, Mask01

AREA_EDGE = 768
"""Long edge of the map on which areas are worked out."""

_EDGE_RADIUS = 0.012  # of the long edge
_MIN = 0.25 / 255  # weight below which nothing could be seen, so that nothing is done


@dataclass(frozen=True)
class WeightMap:
    """Weights of an area on a map of the whole frame: (h, w), or slope and offset (h, w, 2) on its luminance."""

    values: Floats
    density: float = 1.0

    @property
    def follows_edges(self) -> bool:
        """Whether weights depend on the luminance of the picture at each place."""
        return self.values.ndim == 3

    @cached_property
    def extent(self) -> tuple[float, float, float, float] | None:
        """Left, top, right and bottom of where it weighs anything, in shares of the uncut frame; none for nowhere."""
        weighs = np.abs(self.values).max(axis=2) if self.follows_edges else self.values
        rows, columns = (np.flatnonzero((weighs > _MIN).any(axis=axis)) for axis in (1, 0))
        if self.density == 0 or rows.size == 0:
            return None
        height, width = weighs.shape
        return (columns[0] - 1) / width, (rows[0] - 1) / height, (columns[-1] + 2) / width, (rows[-1] + 2) / height

    def part(self, box: tuple[int, int, int, int], size: tuple[int, int], luminance: Floats | None = None) -> Mask01:
        """Weights (h, w) of a part (left, top, width, height) of the uncut frame, drawn at a size in pixels.

        The same as `at` there, and quicker.
        """
        left, top, width, height = box
        rows = (np.arange(top, top + height, dtype=np.float64) + 0.5) * (len(self.values) / size[1]) - 0.5
        lower = np.floor(rows)
        share = (rows - lower).astype(np.float32).reshape(-1, *[1] * (self.values.ndim - 1))
        last = len(self.values) - 1
        above, below = (self.values[np.clip(lower + by, 0, last).astype(np.intp)] for by in (0, 1))
        found = np.asarray(above + share * (below - above), dtype=np.float32)
        found = np.asarray(cv2.resize(found, (size[0], height), interpolation=cv2.INTER_LINEAR))
        return self._weighed(np.ascontiguousarray(found[:, left : left + width]), luminance)

    def at(self, x: Floats, y: Floats, luminance: Floats | None = None) -> Mask01:
        """Weights (...) at places (...), shares of the uncut frame; luminance (...) encoded, as it came there."""
        height, width = self.values.shape[:2]
        columns = np.asarray(x * np.float32(width) - np.float32(0.5), dtype=np.float32)
        rows = np.asarray(y * np.float32(height) - np.float32(0.5), dtype=np.float32)
        found = cv2.remap(self.values, columns, rows, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        return self._weighed(np.asarray(found), luminance)

    def _weighed(self, found: Floats, luminance: Floats | None) -> Mask01:
        if self.follows_edges:
            if luminance is None:
                raise ValueError("an area that follows edges needs the luminance of the picture")
            found = np.clip(found[..., 0] * luminance + found[..., 1], 0, 1)
        made = np.asarray(found * np.float32(self.density), dtype=np.float32)
        made[made < _MIN] = 0
        return made


def weigh(area: Area, scene: Scene) -> WeightMap:
    """Weights of an area in a frame."""
    width, height = scene.size
    edge = max(scene.size)
    made = np.zeros((height, width), dtype=np.float32)
    for index, part in enumerate(area.parts):
        own = part.weigh(scene)
        if part.inverted:
            own = 1 - own
        if index == 0:
            made = own if part.join == "added" else _joined(np.ones_like(own), own, part)
        else:
            made = _joined(made, own, part)
    if area.softness:
        sigma = area.softness / 100 * edge / 2
        made = np.asarray(cv2.GaussianBlur(made, (0, 0), sigma, borderType=cv2.BORDER_REPLICATE))
    if area.edges and area.parts:
        made = guided(scene.guide(), made, max(1, round(_EDGE_RADIUS * edge)), EDGE_VARIANCE)
    return WeightMap(np.ascontiguousarray(made, dtype=np.float32), area.density / 100)


def _joined(made: Mask01, own: Mask01, part: AreaPart) -> Mask01:
    if part.join == "added":
        return np.maximum(made, own)
    return made * (1 - own if part.join == "taken" else own)
