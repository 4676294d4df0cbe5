"""Tone by region: highlights, shadows and the two ends moved on a base of broad light, with what lies on it kept.

A picture's light is its base, smoothed but not across edges, and the detail upon it (He, Sun and Tang, "Guided Image
Filtering", 2013, as in their section on detail). A curve moves the base alone, so local contrast stays; the guided
filter's own small error beside an edge is all that a halo could come from (`bench/instruments.py`).
"""

from collections.abc import Mapping
from functools import lru_cache

import numpy as np

from nuvett.core import lanes
from nuvett.core.smooth import smooth_step
from nuvett.core.types import Floats

REGIONS = ("highlights", "shadows", "whites", "blacks")
_KNOTS = 257
# On encoded luminance: where a region begins and ends, and by how much it is moved at most.
_HUMPS = {"highlights": (0.5, 1.0, 0.125), "shadows": (0.0, 0.5, 0.125)}
_ENDS = {"whites": (0.72, 1.0, 0.08), "blacks": (0.28, 0.0, 0.08)}
_MIN_SLOPE, _MIDDLE = 0.12, _KNOTS // 2
_FLOOR = 0.04  # encoded value about which colours are scaled with their light, so that noise in black stays small


@lru_cache(maxsize=64)
def region_curve(highlights: float, shadows: float, whites: float, blacks: float) -> Floats:
    """(257,) base out, on an even grid of encoded luminance in 0 to 1, for amounts from -1 to 1; it always rises.

    Highlights and shadows end where black and white lie, so these stay; whites and blacks move them.
    """
    at = np.linspace(0, 1, _KNOTS, dtype=np.float32)
    amounts = dict(zip(REGIONS, (highlights, shadows, whites, blacks), strict=True))
    moved = at.copy()
    for name, (begins, ends, most) in _HUMPS.items():
        t = np.clip((at - begins) / (ends - begins), 0, 1)
        moved += np.float32(amounts[name] * most) * 16 * t * t * (1 - t) ** 2
    for name, (begins, ends, most) in _ENDS.items():
        moved += np.float32(amounts[name] * most) * smooth_step((at - begins) / np.float32(ends - begins))
    steps = np.maximum(np.diff(moved), _MIN_SLOPE / (_KNOTS - 1))
    risen = np.concatenate([[0.0], np.cumsum(steps)])
    return np.asarray(risen - risen[_MIDDLE] + moved[_MIDDLE], dtype=np.float32)


def move_regions(planes: Floats, base: Floats, amounts: Mapping[str, float]) -> None:
    """Encoded colours (3, h, w), changed in place, with broad light (h, w) moved; proportions of channels are kept."""
    curve = region_curve(*(amounts[name] for name in REGIONS))
    lanes.scaled_by_base(planes, base, np.array([_FLOOR, _KNOTS, *curve], dtype=np.float32))
