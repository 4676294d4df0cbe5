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
from nuvett.imaging.proxy import within_edge

_QUALITY = 80
_OWN, _LIKE = "jpeg-thumbnail-data", 0.02  # what cameras put into a JPEG; it may differ in proportion by so much
_MAX_PIXELS = 60_000_000  # of files that have to be decoded whole


def glimpse(path: Path, limits: Limits, edge: int) -> bytes | None:
    """JPEG of a picture file at about a long edge, upright; none where there is no quick way to one.

    The picture that the camera put into the file, where there is one: it may be smaller than the edge, and of a raw
    file it is as the camera saw it, since developing takes seconds. A HEIC has to be decoded whole, by another library.
    """
    try:
        header = read_header(path, limits)
        if header.raw:
            found = own_picture_of(path)
            return None if found is None else _small(found, edge)
        if header.format == "heic" or (header.format != "jpeg" and header.width * header.height > _MAX_PIXELS):
            return None
        own = _of_its_own(path)
        small = own or pyvips.Image.thumbnail(str(path), edge, height=edge, size="down", export_profile="srgb")
        flat = small.flatten() if small.hasalpha() else small
        return bytes(flat.write_to_buffer(".jpg", Q=_QUALITY, keep="none"))
    except (NuvettError, pyvips.Error):
        return None


def _of_its_own(path: Path) -> pyvips.Image | None:
    """The small picture in a JPEG, upright; none where there is none, or one of other proportions."""
    whole = pyvips.Image.new_from_file(str(path), access="sequential")
    if _OWN not in whole.get_fields():
        return None
    small = pyvips.Image.new_from_buffer(whole.get(_OWN), "").copy()
    if abs(small.width * whole.height / (small.height * whole.width) - 1) > _LIKE:
        return None
    if "orientation" in whole.get_fields():
        small.set_type(pyvips.GValue.gint_type, "orientation", whole.get("orientation"))
    return small.autorot()


def _small(pixels: NDArray[np.uint8], edge: int) -> bytes:
    small = within_edge(pixels, edge)
    made = cv2.imencode(".jpg", cv2.cvtColor(small, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_JPEG_QUALITY, _QUALITY])[1]
    return bytes(made.tobytes())
