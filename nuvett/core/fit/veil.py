"""A veil of light, as glass or a lens against the light lays it: taken off, and told from what a frame shows.

What a frame shows may be pale, and then its darkest places are light. A veil is told from that by several frames: it
adds the same light to all of them, so that none has a dark place, and the darkest ones are of one colour. How thick it
is, the clearest frame tells. Each run of six frames of the demo has a place below CIE L* 6; a veil of a fiftieth of
white takes those to about L* 17.
"""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from nuvett.core.spaces.cielab import neutral_cielab
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear
from nuvett.core.types import Linear, OKLab

MIN_FRAMES = 3
_DARKEST = 0.004  # share of a frame that is its darkest places
_LIGHT = 0.26  # OKLab lightness from which the darkest places of all frames are veiled: CIE L* 14
_ALIKE = 0.06  # a and b within which darkest places are of one veil
_CLEAR = 0.17  # OKLab lightness that the darkest places keep: CIE L* 4
_TOE = 0.25  # of the veil, over which what is darker than it goes to black gently


class Veil(NamedTuple):
    """A veil, OKLab, and the CIE L* of the darkest places under it."""

    colour: tuple[float, float, float]
    darkest: float


def without_veil(lab: OKLab, veil: OKLab) -> OKLab:
    """Colours (N, 3) without a veil (3,), white kept: the veil's light is taken from theirs and the rest made up for.

    Light adds: what is seen is what is there, dimmed, and the light of the air or glass before it (Koschmieder,
    "Theorie der horizontalen Sichtweite", 1924), here at one distance. What is darker than the veil goes to black
    gently.
    """
    light = oklab_to_linear(OKLab(veil[None]))
    share = float(oklab_to_linear(OKLab(np.array([[veil[0], 0, 0]], dtype=np.float32)))[0, 1])
    if share <= 0:
        return lab
    bare = oklab_to_linear(lab) - light
    toe = np.float32(_TOE * share)
    bare = (bare + np.sqrt(bare * bare + toe * toe)) / 2
    return linear_to_oklab(Linear((bare / np.float32(1 - share)).astype(np.float32)))


def veil_over(frames: Sequence[OKLab]) -> Veil | None:
    """A veil over frames of one set-up, colours (N, 3) of each as it is finished now; none where none is sure."""
    if len(frames) < MIN_FRAMES:
        return None
    colours = np.array([_darkest(frame) for frame in frames])
    clearest = colours[colours[:, 0].argmin()]
    if clearest[0] < _LIGHT or np.ptp(colours[:, 1:], axis=0).max() > _ALIKE:
        return None
    ends = oklab_to_linear(OKLab(np.array([clearest, [_CLEAR, 0, 0]], dtype=np.float32)))
    light = linear_to_oklab(Linear(np.maximum(ends[:1] - ends[1:], 0)))[0]
    return Veil((float(light[0]), float(light[1]), float(light[2])), neutral_cielab(float(clearest[0])))


def _darkest(lab: OKLab) -> OKLab:
    """Mean colour (3,) of the darkest places."""
    count = max(1, round(_DARKEST * len(lab)))
    return OKLab(lab[np.argpartition(lab[:, 0], count - 1)[:count]].mean(axis=0))
