"""A straight border: whole on one side of a line, faded out at another."""

from typing import ClassVar, Literal

import numpy as np

from nuvett.core.area.part import AreaPart
from nuvett.core.area.scene import FEATHER, Scene
from nuvett.core.fields import number
from nuvett.core.smooth import smooth_step
from nuvett.core.types import Mask01


class StraightPart(AreaPart):
    """Whole on the far side of a line through x, y, faded out at one through end_x, end_y; square to the way there."""

    title: ClassVar[str] = "gradient"
    outline: ClassVar[Literal["", "round", "straight"]] = "straight"
    sentence: ClassVar[str] = "whole from {x}, {y}, faded out at {end_x}, {end_y}"
    kind: Literal["straight"] = "straight"
    x: float = number(0.5, -2, 3, "Whole from, across", "", 0.005)
    y: float = number(0.3, -2, 3, "Whole from, down", "", 0.005)
    end_x: float = number(0.5, -2, 3, "Faded out at, across", "", 0.005)
    end_y: float = number(0.5, -2, 3, "Faded out at, down", "", 0.005)

    @property
    def words(self) -> str:
        return "a gradient area"

    def weigh(self, scene: Scene) -> Mask01:
        width, height = scene.size
        x, y = scene.places
        run_x, run_y = (self.end_x - self.x) * width, (self.end_y - self.y) * height
        length = float(np.hypot(run_x, run_y))
        if length < FEATHER:
            run_x, run_y = (run_x / length, run_y / length) if length > 0 else (0.0, FEATHER)
            length = FEATHER
        along = ((x - self.x * width) * np.float32(run_x) + (y - self.y * height) * np.float32(run_y)) / length**2
        return 1 - smooth_step(np.asarray(along, dtype=np.float32))
