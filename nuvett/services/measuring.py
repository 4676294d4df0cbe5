"""Measuring a picture file: what ingest and the command line both do first."""

from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from nuvett.core.even.features import Features, find_features
from nuvett.core.even.shared import Seen
from nuvett.core.fit.holds import face_colour
from nuvett.core.reading.reading import Reading, read
from nuvett.core.reading.regions import Sampling
from nuvett.core.reading.sampling import stratified_sample
from nuvett.core.types import Linear
from nuvett.imaging.decode import Limits, Picture, decode
from nuvett.imaging.faces import find_faces
from nuvett.imaging.proxy import measuring_proxy

_INNER = 0.22  # margin of a face's box that may hold hair or background
_FEWEST = 12  # pixels that a face needs to say anything


@dataclass(frozen=True)
class MeasuredFile:
    """A decoded picture with its measuring proxy (h, w, 3) and sample (N, 3), both extended linear sRGB.

    faces : (F, 3) linear colours of the faces in it
    features : points that can be found again in other frames
    """

    picture: Picture
    proxy: Linear
    sample: Linear
    faces: Linear
    features: Features

    @property
    def seen(self) -> Seen:
        """What evening needs of it."""
        return Seen(self.sample, self.features, self.picture.header.exposure)

    def without_pixels(self) -> "MeasuredFile":
        """The same measurements with the large arrays let go."""
        empty = np.empty((0, 0, 3), dtype=np.uint8)
        return replace(self, picture=replace(self.picture, pixels=empty), proxy=np.empty((0, 0, 3), dtype=np.float32))


def measure_file(path: Path, limits: Limits) -> MeasuredFile:
    """Decode and measure one file. Raises FileError and its kinds, and TooFewPixelsError."""
    picture = decode(path, limits)
    proxy = measuring_proxy(picture.pixels, picture.domain)
    return MeasuredFile(picture, proxy, stratified_sample(proxy), face_colours(proxy), find_features(proxy))


def face_colours(proxy: Linear) -> Linear:
    """Colours (F, 3) in linear light of the faces in a proxy (h, w, 3)."""
    height, width = proxy.shape[:2]
    found = []
    for face in find_faces(proxy):
        inner = (face.x + _INNER * face.width, face.y + _INNER * face.height)
        outer = (face.x + (1 - _INNER) * face.width, face.y + (1 - _INNER) * face.height)
        left, right = (int(min(1, max(0, v)) * width) for v in (inner[0], outer[0]))
        top, bottom = (int(min(1, max(0, v)) * height) for v in (inner[1], outer[1]))
        pixels = proxy[top:bottom, left:right].reshape(-1, 3)
        if len(pixels) >= _FEWEST:
            found.append(face_colour(pixels))
    return np.array(found, dtype=np.float32).reshape(-1, 3)


def read_file(path: Path, limits: Limits, sampling: Sampling | None = None) -> Reading:
    """Reading of a reference file. Raises as `measure_file`."""
    picture = decode(path, limits)
    return read(measuring_proxy(picture.pixels, picture.domain), sampling)
