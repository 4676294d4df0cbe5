"""What stands out in a picture, found by a small network that ships with the application.

U2-Net (Qin, Zhang, Huang, Dehghan, Zaiane and Jagersand, "U2-Net: Going Deeper with Nested U-Structure for Salient
Object Detection", 2020), its small form. It says nothing about which of several things is meant.
"""

from collections.abc import Sequence

import cv2
import numpy as np

from nuvett.core.drawing.renderer import Pixels
from nuvett.core.types import Floats, Mask01
from nuvett.imaging.networks import answers_of

_SIDE = 320
_MEAN, _DEVIATION = (0.485, 0.456, 0.406), (0.229, 0.224, 0.225)  # of the pictures that it was trained on


def asked_of_net(pixels: Pixels, layers: Sequence[str] = ()) -> list[Floats]:
    """Answers (channels, h, w) of named layers of the net, or its last, to a whole picture (h, w, 3) 8-bit RGB."""
    small = cv2.resize(pixels, (_SIDE, _SIDE), interpolation=cv2.INTER_AREA).astype(np.float32) / np.float32(255)
    scaled = ((small - np.array(_MEAN, np.float32)) / np.array(_DEVIATION, np.float32)).transpose(2, 0, 1)
    return answers_of("subject.onnx", scaled[None], layers)


def find_subject(pixels: Pixels) -> Mask01:
    """How far things stand out (320, 320), 0 to 1, in a whole picture (h, w, 3) 8-bit RGB, squeezed to a square.

    An answer that nowhere is sure stays as low as it is; else it is stretched to its own range.
    """
    answer = asked_of_net(pixels)[0][0]
    low, high = float(answer.min()), float(answer.max())
    if high < 0.5 or high - low < 1e-6:
        return np.asarray(np.clip(answer, 0, 1), dtype=np.float32)
    return np.asarray((answer - low) / (high - low), dtype=np.float32)
