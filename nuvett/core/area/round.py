"""A round: whole inside an ellipse."""

from typing import ClassVar, Literal

import cv2
import numpy as np

from nuvett.core.area.part import AreaPart
from nuvett.core.area.scene import FEATHER, Scene
from nuvett.core.fields import number
from nuvett.core.smooth import smooth_step
from nuvett.core.types import Mask01


class RoundPart(AreaPart):
    """Whole inside an ellipse, fading out beyond it by `soft` percent of its radii."""

    title: ClassVar[str] = "radial"
    outline: ClassVar[Literal["", "round", "straight"]] = "round"
    sentence: ClassVar[str] = "reaching {across} across and {down} down from {x}, {y}, turned {turn}, feather {soft}"
    kind: Literal["round"] = "round"
    x: float = number(0.5, -2, 3, "Middle, across", "", 0.005)
    y: float = number(0.5, -2, 3, "Middle, down", "", 0.005)
    across: float = number(15, 0.5, 150, "Reach across, of the long edge", "%", 0.5)
    down: float = number(15, 0.5, 150, "Reach down, of the long edge", "%", 0.5)
    turn: float = number(0, -180, 180, "Turned by", "°")
    soft: float = number(60, 0, 200, "Feather")

    @property
    def words(self) -> str:
        return "a radial area"

    def weigh(self, scene: Scene) -> Mask01:
        width, height = scene.size
        edge = max(scene.size)
        x, y = scene.places
        x, y = x - self.x * width, y - self.y * height
        cos, sin = float(np.cos(np.radians(self.turn))), float(np.sin(np.radians(self.turn)))
        across, down = self.across / 100 * edge, self.down / 100 * edge
        along = (x * np.float32(cos) + y * np.float32(sin)) * np.float32(1 / across)
        square = (y * np.float32(cos) - x * np.float32(sin)) * np.float32(1 / down)
        radius = cv2.magnitude(*(np.ascontiguousarray(v, dtype=np.float32) for v in (along, square)))
        fade = max(self.soft / 100, FEATHER / min(across, down))
        return 1 - smooth_step((radius - np.float32(1)) * np.float32(1 / fade))
