"""Where people are in a picture, found by a small network that ships with the application.

MediaPipe's selfie segmentation, general model (Apache License 2.0): a few milliseconds for a picture. It knows people
only, and takes other things for them where there is none, so it is asked where a face was found.
"""

from functools import cache
from importlib.resources import as_file, files
from threading import Lock

import cv2
import numpy as np

from nuvett.core.drawing.renderer import Pixels
from nuvett.core.types import Mask01

_SIDE = 256
_LOADING = Lock()


@cache
def _loaded() -> tuple[cv2.dnn.Net, Lock]:
    with as_file(files("nuvett.imaging") / "nets" / "person.tflite") as path:
        return cv2.dnn.readNetFromTFLite(str(path)), Lock()


def find_people(pixels: Pixels) -> Mask01:
    """How far people are at each place (256, 256), 0 to 1, of a whole picture (h, w, 3) 8-bit RGB, squeezed square."""
    small = cv2.resize(pixels, (_SIDE, _SIDE), interpolation=cv2.INTER_AREA).astype(np.float32) / np.float32(255)
    with _LOADING:
        net, lock = _loaded()
    with lock:
        net.setInput(np.ascontiguousarray(small.transpose(2, 0, 1)[None]))
        return np.clip(np.asarray(net.forward()[0, 0], dtype=np.float32), 0, 1)
