"""Measuring a picture file: what ingest and the command line both do first."""

from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from nuvett.core.reading.reading import Reading, Sampling, read
from nuvett.core.reading.sampling import stratified_sample
from nuvett.core.types import Linear
from nuvett.imaging.decode import Limits, Picture, decode
from nuvett.imaging.proxy import measuring_proxy


@dataclass(frozen=True)
class MeasuredFile:
    """A decoded picture with its measuring proxy (h, w, 3) and sample (N, 3), both extended linear sRGB."""

    picture: Picture
    proxy: Linear
    sample: Linear

    def without_pixels(self) -> "MeasuredFile":
        """The same measurements with the large arrays let go."""
        empty = np.empty((0, 0, 3), dtype=np.uint8)
        return replace(self, picture=replace(self.picture, pixels=empty), proxy=np.empty((0, 0, 3), dtype=np.float32))


def measure_file(path: Path, limits: Limits) -> MeasuredFile:
    """Decode and measure one file. Raises FileError and its kinds, and TooFewPixelsError."""
    picture = decode(path, limits)
    proxy = measuring_proxy(picture.pixels, picture.domain)
    return MeasuredFile(picture, proxy, stratified_sample(proxy))


def read_file(path: Path, limits: Limits, sampling: Sampling | None = None) -> Reading:
    """Reading of a reference file. Raises as `measure_file`."""
    picture = decode(path, limits)
    return read(measuring_proxy(picture.pixels, picture.domain), sampling)
