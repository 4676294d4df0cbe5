"""Outlines put right by hand: strokes that add to what has grown, or take away from it, in their order."""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from nuvett.core.thread.growth import Mask

MAX_STROKES, MAX_POINTS = 60, 400


@dataclass(frozen=True)
class Brushed:
    """A stroke through places x and y, in shares of the picture; radius : share of its long edge, up to a quarter."""

    points: tuple[tuple[float, float], ...]
    radius: float
    inside: bool = True


def with_strokes(mask: Mask, strokes: Sequence[Brushed]) -> Mask:
    """A thing's region (h, w) with what strokes add to it and take away."""
    made = mask.astype(np.uint8)
    size = np.array([mask.shape[1], mask.shape[0]])
    for stroke in strokes:
        line = np.rint(np.array(stroke.points) * size * 16 - 8).astype(np.int32)
        width = max(1, round(2 * stroke.radius * max(mask.shape)))
        cv2.polylines(made, [line], False, int(stroke.inside), width, cv2.LINE_8, 4)
        for x, y in line:  # a stroke of one point is a dot, and ends are round
            cv2.circle(made, (int(x), int(y)), (width - 1) * 8, int(stroke.inside), -1, cv2.LINE_8, 4)
    return made > 0
