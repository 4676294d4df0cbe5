"""The skin of faces in a frame."""

from typing import ClassVar, Literal, Self

import numpy as np

from nuvett.core.area.faces import SkinSeen
from nuvett.core.area.part import AreaPart
from nuvett.core.area.person import nearness_of, people_in
from nuvett.core.area.scene import Scene
from nuvett.core.fields import choice
from nuvett.core.skin import skin_membership
from nuvett.core.smooth import smooth_step
from nuvett.core.types import Mask01, OKLab

_FACE_REACH, _FACE_SOFT = 1.1, 1.4  # of the half diagonal of a face: what still belongs to it, and where that ends


_WORDS = {"faces": "near the faces", "all": "of their bodies too"}


class SkinPart(AreaPart):
    """Colours of the skin of faces, near those faces. `faces` are those of the frame, filled in when it is planned."""

    title: ClassVar[str] = "the skin"
    looks_at: ClassVar[Literal["nothing", "colours", "subject"]] = "colours"
    edges: ClassVar[bool] = True
    lacking: ClassVar[str] = "No face was found in this frame."
    sentence: ClassVar[str] = "{of}"
    kind: Literal["skin"] = "skin"
    of: Literal["faces", "all"] = choice("faces", "takes", _WORDS)
    faces: tuple[SkinSeen, ...] = ()

    def told(self, faces: tuple[SkinSeen, ...]) -> Self:
        return self.model_copy(update={"faces": faces})

    def finds(self, scene: Scene, faces: tuple[SkinSeen, ...]) -> bool:
        return bool(faces)

    def weigh(self, scene: Scene) -> Mask01:
        """Skin of faces, near them: neck, ears and what else lies within reach."""
        made = scene.nowhere
        if not self.faces:
            return made
        if self.of == "all":
            return self._all(scene)
        width, height = scene.size
        x, y = scene.places
        lab = scene.lab()
        for face in self.faces:
            left, top, across, down = face.box
            half = max(float(np.hypot(across * width, down * height)) / 2, 1.0)
            distance = np.hypot(x - (left + across / 2) * width, y - (top + down / 2) * height) / np.float32(half)
            near = 1 - smooth_step((distance - np.float32(_FACE_REACH)) * np.float32(1 / _FACE_SOFT))
            rows, columns = np.nonzero(near > 0)
            if rows.size:
                made[rows, columns] = np.maximum(
                    made[rows, columns],
                    near[rows, columns] * skin_membership(OKLab(lab[rows, columns]), (face.centre,)),
                )
        return made

    def _all(self, scene: Scene) -> Mask01:
        """Skin of whoever has a face here, wherever they are: what is like it and no part of them is left out."""
        lab = scene.lab()
        like = skin_membership(OKLab(lab.reshape(-1, 3)), tuple(face.centre for face in self.faces))
        return np.asarray(like.reshape(lab.shape[:2]) * people_in(scene, nearness_of(self.faces)), dtype=np.float32)
