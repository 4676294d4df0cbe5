"""Sharpening for the size that a picture is handed over at: what making it smaller softened.

Unsharp masking of encoded luminance alone, so that no colour fringes arise. What it adds stays within a little more
than the range of the places around, so that edges get no visible rim.
"""

from typing import Literal

import cv2
import numpy as np

from nuvett.core.drawing.renderer import Pixels, lay_rounded
from nuvett.core.guided import encoded_luminance
from nuvett.core.types import Encoded01, Floats

Sharpen = Literal["none", "low", "standard", "strong"]
SHARPEN_WORDS: dict[Sharpen, str] = {
    "none": "none",
    "low": "a little",
    "standard": "for a screen",
    "strong": "for print",
}
_AMOUNTS: dict[Sharpen, float] = {"none": 0.0, "low": 0.4, "standard": 0.8, "strong": 1.4}
_SIGMA, _HALO = 0.7, 4  # pixels of the finished file
_OVERSHOOT = 0.03  # of encoded luminance, beyond the range of the neighbours
_ROWS = 512


def sharpened(pixels: Pixels, how: Sharpen) -> Pixels:
    """Pixels (H, W, 3), uint8 or uint16, sharpened for their size; the same ones where nothing is asked."""
    amount = _AMOUNTS[how]
    if amount == 0:
        return pixels
    top = np.iinfo(pixels.dtype).max
    out = np.empty_like(pixels)
    for first in range(0, len(pixels), _ROWS):
        last = min(first + _ROWS, len(pixels))
        above, below = max(0, first - _HALO), min(len(pixels), last + _HALO)
        encoded = np.multiply(pixels[above:below], np.float32(1 / top), dtype=np.float32)
        made = np.clip(encoded + _added(Encoded01(encoded), amount)[..., None], 0, 1)[first - above : last - above]
        planes = np.ascontiguousarray(np.moveaxis(made, 2, 0), dtype=np.float32)
        lay_rounded(planes, 0, first, out[first:last])
    return out


def _added(encoded: Encoded01, amount: float) -> Floats:
    light: Floats = encoded_luminance(encoded)
    soft = cv2.GaussianBlur(light, (0, 0), _SIGMA)
    wanted = light + np.float32(amount) * (light - soft)
    near = np.ones((3, 3), np.uint8)
    low, high = cv2.erode(light, near) - np.float32(_OVERSHOOT), cv2.dilate(light, near) + np.float32(_OVERSHOOT)
    return np.asarray(np.clip(wanted, low, high) - light, dtype=np.float32)
