"""Holds: colour families that a look may move only so far."""

import numpy as np
from pydantic import Field

from nuvett.core.near import DEPTH, INNER, OUTER, WIDEST, Nearness, Radii, nearness
from nuvett.core.quick import planar, rows
from nuvett.core.reading.family import Family
from nuvett.core.smooth import soft_limit
from nuvett.core.types import Document, Floats, OKLab

_FAMILY = Radii(0.07, 0.04, DEPTH)
_COLOURLESS = 0.02  # OKLab chroma below which hue means little


class HoldLimits(Document):
    """How far colours may move at most: hue in degrees, chroma in percent of their own, lightness in CIE L*."""

    hue: float = Field(default=8, ge=0, le=60)
    chroma: float = Field(default=25, ge=0, le=100)
    lightness: float = Field(default=12, ge=0, le=60)


class HeldFamily(HoldLimits):
    """A picked colour family that may move at most so far."""

    on: bool = True
    family: Family


def near_family(lab: OKLab, family: Family) -> Nearness:
    """How near OKLab colours (N, 3) lie to a picked family."""
    lightness, a, b = family.colour
    centre = (lightness, float(np.hypot(a, b)), float(np.arctan2(b, a)))
    return nearness(lab, centre, _FAMILY.scaled(0.6 + family.tolerance / 75))


def _held(old: OKLab, new: OKLab, limits: HoldLimits) -> OKLab:
    """Colours (N, 3) as near to `new` as limits about `old` allow.

    The turn of hue fades beyond a quarter of the circle, and where little chroma is left: a colour carried through
    grey to the opposite hue would else jump from one limit to the other, and leave an edge in faint colours.
    """
    chroma_old, chroma_new = (np.hypot(c[:, 1], c[:, 2]).astype(np.float32) for c in (old, new))
    chroma = chroma_old + soft_limit(chroma_new - chroma_old, chroma_old * (limits.chroma / 100))
    dot = old[:, 1] * new[:, 1] + old[:, 2] * new[:, 2]
    turn = np.arctan2(old[:, 1] * new[:, 2] - old[:, 2] * new[:, 1], dot).astype(np.float32)
    meant = np.minimum(1 + np.cos(turn), 1) * np.minimum(chroma_new / _COLOURLESS, 1)
    turn = soft_limit(turn, float(np.radians(limits.hue))) * meant
    scale = chroma / np.maximum(chroma_old, 1e-6)
    along, across = scale * np.cos(turn), scale * np.sin(turn)
    a, b = along * old[:, 1] - across * old[:, 2], along * old[:, 2] + across * old[:, 1]
    lightness = old[:, 0] + soft_limit(new[:, 0] - old[:, 0], limits.lightness / 116)
    return OKLab(planar(lightness, a, b))


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


def hold_colours(before: OKLab, after: OKLab, near: Nearness, limits: HoldLimits) -> OKLab:
    """OKLab colours (N, 3) after a look, those near a family kept near where they were before."""
    # Beyond that the share is nought; a family's end may widen, skin's does not.
    index = np.flatnonzero(near.radius < (INNER + WIDEST if near.most is None else OUTER))
    if index.size == 0:
        return after
    new = rows(after, index)
    back = _held(OKLab(rows(before, index)), OKLab(new), limits) - new
    distance = np.sqrt(np.einsum("ij,ij->i", back, back))
    if near.most is not None:
        back *= (soft_limit(distance, near.most) / np.maximum(distance, np.float32(1e-9)))[:, None]
    share = Nearness(near.radius[index], near.unit, near.most).share(distance)
    out = after.copy(order="K")
    out[index] = new + share[:, None] * back
    return OKLab(out)
