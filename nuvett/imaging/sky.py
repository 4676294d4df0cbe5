"""How likely each part of a picture is sky: a weighing of what the subject's net sees there on its way.

The first three stages of the net tell what kind of place a place is; a logistic regression over their activations and
the height in the picture tells sky from all else. `tools/derive_sky.py` derives its weights, and says what they are
worth on pictures that they were not made from.
"""

import json
from functools import cache
from importlib.resources import files

import cv2
import numpy as np

from nuvett.core.drawing.renderer import Pixels
from nuvett.core.types import Floats
from nuvett.imaging.subject import asked_of_net

CELLS = 40
"""Parts of a picture on each side that are told apart."""
_STAGES = ("onnx_node!Add_331", "onnx_node!Add_392", "onnx_node!Add_413")  # of 80, 40 and 20 places on each side


def sky_features(pixels: Pixels) -> Floats:
    """What the net sees (CELLS, CELLS, n) in each part of a whole picture (h, w, 3) 8-bit RGB, and how high that is."""
    seen = []
    for answer in asked_of_net(pixels, _STAGES):
        shrinks = answer.shape[1] > CELLS
        how = cv2.INTER_AREA if shrinks else cv2.INTER_LINEAR
        seen.append(cv2.resize(answer.transpose(1, 2, 0), (CELLS, CELLS), interpolation=how))
    stages = np.log1p(np.maximum(np.concatenate(seen, axis=2), 0))
    down = np.broadcast_to((np.arange(CELLS, dtype=np.float32) / CELLS)[:, None, None], (CELLS, CELLS, 1))
    return np.concatenate([stages, down, (1 - down) ** 2], axis=2)


def find_sky(pixels: Pixels) -> Floats:
    """Log-odds (CELLS, CELLS) of each part of a whole picture (h, w, 3) 8-bit RGB, squeezed square, that it is sky."""
    weights, offset = _weighed()
    return np.asarray(sky_features(pixels) @ weights + offset, dtype=np.float32)


@cache
def _weighed() -> tuple[Floats, np.float32]:
    kept = json.loads((files("nuvett.imaging") / "nets" / "sky.json").read_text())
    return np.array(kept["weights"], dtype=np.float32), np.float32(kept["offset"])
