"""Measuring a picture file: what ingest and the command line both do first."""

from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from nuvett.core.area.faces import FaceSeen
from nuvett.core.even.shared import Seen
from nuvett.core.measure.sampling import Sample, placed_sample
from nuvett.core.reading.reading import Reading, read
from nuvett.core.reading.regions import Sampling
from nuvett.core.registration.features import Features, find_features
from nuvett.core.spaces.rgb import from_linear
from nuvett.core.types import Encoded01, Linear
from nuvett.imaging.damage import check_jpeg
from nuvett.imaging.decode import decode
from nuvett.imaging.faces import Face, faces_seen, find_faces
from nuvett.imaging.facts import FileFacts, read_facts
from nuvett.imaging.opened import Development, Limits, Picture
from nuvett.imaging.proxy import measuring_proxy


@dataclass(frozen=True)
class MeasuredFile:
    """A decoded picture with its measuring proxy (h, w, 3) and sample, both extended linear sRGB.

    faces : those found in it, with their places and colours
    features : points that can be found again in other frames
    facts : how it was taken
    """

    picture: Picture
    proxy: Linear
    sample: Sample
    faces: list[Face]
    features: Features
    facts: FileFacts

    @property
    def faces_seen(self) -> tuple[FaceSeen, ...]:
        """Faces as plans and notes know them."""
        return faces_seen(self.faces)

    @property
    def proportion(self) -> float:
        """Width over height."""
        return self.picture.header.width / self.picture.header.height

    @property
    def seen(self) -> Seen:
        """What evening needs of it."""
        return Seen(self.sample.colours, self.features, self.facts.exposure)

    def without_pixels(self) -> "MeasuredFile":
        """The same measurements with the large arrays let go."""
        empty = np.empty((0, 0, 3), dtype=np.uint8)
        return replace(
            self, picture=replace(self.picture, pixels=empty), proxy=Linear(np.empty((0, 0, 3), dtype=np.float32))
        )


def measure_file(
    path: Path, limits: Limits, development: Development | None = None, companion: Path | None = None
) -> MeasuredFile:
    """Decode and measure one file, a raw one as it is to be developed.

    Raises FileError and its kinds, and TooFewPixelsError.
    """
    picture = _whole(path, limits, development, companion)
    proxy = measuring_proxy(picture.pixels, picture.domain)
    return MeasuredFile(picture, proxy, placed_sample(proxy), find_faces(proxy), find_features(proxy), read_facts(path))


def small_encoded(picture: Picture) -> Encoded01:
    """Encoded sRGB proxy (h, w, 3) of a picture, clipped to the cube."""
    return Encoded01(np.clip(from_linear(measuring_proxy(picture.pixels, picture.domain)), 0, 1))


def _whole(
    path: Path, limits: Limits, development: Development | None = None, companion: Path | None = None
) -> Picture:
    """Decode a file that has not been looked at before, and see whether it is undamaged."""
    picture = decode(path, limits, development, companion)
    if picture.header.format == "jpeg" and not picture.undamaged:
        check_jpeg(path)
    return picture


def read_file(path: Path, limits: Limits, sampling: Sampling | None = None) -> Reading:
    """Reading of a reference file. Raises as `measure_file`."""
    picture = _whole(path, limits)
    return read(measuring_proxy(picture.pixels, picture.domain), sampling)
