"""People in a frame: all of them, their hair or their clothes; found anew in every frame in which there is a face."""

from collections.abc import Sequence
from typing import ClassVar, Literal, Self

import cv2
import numpy as np

from nuvett.core.area.faces import SkinSeen
from nuvett.core.area.part import AreaPart
from nuvett.core.area.scene import EDGE_VARIANCE, Scene
from nuvett.core.fields import choice
from nuvett.core.guided import guided
from nuvett.core.skin import skin_membership
from nuvett.core.smooth import smooth_step
from nuvett.core.types import Mask01, OKLab

_RADIUS = 0.008  # of the long edge
_CLOSE, _FAR = (0.1, 0.45), (0.6, 0.9)  # answers of the net over which somebody comes to be there, near and far
_FACE_NEAR = (0.17, 0.27)  # height of a face, of the frame, from which people are near, and where they surely are
_ABOUT_HEAD, _HEAD_SOFT = 1.5, 0.7  # half diagonals of a face: where its hair may be, and how that ends
_BELOW, _BELOW_SOFT = 0.05, 0.35  # heights of a face below which clothes begin
_WORDS = {"all": "all of them", "hair": "their hair", "clothes": "their clothes"}


def nearness_of(faces: Sequence[SkinSeen]) -> float:
    """How near people are, 0 to 1, by the height of the largest face: the net is sure of them when they are."""
    low, high = _FACE_NEAR
    largest = max((face.box[3] for face in faces), default=0.0)
    return float(smooth_step(np.array((largest - low) / (high - low), dtype=np.float32)))


def people_in(scene: Scene, near: float) -> Mask01:
    """How far people, as near as that, are at each place (h, w), their border drawn to the picture's edges."""
    found = np.asarray(cv2.resize(scene.found.people(), scene.size, interpolation=cv2.INTER_LINEAR), dtype=np.float32)
    guide = scene.guide()
    refined = guided(guide, found, max(1, round(_RADIUS * max(scene.size))), EDGE_VARIANCE)
    low, high = (f + near * (c - f) for c, f in zip(_CLOSE, _FAR, strict=True))
    return smooth_step((refined[..., 0] * guide + refined[..., 1] - np.float32(low)) * np.float32(1 / (high - low)))


class PersonPart(AreaPart):
    """People with a face in the frame. `faces` are those of the frame, filled in when it is planned."""

    title: ClassVar[str] = "people"
    looks_at: ClassVar[Literal["nothing", "colours", "subject"]] = "colours"
    edges: ClassVar[bool] = True
    lacking: ClassVar[str] = "No face was found in this frame."
    sentence: ClassVar[str] = "{of}"
    kind: Literal["person"] = "person"
    of: Literal["all", "hair", "clothes"] = choice("all", "takes", _WORDS)
    faces: tuple[SkinSeen, ...] = ()

    @property
    def words(self) -> str:
        return {"all": "people", "hair": "hair", "clothes": "clothes"}[self.of]

    def told(self, faces: tuple[SkinSeen, ...]) -> Self:
        return self.model_copy(update={"faces": faces})

    def finds(self, scene: Scene, faces: tuple[SkinSeen, ...]) -> bool:
        return bool(faces)

    def weigh(self, scene: Scene) -> Mask01:
        """People; of hair what is about a head and no skin, of clothes what is below the faces and no skin."""
        if not self.faces:
            return scene.nowhere
        there = people_in(scene, nearness_of(self.faces))
        if self.of == "all":
            return there
        skin = skin_membership(OKLab(scene.lab().reshape(-1, 3)), tuple(face.centre for face in self.faces))
        bare = there * (1 - skin.reshape(there.shape))
        where = [self._about(face, scene) for face in self.faces]
        return np.asarray(bare * np.maximum.reduce(where), dtype=np.float32)

    def _about(self, face: SkinSeen, scene: Scene) -> Mask01:
        """Where (h, w) the hair or the clothes of one person may be."""
        width, height = scene.size
        x, y = scene.places
        left, top, across, down = face.box
        bottom = (top + down) * height
        below = smooth_step((y - np.float32(bottom + _BELOW * down * height)) / np.float32(_BELOW_SOFT * down * height))
        if self.of == "clothes":
            return np.asarray(np.broadcast_to(below, scene.size[::-1]), dtype=np.float32)
        half = max(float(np.hypot(across * width, down * height)) / 2, 1.0)
        away = np.hypot(x - (left + across / 2) * width, y - (top + down / 2) * height) / np.float32(half)
        near = 1 - smooth_step((away - np.float32(_ABOUT_HEAD)) / np.float32(_HEAD_SOFT))
        return np.asarray(near * (1 - below), dtype=np.float32)
