"""HEIC, as phones write it (ISO/IEC 23008-12), by libheif through pi-heif, which decodes and cannot encode."""

from pathlib import Path
from typing import BinaryIO

import numpy as np
import pi_heif
import pyvips
from pi_heif import HeifFile

from nuvett.core.errors import TruncatedFileError
from nuvett.imaging.decoders.by_vips import encoding_of, upright_rgb
from nuvett.imaging.opened import Header, Limits, Opened, image_of

_BRANDS = (b"heic", b"heix", b"heim", b"heis", b"hevc", b"hevx", b"mif1", b"msf1")
_AV1 = (b"avif", b"avis")  # its own decoder reads those


def claims(file: BinaryIO) -> bool:
    """Whether an open file, read from its beginning, is one of these."""
    start = file.read(64)
    if start[4:8] != b"ftyp":
        return False
    length = min(int.from_bytes(start[:4], "big"), len(start))
    brands = [start[8:12], *(start[i : i + 4] for i in range(16, length, 4))]
    return not any(brand in _AV1 for brand in brands) and any(brand in _BRANDS for brand in brands)


def _found(path: Path, limits: Limits) -> tuple[HeifFile, Header]:
    try:
        found = pi_heif.open_heif(path, convert_hdr_to_8bit=False)
    except (ValueError, OSError, RuntimeError, EOFError, SyntaxError) as error:
        raise TruncatedFileError from error
    width, height = found.size
    limits.check_pixels(width, height)
    bits, domain = encoding_of(_described(np.zeros((1, 1, 3), _kind(found)), found))
    others = len(found) - 1
    note = f"The file holds {others + 1} pictures; its main one is used." if others else ""
    return found, Header("heic", width, height, bits, domain, note=note)


def _kind(found: HeifFile) -> type[np.uint8] | type[np.uint16]:
    return np.uint16 if ";16" in found.mode else np.uint8


def _described(pixels: np.ndarray, found: HeifFile) -> pyvips.Image:
    image = image_of(pixels)
    profile = found.info.get("icc_profile")
    if profile:
        image.set_type(pyvips.GValue.blob_type, "icc-profile-data", profile)
    return image


def open_file(path: Path, limits: Limits) -> Opened:
    """The main picture of a file. Raises TruncatedFileError, TooLargeError, or FileError for too few pixels."""
    found, header = _found(path, limits)
    try:
        pixels = np.array(found)  # a copy, because the decoder lets go of its own; turned upright by it already
    except (ValueError, OSError, RuntimeError, EOFError, SyntaxError) as error:
        raise TruncatedFileError from error
    image = _described(pixels[..., :3], found)
    return Opened(upright_rgb(image, header.domain, header.bits), header)


def read_header(path: Path, limits: Limits) -> Header:
    """Raises as `open_file`."""
    return _found(path, limits)[1]
