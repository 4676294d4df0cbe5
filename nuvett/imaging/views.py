"""The view that is kept of a picture: what previews and walls are drawn from, and maps are made from."""

import numpy as np
import simplejpeg

from nuvett.core.drawing.renderer import Pixels
from nuvett.core.errors import TruncatedFileError
from nuvett.imaging.encode import Format, encode
from nuvett.imaging.opened import Picture
from nuvett.imaging.proxy import fit_within, view

_QUALITY = 95


def encoded_view(picture: Picture) -> bytes:
    """The view of a picture: a plain JPEG in the picture's own domain."""
    return encode(view(picture.pixels, picture.domain), Format.JPEG, _QUALITY)


def decode_view(data: bytes, edge: int | None = None) -> Pixels:
    """Pixels (h, w, 3) of a view of our own making, whole, or of the smallest size that has at least a long edge.

    A smaller size is some eighths of the whole, which the transform of JPEG comes to while it decodes.
    Raises TruncatedFileError.
    """
    try:
        if edge is None:
            return np.asarray(simplejpeg.decode_jpeg(data, "RGB"))
        height, width, *_ = simplejpeg.decode_jpeg_header(data)
        size = fit_within(width, height, edge)
        return np.asarray(simplejpeg.decode_jpeg(data, "RGB", min_width=size[0], min_height=size[1]))
    except ValueError as error:
        raise TruncatedFileError from error
