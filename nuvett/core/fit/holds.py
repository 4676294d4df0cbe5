"""Holds: colour families that a look may move only so far."""

import numpy as np
from pydantic import Field

from nuvett.core import lanes
from nuvett.core.near import DEPTH, INNER, OUTER, STEEPEST, WIDEST, Ellipses, Radii
from nuvett.core.quick import joined, planes_of
from nuvett.core.reading.family import Family
from nuvett.core.types import Document, Floats, OKLab

_FAMILY = Radii(0.07, 0.04, DEPTH)
COLOURLESS = 0.02  # OKLab chroma below which hue means little


class HoldLimits(Document):
    """How far colours may move at most: hue in degrees, chroma in percent of their own, lightness in CIE L*."""

    hue: float = Field(default=8, ge=0, le=60)
    chroma: float = Field(default=25, ge=0, le=100)
    lightness: float = Field(default=12, ge=0, le=60)


class HeldFamily(HoldLimits):
    """A picked colour family that may move at most so far."""

    on: bool = True
    family: Family


def family_ellipses(family: Family) -> Ellipses:
    """Where a picked family of colours lies."""
    lightness, a, b = family.colour
    centre = (lightness, float(np.hypot(a, b)), float(np.arctan2(b, a)))
    return Ellipses((centre,), _FAMILY.scaled(0.6 + family.tolerance / 75))


def hold_bounds(hold: HeldFamily, steps: int = 12) -> Floats:
    """Border (N, 2), in a and b, that a held family's own colour never passes: its limits of chroma and of hue.

    The corner of most chroma and most turn comes first.
    """
    _, a, b = hold.family.colour
    chroma, hue = float(np.hypot(a, b)), float(np.arctan2(b, a))
    turn, share = float(np.radians(hold.hue)), hold.chroma / 100
    turns = np.linspace(turn, -turn, steps)
    angles = np.concatenate([hue + turns, hue - turns])
    chromas = np.repeat([chroma * (1 + share), chroma * max(0.0, 1 - share)], steps)
    return np.stack([chromas * np.cos(angles), chromas * np.sin(angles)], axis=1).astype(np.float32)


def hold_colours(before: OKLab, after: OKLab, family: Ellipses, limits: HoldLimits) -> OKLab:
    """OKLab colours (N, 3) after a look, those near a family kept as near to where they were before as limits allow.

    The turn of hue fades beyond a quarter of the circle, and where little chroma is left: a colour carried through
    grey to the opposite hue would else jump from one limit to the other, and leave an edge in faint colours.

    Membership falls off the more widely the more is taken back, where a family does not say how much that is at most:
    a share that falls by s over a distance d lets colours part by taken_back * s / d, at most 1.5 of that in the middle
    of the fall, which is made as wide as keeps this below STEEPEST.
    """
    own = [np.radians(limits.hue), limits.chroma / 100, limits.lightness / 116, COLOURLESS]
    fall = [INNER, OUTER - INNER, WIDEST, 1.5 / (STEEPEST * family.unit), family.most or 0]
    return OKLab(lanes.held(planes_of(before), planes_of(after), joined(own, fall, family.laid)).T)
