"""The sky of a frame, found anew in every frame that shows one."""

from typing import Any, ClassVar, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from nuvett.core.area.faces import SkinSeen
from nuvett.core.area.hierarchy import best_regions, enclosed
from nuvett.core.area.part import AreaPart
from nuvett.core.area.scene import Scene
from nuvett.core.smooth import smooth_step
from nuvett.core.types import Floats, Mask01, OKLab

_EDGE = 160  # pixels of the long edge in which its regions are found
_SMOOTHED = 0.7  # of those pixels, so that grain is no edge
_SURE = 2.0  # log-odds beyond which a place says no more
_THERE, _SCORE = 0.5, 0.18  # log-odds asked for, and how far a region must exceed them, for a sky to be there at all
_OF_IT = 0.3  # log-odds asked for of what belongs to a sky that is there
_MIN = 0.01  # of the picture
_BLANK = 0.03  # OKLab that colours of a picture differ by at least, for anything to be seen in it
_BAND = 2  # pixels of that edge to either side of the border of a region, within which the picture says where it is
_ABOUT = 0.025  # of the long edge: how far around a place its sky and what stands before it are looked at
_TELLS = 0.02  # OKLab between the two from which the picture tells them apart
_FADES = (0.25, 0.75)  # shares of sky in a pixel between which it comes to be sky


def sky_region(colours: Floats, likely: Floats) -> Mask01:
    """Where the sky is (h, w), 0 or 1: all nothing where there is none, or where the picture is of one colour.

    colours : (h, w, 3) OKLab; likely : (rows, columns) log-odds of each part of the picture that it is sky
    """
    height, width = colours.shape[:2]
    odds = cv2.resize(likely, (width, height), interpolation=cv2.INTER_LINEAR)
    smoothed = np.asarray(cv2.GaussianBlur(colours, (0, 0), _SMOOTHED), dtype=np.float32)
    if np.ptp(smoothed.reshape(-1, 3), axis=0).max() < _BLANK:
        return np.zeros((height, width), dtype=np.float32)
    surely = best_regions(smoothed, np.clip(odds - np.float32(_THERE), -_SURE, _SURE), _MIN)
    if surely.score < _SCORE:
        return np.zeros((height, width), dtype=np.float32)
    whole = best_regions(smoothed, np.clip(odds - np.float32(_OF_IT), -_SURE, _SURE), _MIN)
    return enclosed(whole.chosen).astype(np.float32)


def bordered(lab: OKLab, region: Mask01) -> Mask01:
    """A region (h, w) on a picture (rows, columns, 3) OKLab that is larger, its border where the colours have it.

    Near the border each place is so much sky as its colour lies on the way from what stands before the sky there to
    the sky there.
    """
    size = (lab.shape[1], lab.shape[0])
    kernel = np.ones((2 * _BAND + 1,) * 2, dtype=np.uint8)
    sky = _enlarged(cv2.erode(region, kernel), size)
    rest = _enlarged(1 - cv2.dilate(region, kernel), size)
    above, before = _nearby(lab, sky), _nearby(lab, rest)
    way = above - before
    length = np.sum(way * way, axis=-1)
    share = np.sum((lab - before) * way, axis=-1) / np.maximum(length, np.float32(1e-9))
    low, high = _FADES
    told = smooth_step((share - np.float32(low)) * np.float32(1 / (high - low)))
    plain = cv2.resize(region, size, interpolation=cv2.INTER_LINEAR)
    made = np.where(length > np.float32(_TELLS**2), told, plain)
    return np.asarray(np.where(sky > 0, 1, np.where(rest > 0, 0, made)), dtype=np.float32)


def _enlarged(sure: NDArray[Any], size: tuple[int, int]) -> Mask01:
    return np.asarray(cv2.resize(sure, size, interpolation=cv2.INTER_NEAREST), dtype=np.float32)


def _nearby(lab: OKLab, sure: Mask01) -> Floats:
    """Mean colour (h, w, 3) about each place of those places that are surely of a kind."""
    sigma = _ABOUT * max(sure.shape)
    weight = cv2.GaussianBlur(sure, (0, 0), sigma)
    mean = cv2.GaussianBlur(lab * sure[..., None], (0, 0), sigma) / np.maximum(weight, np.float32(1e-6))[..., None]
    return np.asarray(mean, dtype=np.float32)


class SkyPart(AreaPart):
    """The sky, from the upper border down to what stands before it."""

    title: ClassVar[str] = "the sky"
    looks_at: ClassVar[Literal["nothing", "colours", "subject"]] = "colours"
    edges: ClassVar[bool] = True
    lacking: ClassVar[str] = "No sky was found in this frame."
    kind: Literal["sky"] = "sky"

    def finds(self, scene: Scene, faces: tuple[SkinSeen, ...]) -> bool:
        return bool(self._region(scene).max(initial=0.0) > 0)

    def weigh(self, scene: Scene) -> Mask01:
        """The sky, its border where the picture's own colours have it."""
        region = self._region(scene)
        return bordered(scene.lab(), region) if region.any() else scene.nowhere

    def _region(self, scene: Scene) -> Mask01:
        scale = min(1.0, _EDGE / max(scene.size))
        size = tuple(max(8, round(side * scale)) for side in scene.size)
        small = cv2.resize(np.asarray(scene.lab()), size, interpolation=cv2.INTER_AREA)
        return sky_region(np.asarray(small, dtype=np.float32), scene.found.sky())
