"""Picture files to pixel arrays, whatever their format, profile, depth and orientation."""

import math
import re
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np
import pyvips
from numpy.typing import NDArray

from nuvett.core.errors import EmptyFileError, FileError, TooLargeError, TruncatedFileError, UnreadableFileError
from nuvett.core.spaces.rgb import Space
from nuvett.imaging.facts import FileFacts, read_facts, taken, tiff_facts
from nuvett.imaging.icc import profile_path
from nuvett.imaging.kinds import check_kind

LOADERS = {
    "jpegload": "jpeg",
    "pngload": "png",
    "tiffload": "tiff",
    "webpload": "webp",
    "heifload": "avif",
}
_LEAST_PIXELS = 300
_MILLIMETRES = 25.4  # an inch
_TIFF_STARTS = (b"II*\0", b"MM\0*")  # a TIFF's directory often stands last, so a cut one is not even recognised


@dataclass(frozen=True)
class Limits:
    """What is accepted: bytes of a file and pixels of a picture."""

    bytes: int = 400_000_000
    pixels: int = 160_000_000


@dataclass(frozen=True)
class Header:
    """What a file says of itself, before any pixel is decoded; width and height as seen upright.

    exposure : that the camera wrote down: log2 of seconds times ISO over the f-number's square
    """

    format: str
    width: int
    height: int
    bits: int
    domain: Space
    taken: datetime | None
    exposure: float | None = None


@dataclass(frozen=True)
class Picture:
    """Decoded pixels (H, W, 3), uint8 or uint16, upright, encoded in `domain`, and what the file says beside."""

    pixels: NDArray[np.uint8] | NDArray[np.uint16]
    header: Header
    facts: FileFacts

    @property
    def domain(self) -> Space:
        return self.header.domain


def _open(path: Path, limits: Limits) -> tuple[pyvips.Image, str]:
    size = path.stat().st_size
    if size == 0:
        raise EmptyFileError
    if size > limits.bytes:
        raise TooLargeError(
            f"The file has {size / 1e6:.0f} MB; this installation accepts up to {limits.bytes / 1e6:.0f} MB."
        )
    check_kind(path)
    loader = pyvips.vips_lib.vips_foreign_find_load(str(path).encode())
    name = "" if loader == pyvips.ffi.NULL else pyvips.ffi.string(loader).decode()
    kind = next((title for prefix, title in LOADERS.items() if _loader_name(name) == prefix), None)
    if kind is None:
        with path.open("rb") as file:
            raise TruncatedFileError if file.read(4) in _TIFF_STARTS else UnreadableFileError
    try:
        image = pyvips.Image.new_from_file(str(path), access="sequential", fail_on="error")
    except pyvips.Error as error:
        raise TruncatedFileError from error
    if image.width * image.height > limits.pixels:
        raise TooLargeError(
            f"The picture has {image.width * image.height / 1e6:.0f} megapixels; "
            f"this installation accepts up to {limits.pixels / 1e6:.0f}."
        )
    if image.width * image.height < _LEAST_PIXELS:
        raise FileError(
            f"The picture has {image.width} × {image.height} pixels; at least {_LEAST_PIXELS} are needed to measure it."
        )
    return image, kind


def _loader_name(name: str) -> str:
    """`VipsForeignLoadJpegFile` to `jpegload`."""
    found = re.fullmatch(r"VipsForeignLoad([A-Za-z]+?)File", name)
    return f"{found.group(1).lower()}load" if found else ""


def _string(image: pyvips.Image, field: str) -> str:
    return str(image.get(field)) if field in image.get_fields() else ""


def _facts(image: pyvips.Image, kind: str, path: Path) -> FileFacts:
    if kind == "tiff":
        exif = tiff_facts(path)
    else:
        exif = bytes(image.get("exif-data")) if "exif-data" in image.get_fields() else None
    # One pixel a millimetre is what the library puts where a file says nothing.
    dpi = image.xres * _MILLIMETRES if abs(image.xres - 1) > 1e-6 and image.xres > 0 else None
    return FileFacts(exif, dpi)


def _exposure(image: pyvips.Image) -> float | None:
    """Recorded exposure, none where one of its three numbers is missing or not possible."""
    found = []
    for field in ("ExposureTime", "ISOSpeedRatings", "FNumber"):
        number = re.match(r"(\d{1,9})(?:/(\d{1,9}))?", _string(image, f"exif-ifd2-{field}"))
        value = int(number[1]) / max(int(number[2] or 1), 1) if number else 0.0
        if value <= 0:
            return None
        found.append(value)
    seconds, iso, stop = found
    return math.log2(seconds * iso / stop**2)


def _is_srgb(image: pyvips.Image) -> bool:
    """Whether the picture is in sRGB: no profile, or one that names it (all published sRGB profiles do)."""
    if "icc-profile-data" not in image.get_fields():
        return True
    profile = bytes(image.get("icc-profile-data"))
    return b"sRGB" in profile or "sRGB".encode("utf-16-be") in profile


def _header(image: pyvips.Image, kind: str, facts: FileFacts) -> Header:
    turned = "orientation" in image.get_fields() and image.get("orientation") in (5, 6, 7, 8)
    width, height = (image.height, image.width) if turned else (image.width, image.height)
    plain = image.interpretation not in ("cmyk", "lab", "labs", "xyz")
    domain = Space.SRGB if plain and _is_srgb(image) else Space.WIDE
    deep = image.format not in ("uchar", "char")
    return Header(kind, width, height, 16 if deep else 8, domain, taken(read_facts(facts.exif)), _exposure(image))


def read_header(path: Path, limits: Limits) -> Header:
    """Header of a picture file.

    Raises EmptyFileError, UnreadableFileError, TruncatedFileError, TooLargeError, or FileError for a picture of fewer
    pixels than can be measured.
    """
    image, kind = _open(path, limits)
    return _header(image, kind, _facts(image, kind, path))


def _to_domain(image: pyvips.Image, header: Header) -> pyvips.Image:
    """Encoded RGB in the header's domain, three bands, 8 or 16 bit."""
    profiled = "icc-profile-data" in image.get_fields()
    if image.hasalpha():
        image = image.flatten(background=[65535 if image.interpretation in ("rgb16", "grey16") else 255])
    if header.domain is Space.WIDE:
        return image.icc_transform(
            str(profile_path(Space.WIDE)), embedded=profiled, input_profile="cmyk", intent="relative", depth=16
        )
    if image.format in ("float", "double"):
        return (image.cast("float") * 65535).cast("ushort").copy(interpretation="rgb16")
    return image.colourspace("rgb16" if header.bits == 16 else "srgb")


@dataclass(frozen=True)
class Opened:
    """A picture ready to be decoded from top to bottom."""

    image: pyvips.Image
    header: Header
    facts: FileFacts

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


def open_picture(path: Path, limits: Limits) -> Opened:
    """Open a picture file. Raises as `read_header`, and TruncatedFileError when a turned picture misses pixels."""
    image, kind = _open(path, limits)
    facts = _facts(image, kind, path)
    header = _header(image, kind, facts)
    try:
        if "orientation" in image.get_fields() and image.get("orientation") != 1:
            image = image.copy_memory().autorot()
        image = _to_domain(image, header)
    except pyvips.Error as error:
        raise TruncatedFileError from error
    if image.bands == 1:
        image = image.bandjoin([image, image])
    elif image.bands > 3:
        image = image.extract_band(0, n=3)
    return Opened(image, header, facts)


def decode(path: Path, limits: Limits) -> Picture:
    """Decode a picture file at full size. Raises as `open_picture`, and TruncatedFileError when pixels are missing."""
    opened = open_picture(path, limits)
    try:
        pixels = opened.image.numpy()
    except pyvips.Error as error:
        raise TruncatedFileError from error
    return Picture(np.ascontiguousarray(pixels), opened.header, opened.facts)
