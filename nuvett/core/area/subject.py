"""What stands out in a frame."""

from typing import ClassVar, Literal, Self

import cv2
import numpy as np

from nuvett.core.area.faces import SkinSeen
from nuvett.core.area.part import AreaPart
from nuvett.core.area.person import nearness_of, people_in
from nuvett.core.area.scene import EDGE_VARIANCE, Scene
from nuvett.core.guided import guided
from nuvett.core.smooth import smooth_step
from nuvett.core.types import Mask01

_RADIUS = 0.008  # of the long edge
_STANDS_OUT = 0.5  # answer of the net below which nothing stands out


class SubjectPart(AreaPart):
    """What stands out in the frame, found anew in every frame; with people, where their faces were found.

    `faces` are those of the frame, filled in when it is planned.
    """

    title: ClassVar[str] = "the subject"
    looks_at: ClassVar[Literal["nothing", "colours", "subject"]] = "subject"
    edges: ClassVar[bool] = True
    lacking: ClassVar[str] = "Nothing stands out in this frame."
    kind: Literal["subject"] = "subject"
    faces: tuple[SkinSeen, ...] = ()

    def told(self, faces: tuple[SkinSeen, ...]) -> Self:
        return self.model_copy(update={"faces": faces})

    def weigh(self, scene: Scene) -> Mask01:
        """What stands out, its border drawn to the picture's edges."""
        found = scene.found.subject()
        near = nearness_of(self.faces)
        people = people_in(scene, near) if near > 0 else None
        if not _stands_out(found):
            return scene.nowhere if people is None else people
        found = np.asarray(cv2.resize(found, scene.size, interpolation=cv2.INTER_LINEAR), dtype=np.float32)
        guide = scene.guide()
        refined = guided(guide, found, max(1, round(_RADIUS * max(scene.size))), EDGE_VARIANCE)
        made = smooth_step((refined[..., 0] * guide + refined[..., 1] - np.float32(0.1)) * np.float32(1 / 0.8))
        return made if people is None else np.maximum(made, np.float32(near) * people)

    def finds(self, scene: Scene, faces: tuple[SkinSeen, ...]) -> bool:
        return bool(faces) or _stands_out(scene.found.subject())


def _stands_out(subject: Mask01) -> bool:
    return bool(subject.max(initial=0.0) >= _STANDS_OUT)
