"""Colours near one that was picked."""

from typing import ClassVar, Literal

import numpy as np

from nuvett.core.area.part import AreaPart, Begins
from nuvett.core.area.scene import Scene
from nuvett.core.fields import number
from nuvett.core.reading.family import Family, membership
from nuvett.core.spaces.names import colour_name
from nuvett.core.types import Mask01, OKLab


class ColourPart(AreaPart):
    """Colours near one that was picked in the evened frame."""

    title: ClassVar[str] = "a colour"
    looks_at: ClassVar[Literal["nothing", "colours", "subject"]] = "colours"
    edges: ClassVar[bool] = True
    begins: ClassVar[Begins] = "picked"
    sentence: ClassVar[str] = "colours within {tolerance}"
    kind: Literal["colour"] = "colour"
    colour: tuple[float, float, float]
    tolerance: float = number(30, 0, 100, "Tolerance")

    @property
    def words(self) -> str:
        return colour_name(OKLab(np.array(self.colour, dtype=np.float32)))

    def weigh(self, scene: Scene) -> Mask01:
        return membership(scene.lab(), Family(colour=self.colour, tolerance=self.tolerance))
