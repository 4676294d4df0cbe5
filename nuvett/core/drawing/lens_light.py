"""Light that a lens took from the corners, given back to encoded pixels before anything else is done to them."""

import cv2
import numpy as np

from nuvett.core.drawing.renderer import Pixels, in_floats
from nuvett.core.spaces.rgb import SCENE_STOPS, SCENE_WHITE, SPACES, Curve, Space
from nuvett.core.types import Encoded01, Floats

_TOE = 0.055  # of sRGB's curve, IEC 61966-2-1
_POWERS = {Curve.SRGB: 1 / 2.4, Curve.SCENE: 1 / 2.4, Curve.ADOBE: 256 / 563, Curve.ROMM: 1 / 1.8}


def brightened(pixels: Pixels, light: Floats, domain: Space) -> Encoded01:
    """Encoded pixels (h, w, 3) of a domain under factors (h, w) on their linear light, 0 to 1.

    On a power curve with an offset a factor g acts on encoded values as e G + 0.055 (G - 1), G = g^(1/2.4), and as e g
    on its straight part; the lesser of the two is right on both, and near where they meet.
    """
    curve = SPACES[domain].curve
    encoded = in_floats(pixels)
    raised = np.asarray(cv2.pow(light, _POWERS[curve]), dtype=np.float32)[..., None]
    if curve is Curve.ADOBE:
        return Encoded01(np.minimum(encoded * raised, 1))
    toe = np.float32(_TOE if curve in (Curve.SRGB, Curve.SCENE) else 0)
    if curve is not Curve.SCENE:
        made = np.minimum(encoded * light[..., None], encoded * raised + toe * (raised - 1))
        return Encoded01(np.minimum(made, 1))
    return _in_scene(encoded, light[..., None], raised)


def _in_scene(encoded: Encoded01, light: Floats, raised: Floats) -> Encoded01:
    white, stop = np.float32(SCENE_WHITE), np.float32((1 - SCENE_WHITE) / SCENE_STOPS)
    below = encoded * np.float32(1 / white)
    made = np.minimum(below * light, below * raised + np.float32(_TOE) * (raised - 1))
    out = made * white
    over = made > 1
    if over.any():
        # What passes white goes on with the logarithm of its light.
        logs = np.log2(np.broadcast_to(light, encoded.shape)[over])
        start = encoded[over]
        linear = np.log2((made[over] + np.float32(_TOE)) / np.float32(1 + _TOE)) * np.float32(2.4)
        out[over] = np.where(start > white, start + stop * logs, white + stop * linear)
    return Encoded01(np.minimum(out, 1))
