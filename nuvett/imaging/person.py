"""Where people are in a picture, found by a small network that ships with the application.

MediaPipe's selfie segmentation, general model (Apache License 2.0): a few milliseconds for a picture. It knows people
only, and takes other things for them where there is none, so it is asked where a face was found.
"""

import cv2
import numpy as np

from nuvett.core.drawing.renderer import Pixels
from nuvett.core.types import Mask01
from nuvett.imaging.networks import answers_of_light

_SIDE = 256


def find_people(pixels: Pixels) -> Mask01:
    """How far people are at each place (256, 256), 0 to 1, of a whole picture (h, w, 3) 8-bit RGB, squeezed square."""
    small = cv2.resize(pixels, (_SIDE, _SIDE), interpolation=cv2.INTER_AREA).astype(np.float32) / np.float32(255)
    (answer,) = answers_of_light("person.tflite", small)
    return np.asarray(np.clip(answer[..., 0], 0, 1), dtype=np.float32)
