"""What every decoder gives: a header, and pixels from top to bottom; and what is accepted at all."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import pyvips
from numpy.typing import NDArray

from nuvett.core.errors import FileError, TooLargeError, TruncatedFileError
from nuvett.core.spaces.rgb import Space
from nuvett.core.types import Document

_MIN_PIXELS = 300


class Development(Document):
    """How a raw file becomes a picture.

    start : the camera's own rendering, by the tone of the picture that the camera made of it; or its light as it is
    highlights : rebuilt from the channels that are left where others are full, or all cut where the first is full
    """

    start: Literal["camera", "neutral"] = "camera"
    highlights: Literal["rebuilt", "cut"] = "rebuilt"


@dataclass(frozen=True)
class Limits:
    """What is accepted: bytes of a file and pixels of a picture."""

    bytes: int = 400_000_000
    pixels: int = 160_000_000

    def check_pixels(self, width: int, height: int) -> None:
        """Raises TooLargeError, or FileError for a picture of fewer pixels than can be measured."""
        if width * height > self.pixels:
            raise TooLargeError(
                f"The picture has {width * height / 1e6:.0f} megapixels; "
                f"this installation accepts up to {self.pixels / 1e6:.0f}."
            )
        if width * height < _MIN_PIXELS:
            raise FileError(
                f"The picture has {width} × {height} pixels; at least {_MIN_PIXELS} are needed to measure it."
            )


@dataclass(frozen=True)
class Header:
    """What a file says of its pixels, before any is decoded; width and height as seen upright.

    raw : whether it is what a camera's sensor saw, which had to be developed
    note : what a person should know of it beside that, in words
    """

    format: str
    width: int
    height: int
    bits: int
    domain: Space
    raw: bool = False
    note: str = ""


@dataclass(frozen=True)
class Picture:
    """Decoded pixels (H, W, 3), uint8 or uint16, upright, encoded in `domain`.

    undamaged : whether all of the file is known to have been read without a doubt; others may have gaps that show
    """

    pixels: NDArray[np.uint8] | NDArray[np.uint16]
    header: Header
    undamaged: bool = False

    @property
    def domain(self) -> Space:
        return self.header.domain


@dataclass(frozen=True)
class Opened:
    """A picture ready to be decoded from top to bottom.

    dpi : pixels an inch, none where the file does not say
    quick : decodes all of it at once, where there is a quicker way to do that; gives none where that finds a fault
    """

    image: pyvips.Image
    header: Header
    dpi: float | None = None
    quick: Callable[[], NDArray[np.uint8] | None] = lambda: None

    @property
    def shape(self) -> tuple[int, int, int]:
        """Height, width and channels of its pixels."""
        return self.image.height, self.image.width, 3

    @property
    def kind(self) -> type[np.uint8] | type[np.uint16]:
        """Kind of number of its pixels."""
        return np.uint16 if self.image.format == "ushort" else np.uint8

    def strips(self, rows: int) -> Iterator[tuple[int, NDArray[Any]]]:
        """First row and pixels (rows or fewer, W, 3) of each strip, top to bottom; only once.

        Raises TruncatedFileError when pixels are missing.
        """
        image = self.image
        region = pyvips.Region.new(image)
        for top in range(0, image.height, rows):
            height = min(rows, image.height - top)
            try:
                data = region.fetch(0, top, image.width, height)
            except pyvips.Error as error:
                raise TruncatedFileError from error
            yield top, np.frombuffer(data, self.kind).reshape(height, image.width, 3)

    def whole(self) -> Picture:
        """All of it. Raises TruncatedFileError when pixels are missing."""
        quickly = self.quick()
        if quickly is not None:
            return Picture(quickly, self.header, undamaged=True)
        try:
            pixels = self.image.numpy()
        except pyvips.Error as error:
            raise TruncatedFileError from error
        return Picture(np.ascontiguousarray(pixels), self.header)


def image_of(pixels: NDArray[Any]) -> pyvips.Image:
    """Pixels (H, W, C), uint8 or uint16, for the library, from the array's own memory."""
    flat = np.ascontiguousarray(pixels)
    deep = flat.dtype == np.uint16
    height, width, bands = flat.shape
    image = pyvips.Image.new_from_memory(flat.data, width, height, bands, "ushort" if deep else "uchar")
    return image.copy(interpretation="rgb16" if deep else "srgb")
