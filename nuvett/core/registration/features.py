"""Points of a picture that can be found again in another one of the same things, with their colours in linear light.

Points are found by SIFT (Lowe, "Distinctive image features from scale-invariant keypoints", IJCV 2004) on a picture
of local contrast from which exposure has dropped out, and described as RootSIFT (Arandjelović and Zisserman, "Three
things everyone should know to improve object retrieval", CVPR 2012).
"""

from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from nuvett.core.types import Floats, Linear

MAX_POINTS = 2500
_BOX, _STEADY, _CODES = 31, 0.35, 42.0
_CONTRAST, _EDGE = 0.01, 12.0
_SIGMAS = (
    1.0,
    1.4,
    2.0,
    2.8,
    4.0,
)  # radii in pixels that colours are averaged over; the one nearest 0.4 of a point's size
_OF_ITS_SIZE = 0.4
_DARKEST, _CLIPPED, _VALID = 0.003, 0.93, 0.97
_LUMINANCE = np.array([0.2126, 0.7152, 0.0722], dtype=np.float32)  # IEC 61966-2-1
DESCRIPTOR_SCALE = 512.0


@dataclass(frozen=True)
class Features:
    """Points of one picture.

    places : (N, 4) x, y and diameter in pixels of the measuring proxy, direction in degrees
    descriptors : (N, 128) uint8, RootSIFT times DESCRIPTOR_SCALE
    colours : (N, 3) linear colour about each point; zero where it is too dark, clipped or partly so
    """

    places: Floats
    descriptors: NDArray[np.uint8]
    colours: Floats

    def __len__(self) -> int:
        return len(self.places)

    @cached_property
    def vectors(self) -> Floats:
        """(N, 128) descriptors at about unit length."""
        return self.descriptors.astype(np.float32) / np.float32(DESCRIPTOR_SCALE)

    @classmethod
    def none(cls) -> "Features":
        """No points at all."""
        empty = np.empty((0, 3), np.float32)
        return cls(np.empty((0, 4), np.float32), np.empty((0, 128), np.uint8), empty)


def local_contrast(luminance: Floats) -> NDArray[np.uint8]:
    """8-bit picture (H, W) of log luminance less its surroundings, over their deviation, so that exposure drops out."""
    logs = np.log2(np.maximum(luminance, 1e-4))
    mean = cv2.blur(logs, (_BOX, _BOX))
    deviation = np.sqrt(np.maximum(cv2.blur(logs * logs, (_BOX, _BOX)) - mean * mean, 0))
    return np.asarray(np.clip(128 + _CODES * (logs - mean) / (deviation + _STEADY), 0, 255), dtype=np.uint8)


def find_features(proxy: Linear, most: int = MAX_POINTS) -> Features:
    """At most `most` points of a proxy (H, W, 3), the most distinct ones."""
    finder = cv2.SIFT.create(nfeatures=most, contrastThreshold=_CONTRAST, edgeThreshold=_EDGE)
    points, raw = finder.detectAndCompute(local_contrast(proxy @ _LUMINANCE), None)
    if raw is None or len(points) == 0:
        return Features.none()
    root = np.sqrt(raw / np.maximum(raw.sum(axis=1, keepdims=True), 1e-6))
    places = np.array([(*p.pt, p.size, p.angle) for p in points], dtype=np.float32)
    described = np.clip(np.rint(root * DESCRIPTOR_SCALE), 0, 255).astype(np.uint8)
    return Features(places, described, _colours(proxy, places))


def _colours(proxy: Linear, places: Floats) -> Floats:
    """(N, 3) Gaussian means of linear light about points, zero where not nearly all of the patch is usable.

    Patches of some points are far fewer pixels than the whole picture, once for each radius.
    """
    planes = [proxy[..., channel] for channel in range(3)]  # one by one: a reduction along three takes far longer
    least, most = (choose(choose(*planes[:2]), planes[2]) for choose in (np.minimum, np.maximum))
    usable = ((least > _DARKEST) & (most < _CLIPPED)).astype(np.float32)
    column = np.clip(np.rint(places[:, 0]).astype(int), 0, proxy.shape[1] - 1)
    row = np.clip(np.rint(places[:, 1]).astype(int), 0, proxy.shape[0] - 1)
    nearest = np.abs(np.subtract.outer(places[:, 2] * _OF_ITS_SIZE, _SIGMAS)).argmin(axis=1)
    margin = _reach(max(_SIGMAS))
    counted = np.dstack([proxy * usable[..., None], usable])
    wide = cv2.copyMakeBorder(counted, margin, margin, margin, margin, cv2.BORDER_REFLECT_101)
    out = np.zeros((len(places), 3), dtype=np.float32)
    for index, sigma in enumerate(_SIGMAS):
        these, reach = np.flatnonzero(nearest == index), _reach(sigma)
        side = 2 * reach + 1
        bell = cv2.getGaussianKernel(side, sigma, cv2.CV_32F)[:, 0]
        patches = sliding_window_view(wide, (side, side), axis=(0, 1))
        means = patches[row[these] + margin - reach, column[these] + margin - reach] @ bell @ bell
        here = means[:, 3] >= _VALID
        out[these[here]] = means[here, :3] / means[here, 3:]
    return out


def _reach(sigma: float) -> int:
    """Pixels on each side that a bell of a width is looked at to."""
    return round(4 * sigma)
