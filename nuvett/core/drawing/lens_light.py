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
    raised = np.asarray(cv2.pow(light, _POWERS[curve]), dtype=np.float32)
    if curve is Curve.SCENE:
        return _in_scene(encoded, light, raised)
    toe = _TOE if curve is Curve.SRGB else 0.0
    straight = None if curve is Curve.ADOBE else light
    return Encoded01(np.minimum(_factored(encoded, straight, raised, toe), np.float32(1)))


def _factored(encoded: Floats, straight: Floats | None, raised: Floats, toe: float) -> Floats:
    """(e + t) G - t, and no more than e g where the curve has a straight part; planes made wide for the library."""
    made = np.asarray(cv2.multiply(encoded + np.float32(toe), cv2.merge([raised] * 3)), dtype=np.float32)
    made -= np.float32(toe)
    if straight is not None:
        np.minimum(made, cv2.multiply(encoded, cv2.merge([straight] * 3)), out=made)
    return made


def _in_scene(encoded: Encoded01, light: Floats, raised: Floats) -> Encoded01:
    white, stop = np.float32(SCENE_WHITE), np.float32((1 - SCENE_WHITE) / SCENE_STOPS)
    made = _factored(np.asarray(encoded * np.float32(1 / white)), light, raised, _TOE)
    out = made * white
    over = made > 1
    if over.any():
        # What passes white goes on with the logarithm of its light.
        logs = np.log2(np.broadcast_to(light[..., None], encoded.shape)[over])
        start = encoded[over]
        linear = np.log2((made[over] + np.float32(_TOE)) / np.float32(1 + _TOE)) * np.float32(2.4)
        out[over] = np.where(start > white, start + stop * logs, white + stop * linear)
    return Encoded01(np.minimum(out, 1))
