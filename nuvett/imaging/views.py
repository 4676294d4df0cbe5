"""The view that is kept of a picture: what previews and walls are drawn from, and maps are made from."""

import cv2
import numpy as np

from nuvett.core.drawing.renderer import Pixels
from nuvett.core.errors import TruncatedFileError
from nuvett.imaging.encode import Format, encode
from nuvett.imaging.opened import Picture
from nuvett.imaging.proxy import view

_QUALITY = 95


def encoded_view(picture: Picture) -> bytes:
    """The view of a picture: a plain JPEG in the picture's own domain."""
    return encode(view(picture.pixels, picture.domain), Format.JPEG, _QUALITY)


def decode_view(data: bytes, how: int = cv2.IMREAD_COLOR) -> Pixels:
    """Pixels (h, w, 3) of a view of our own making; `how` says at which share of its size."""
    decoded = cv2.imdecode(np.frombuffer(data, np.uint8), how)
    if decoded is None:
        raise TruncatedFileError
    return np.asarray(cv2.cvtColor(decoded, cv2.COLOR_BGR2RGB))
