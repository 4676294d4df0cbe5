"""A frame as areas look at it."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from nuvett.core.types import Floats, Mask01, OKLab

EDGE_VARIANCE = 1e-4
"""Variance of encoded luminance that counts as an edge."""
FEATHER = 1.0
"""Pixels of the map over which the hardest border fades, so that its pixels do not show."""


def _nothing() -> Mask01:
    return np.zeros((8, 8), dtype=np.float32)


def _no_sky() -> Floats:
    return np.full((8, 8), -10, dtype=np.float32)


@dataclass(frozen=True)
class Found:
    """What nets find in a frame, asked for when an area looks at it.

    subject, people : (h, w) how far things stand out, and where people are, 0 to 1
    sky : (h, w) log-odds of each part of the frame that it is sky
    """

    subject: Callable[[], Mask01] = _nothing
    people: Callable[[], Mask01] = _nothing
    sky: Callable[[], Floats] = _no_sky


NOTHING_FOUND = Found()


@dataclass(frozen=True)
class Scene:
    """A frame as areas look at it, on a map of a size (width, height).

    guide : (h, w) luminance of the encoded frame as it came
    lab : (h, w, 3) OKLab of the evened frame
    """

    size: tuple[int, int]
    guide: Callable[[], Floats]
    lab: Callable[[], OKLab]
    found: Found = NOTHING_FOUND

    @property
    def places(self) -> tuple[Floats, Floats]:
        """x (1, w) and y (h, 1) of the map's pixels, in its own pixels from its corner."""
        width, height = self.size
        return np.arange(width, dtype=np.float32)[None] + 0.5, np.arange(height, dtype=np.float32)[:, None] + 0.5

    @property
    def nowhere(self) -> Mask01:
        """Weights (h, w) of nothing."""
        return np.zeros(self.size[::-1], dtype=np.float32)
