"""A first small picture of a file, before it is measured: quick, and nothing that is measured stands on it."""

from pathlib import Path

import cv2
import numpy as np
import pyvips
from numpy.typing import NDArray

from nuvett.core.errors import NuvettError
from nuvett.imaging.decode import read_header
from nuvett.imaging.decoders.raw import own_picture_of
from nuvett.imaging.opened import Limits
from nuvett.imaging.proxy import fit_within

_QUALITY = 80


def glimpse(path: Path, limits: Limits, edge: int) -> bytes | None:
    """JPEG of a picture file at a long edge, in sRGB and upright; none where there is no quick way to one.

    Of a raw file it is the picture that the camera put into it, since developing takes seconds.
    """
    try:
        header = read_header(path, limits)
        if header.raw:
            found = own_picture_of(path)
            return None if found is None else _small(found, edge)
        small = pyvips.Image.thumbnail(str(path), edge, height=edge, size="down", export_profile="srgb")
        flat = small.flatten() if small.hasalpha() else small
        return bytes(flat.write_to_buffer(".jpg", Q=_QUALITY, keep="none"))
    except (NuvettError, pyvips.Error):
        return None


def _small(pixels: NDArray[np.uint8], edge: int) -> bytes:
    size = fit_within(pixels.shape[1], pixels.shape[0], edge)
    small = cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)
    made = cv2.imencode(".jpg", cv2.cvtColor(small, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_JPEG_QUALITY, _QUALITY])[1]
    return bytes(made.tobytes())
