"""JPEGs whose pixels need nothing but decoding, and finished ones, by the libraries that are quickest at each."""

import struct
from pathlib import Path

import cv2
import numpy as np
import simplejpeg
from numpy.typing import NDArray

_TURNS = {1: 0, 3: 2, 6: 3, 8: 1}
"""Quarter turns to the left that make pictures upright, by what their metadata says; mirrored ones are left out."""
TURNED = frozenset(_TURNS)

# The marker of JFIF (ISO/IEC 10918-5, 10.2) that stands first in what the encoder writes.
_JFIF, _JFIF_BYTES = b"\xff\xd8\xff\xe0\x00\x10JFIF\x00", 20
_PER_INCH = 1
_PROFILE, _MAX_BYTES = b"ICC_PROFILE\0", 65_519  # ICC.1:2022, annex B.4


def decode_whole(path: Path, orientation: int = 1) -> NDArray[np.uint8] | None:
    """Pixels (H, W, 3) of a JPEG in colour or grey, upright; none where its data are damaged in any way.

    orientation : of TURNED. What is decoded here has been read to its end without a warning.
    """
    try:
        pixels = simplejpeg.decode_jpeg(path.read_bytes(), "RGB", strict=True)
    except ValueError:
        return None
    return np.ascontiguousarray(np.rot90(pixels, _TURNS[orientation]))


def encode_whole(pixels: NDArray[np.uint8], quality: int, whole_colour: bool, profile: bytes, dpi: float) -> bytes:
    """A JPEG of pixels (H, W, 3), with a profile if there is one, and pixels an inch.

    whole_colour : whether colour is kept at full resolution
    Raises ValueError for a profile that needs more than one marker.
    """
    if len(profile) > _MAX_BYTES:
        raise ValueError("a profile of more than one marker")
    sampling = cv2.IMWRITE_JPEG_SAMPLING_FACTOR_444 if whole_colour else cv2.IMWRITE_JPEG_SAMPLING_FACTOR_420
    how = [cv2.IMWRITE_JPEG_QUALITY, quality, cv2.IMWRITE_JPEG_SAMPLING_FACTOR, sampling]
    # The one that decodes takes a coarser transform below quality 96, with twice the error.
    made = cv2.imencode(".jpg", cv2.cvtColor(pixels, cv2.COLOR_RGB2BGR), how)[1].tobytes()
    if not made.startswith(_JFIF):
        raise ValueError("the encoder has put no JFIF marker first")
    density = struct.pack(">BHH", _PER_INCH, *[round(min(max(dpi, 1), 65_535))] * 2)
    start = made[: len(_JFIF) + 2] + density + made[len(_JFIF) + 2 + len(density) : _JFIF_BYTES]
    marker = b"\xff\xe2" + struct.pack(">H", 2 + len(_PROFILE) + 2 + len(profile)) + _PROFILE + b"\1\1" + profile
    return b"".join((start, marker if profile else b"", memoryview(made)[_JFIF_BYTES:]))
