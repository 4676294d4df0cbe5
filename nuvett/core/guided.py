"""The guided filter (He, Sun and Tang, "Guided Image Filtering", 2013): values smoothed, but not across edges."""

import cv2
import numpy as np

from nuvett.core.types import Encoded01, Floats

LUMINANCE = np.array([0.2126, 0.7152, 0.0722], dtype=np.float32)  # IEC 61966-2-1
"""Weights of red, green and blue, here on encoded values."""


def encoded_luminance(encoded: Encoded01) -> Floats:
    """Luminance weights on encoded values (h, w, 3): the guide (h, w)."""
    return np.asarray(cv2.transform(encoded, LUMINANCE[None]), dtype=np.float32)


def box_mean(values: np.ndarray, radius: int) -> Floats:
    """Mean of values (h, w) over squares of 2 radius + 1 pixels a side."""
    side = 2 * radius + 1
    return np.asarray(
        cv2.blur(values.astype(np.float32, copy=False), (side, side), borderType=cv2.BORDER_REFLECT), dtype=np.float32
    )


def guided(guide: Floats, values: Floats, radius: int, epsilon: float) -> Floats:
    """Slope and offset (h, w, 2) on the guide that give values smoothed; guide and values (h, w).

    radius : in pixels; epsilon : variance of the guide that counts as an edge
    """
    values = values.astype(np.float32)
    mean_g, mean_v = box_mean(guide, radius), box_mean(values, radius)
    variance = box_mean(guide * guide, radius) - mean_g * mean_g
    slope = (box_mean(guide * values, radius) - mean_g * mean_v) / (variance + epsilon)
    offset = mean_v - slope * mean_g
    return np.stack([box_mean(slope, radius), box_mean(offset, radius)], axis=-1).astype(np.float32)
