"""Finished pictures that libvips decodes: JPEG, PNG, TIFF, WebP and AVIF, whatever their profile and depth.

The developed pictures that are kept of raw files are TIFFs, and are told from others by their description.
"""

import re
from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np
import pyvips
from numpy.typing import NDArray

from nuvett.core.errors import TruncatedFileError, UnreadableFileError
from nuvett.core.spaces.rgb import Space
from nuvett.imaging.icc import profile_path, space_of
from nuvett.imaging.kinds import check_tiff
from nuvett.imaging.opened import Header, Limits, Opened
from nuvett.imaging.plain_jpeg import TURNED, decode_whole

LOADERS = {
    "jpegload": "jpeg",
    "pngload": "png",
    "tiffload": "tiff",
    "webpload": "webp",
    "heifload": "avif",
}
DEVELOPED = "Nuvett developed picture, scene encoding 1"
_MILLIMETRES = 25.4  # an inch
_TIFF_STARTS = (b"II*\0", b"MM\0*")  # a TIFF's directory often stands last, so a cut one is not even recognised


def open_file(path: Path, limits: Limits) -> Opened:
    """Raises UnreadableFileError, TruncatedFileError, TooLargeError, or FileError for too few pixels."""
    image, kind = _found(path, limits)
    header = _header(image, kind)
    # One pixel a millimetre is what the library puts where a file says nothing.
    dpi = image.xres * _MILLIMETRES if abs(image.xres - 1) > 1e-6 and image.xres > 0 else None
    try:
        return Opened(upright_rgb(image, header.domain, header.bits), header, dpi, _quick(path, image, header))
    except pyvips.Error as error:
        raise TruncatedFileError from error


def _quick(path: Path, image: pyvips.Image, header: Header) -> Callable[[], NDArray[np.uint8] | None]:
    """What decodes a picture that needs nothing but that, as JPEGs in sRGB do."""
    orientation = image.get("orientation") if "orientation" in image.get_fields() else 1
    plain = header.format == "jpeg" and header.domain is Space.SRGB and image.interpretation == "srgb"
    if not plain or image.bands != 3 or image.format != "uchar" or orientation not in TURNED:
        return lambda: None
    return partial(decode_whole, path, orientation)


def read_header(path: Path, limits: Limits) -> Header:
    """Raises as `open_file`."""
    return _header(*_found(path, limits))


def source_space(path: Path) -> Space:
    """The delivery space that a finished picture of a file belongs in: its own, sRGB where it says nothing of it."""
    try:
        image = pyvips.Image.new_from_file(str(path), access="sequential")
    except pyvips.Error:  # raw files and others that are read in another way
        return Space.SRGB
    if _is_srgb(image):
        return Space.SRGB
    return space_of(bytes(image.get("icc-profile-data"))) or Space.SRGB


def _found(path: Path, limits: Limits) -> tuple[pyvips.Image, str]:
    check_tiff(path)
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
    limits.check_pixels(image.width, image.height)
    return image, kind


def _loader_name(name: str) -> str:
    """`VipsForeignLoadJpegFile` to `jpegload`."""
    found = re.fullmatch(r"VipsForeignLoad([A-Za-z]+?)File", name)
    return f"{found.group(1).lower()}load" if found else ""


def _is_developed(image: pyvips.Image) -> bool:
    return "image-description" in image.get_fields() and str(image.get("image-description")) == DEVELOPED


def _is_srgb(image: pyvips.Image) -> bool:
    """Whether the picture is in sRGB: no profile, or one that names it (all published sRGB profiles do)."""
    if "icc-profile-data" not in image.get_fields():
        return True
    profile = bytes(image.get("icc-profile-data"))
    return b"sRGB" in profile or "sRGB".encode("utf-16-be") in profile


def _header(image: pyvips.Image, kind: str) -> Header:
    turned = "orientation" in image.get_fields() and image.get("orientation") in (5, 6, 7, 8)
    width, height = (image.height, image.width) if turned else (image.width, image.height)
    if kind == "tiff" and _is_developed(image):
        return Header(kind, width, height, 16, Space.SCENE, raw=True)
    return Header(kind, width, height, *encoding_of(image))


def encoding_of(image: pyvips.Image) -> tuple[int, Space]:
    """Bits a channel, and the domain that a picture is decoded into."""
    plain = image.interpretation not in ("cmyk", "lab", "labs", "xyz")
    domain = Space.SRGB if plain and _is_srgb(image) else Space.WIDE
    return (16 if image.format not in ("uchar", "char") else 8), domain


def upright_rgb(image: pyvips.Image, domain: Space, bits: int) -> pyvips.Image:
    """Encoded RGB in a domain, upright, three bands, 8 or 16 bit."""
    if "orientation" in image.get_fields() and image.get("orientation") != 1:
        image = image.copy_memory().autorot()
    image = _to_domain(image, domain, bits)
    if image.bands == 1:
        return image.bandjoin([image, image])
    return image.extract_band(0, n=3) if image.bands > 3 else image


def _to_domain(image: pyvips.Image, domain: Space, bits: int) -> pyvips.Image:
    profiled = "icc-profile-data" in image.get_fields()
    if image.hasalpha():
        image = image.flatten(background=[65535 if image.interpretation in ("rgb16", "grey16") else 255])
    if domain is Space.SCENE:
        return image
    if domain is Space.WIDE:
        return image.icc_transform(
            str(profile_path(Space.WIDE)), embedded=profiled, input_profile="cmyk", intent="relative", depth=16
        )
    if image.format in ("float", "double"):
        return (image.cast("float") * 65535).cast("ushort").copy(interpretation="rgb16")
    return image.colourspace("rgb16" if bits == 16 else "srgb")
