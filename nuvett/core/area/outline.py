"""The outline of a thing in one frame."""

from typing import ClassVar, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from nuvett.core.area.part import AreaPart, Begins, Place
from nuvett.core.area.scene import FEATHER, Scene
from nuvett.core.types import Mask01

Ring = tuple[tuple[Place, Place], ...]
"""A closed line through x and y, in shares of the picture."""
MAX_RINGS = 40


class OutlinePart(AreaPart):
    """What lies inside an odd number of rings. It comes from a thread, and is not offered by hand."""

    title: ClassVar[str] = "a thing's outline"
    travels: ClassVar[bool] = False
    edges: ClassVar[bool] = True
    begins: ClassVar[Begins] = "grown"
    kind: Literal["outline"] = "outline"
    rings: tuple[Ring, ...] = Field(default=(), max_length=MAX_RINGS)

    def weigh(self, scene: Scene) -> Mask01:
        inside = inside_of(self.rings, scene.size).astype(np.float32)
        return np.asarray(cv2.GaussianBlur(inside, (0, 0), FEATHER / 2), dtype=np.float32)


def inside_of(rings: tuple[Ring, ...], size: tuple[int, int]) -> NDArray[np.bool_]:
    """What lies inside an odd number of rings, in a picture (h, w) of a size (width, height)."""
    made = np.zeros((size[1], size[0]), dtype=np.uint8)
    scaled = [np.rint(np.array(ring) * size * 16 - 8).astype(np.int32) for ring in rings]
    if scaled:
        cv2.fillPoly(made, scaled, 1, shift=4)
    return made.astype(bool)
