"""Pictures whose red and blue lie farther off than green, as a lens makes them."""

import cv2
import numpy as np


def fringed(pixels: np.ndarray, red: tuple[float, float], blue: tuple[float, float]) -> np.ndarray:
    """A picture (h, w, 3) with red and blue drawn apart by v and b of 1 + v + b r², r in halves of the short side."""
    height, width = pixels.shape[:2]
    x, y = np.meshgrid(np.arange(width) + 0.5 - width / 2, np.arange(height) + 0.5 - height / 2)
    squared = (x * x + y * y) / (min(width, height) / 2) ** 2
    out = pixels.copy()
    for channel, (v, b) in ((0, red), (2, blue)):
        factor = 1 / (1 + v + b * squared)
        at = (x * factor + width / 2 - 0.5).astype(np.float32), (y * factor + height / 2 - 0.5).astype(np.float32)
        out[..., channel] = cv2.remap(pixels[..., channel], *at, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    return out
