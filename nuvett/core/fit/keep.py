"""What the fitted stages leave things of their own colour: a look moves casts, not things.

A strongly coloured thing keeps its family of hue and a share of its chroma; whites, and less so the greys below them,
take only part of a tint.
"""

import numpy as np

from nuvett.core import lanes
from nuvett.core.quick import exp, planar, planes_of
from nuvett.core.smooth import smooth_step, soft_limit
from nuvett.core.types import Floats, OKLab

_STRONG = (0.04, 0.09)  # chroma between which a colour comes to count as a thing's own
TURN = float(np.tan(np.radians(24)))  # how far hue may turn, as a slope
_DOUBLINGS = 3  # of the exponent, to 8, by which the least chroma is met softly
NEUTRAL = 0.035  # chroma within which a colour counts as neutral
WHITE = (0.5, 0.93)  # lightness between which neutrals come to count as white
PAPER = (0.9, 1.0)  # lightness between which neutrals come to count as paper white
SOFT, BACK_BY_CHROMA = 0.03, 0.8  # chroma from which a colour is a thing's own, and how far it is taken back by each
AGAINST = (0.1, 0.9)  # minus the cosine between own hue and what is added: from 96 to 154 degrees
HAS_HUE = (0.0, 0.05)  # chroma between which a colour comes to have a hue of its own
FOREIGN = (-0.95, -0.15)  # minus the cosine of the hue's distance from the nearer of both: from 18 to 81 degrees
FAINT = 0.004  # chroma below which no hue is read
GREYED = 0.9  # share of its chroma that a foreign hue loses
_SOFTLY = (NEUTRAL, *WHITE, *PAPER, FAINT, *AGAINST, *HAS_HUE, *FOREIGN, GREYED, TURN, SOFT, BACK_BY_CHROMA)


def _between(values: Floats, ends: tuple[float, float]) -> Floats:
    """0 below the first end, 1 above the second, smooth between."""
    return smooth_step((values - np.float32(ends[0])) / np.float32(ends[1] - ends[0]))


def keep_own_colour(before: OKLab, after: OKLab, vivid: float, whites: float) -> OKLab:
    """OKLab colours (N, 3) after the fitted stages, with what is to be kept of those before (N, 3).

    vivid : share of its chroma that a strong colour keeps at least; whites : share of a tint that white takes
    """
    own_a, own_b, a, b = before[:, 1], before[:, 2], after[:, 1], after[:, 2]
    squares = own_a * own_a + own_b * own_b
    if whites < 1:
        white = exp(squares * np.float32(-1 / NEUTRAL**2)) * _between(before[:, 0], WHITE)
        left = np.float32(1 - whites) * white
        a, b = a - left * (a - own_a), b - left * (b - own_b)
    if vivid > 0:
        chroma = np.sqrt(squares)
        length = np.maximum(chroma, np.float32(1e-6))
        unit = np.asarray(np.stack([own_a, own_b]) / length, dtype=np.float32)
        held_a, held_b = _held(unit, np.float32(vivid) * length, a, b)
        strong = _between(chroma, _STRONG)
        a, b = a + strong * (held_a - a), b + strong * (held_b - b)
    return OKLab(planar(after[:, 0], a, b))


def keep_softly(before: OKLab, after: OKLab, vivid: float, whites: float) -> OKLab:
    """The same as `keep_own_colour`, with neighbouring colours kept neighbours and no foreign hue on the way.

    What a colour is taken back by grows no faster than its chroma, so that the soft colours of a sky, between those
    that are a thing's own and those that are not, part no further than they lay. A colour sent to the other side of
    grey passes through grey. What is nearly white takes nothing of a tint unless whites take all of it.

    Where what was added points away from the own hue, what lies between the two is a hue of neither: a pale blue sky
    under a warm tint would end mint. There chroma falls by how far the hue is from both.
    """
    how = np.array([vivid, whites, *_SOFTLY], dtype=np.float32)
    return OKLab(lanes.kept(planes_of(before), planes_of(after), how).T)


def _held(unit: Floats, least: Floats, a: Floats, b: Floats) -> tuple[Floats, Floats]:
    """Colours near a and b (N,) with a least chroma (N,), and hue near that of unit vectors of a and b (2, N).

    Worked out along and across the own hue, so that a colour sent through grey finds its way without a jump.
    """
    unit_a, unit_b = unit
    along, across = a * unit_a + b * unit_b, np.asarray(b * unit_a - a * unit_b, dtype=np.float32)
    # The eighth root of a sum of eighth powers, as the larger times a factor, which keeps small numbers exact.
    larger = np.maximum(np.maximum(along, least), np.float32(1e-6))
    ratio = np.minimum(np.maximum(along, 0), least) / larger
    for _ in range(_DOUBLINGS):
        ratio = ratio * ratio
    ratio += 1
    for _ in range(_DOUBLINGS):
        ratio = np.sqrt(ratio)
    kept = np.asarray(larger * ratio, dtype=np.float32)
    turned = soft_limit(across, np.asarray(np.float32(TURN) * kept))
    made_a, made_b = kept * unit_a - turned * unit_b, kept * unit_b + turned * unit_a
    return np.asarray(made_a, dtype=np.float32), np.asarray(made_b, dtype=np.float32)
