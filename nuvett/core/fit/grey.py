"""Greys of black-and-white: how much lighter or darker each hue becomes, in proportion to chroma."""

from collections.abc import Sequence

import numpy as np
from pydantic import Field

from nuvett.core import lanes
from nuvett.core.fields import number
from nuvett.core.quick import joined, planes_of
from nuvett.core.types import Document, Floats, OKLab

GAIN = 0.9  # OKLab lightness per chroma at a weight of 1
MAX_GREYS = 16


class GreyHue(Document):
    """A hue that becomes lighter or darker in black-and-white.

    hue : OKLCh hue in degrees; lighter : percent, of GAIN times a colour's chroma
    before, after : degrees toward smaller and larger hues over which that fades to nothing
    """

    on: bool = True
    hue: float = Field(ge=0, le=360)
    lighter: float = number(0, -200, 200, "Lighter in black-and-white")
    before: float = number(40, 5, 180, "Reach to smaller hues", "°")
    after: float = number(40, 5, 180, "Reach to larger hues", "°")


def greyed(lab: OKLab, greys: Sequence[GreyHue], toning: Sequence[tuple[float, float]]) -> OKLab:
    """OKLab colours (N, 3) as greys, toned by a and b at even steps of lightness 0 to 1, neutral without.

    A hue adds GAIN times chroma, weighed by a tent about it, to lightness, which is not bounded.
    """
    hues = [(np.radians(g.hue), GAIN * g.lighter / 100, *(1 / np.radians((g.before, g.after)))) for g in greys if g.on]
    how = joined([len(hues)], np.array(hues), [len(toning)], np.array(toning).T)
    return OKLab(lanes.greyed(planes_of(lab), how).T)


def grey_lightness(lab: OKLab, greys: Sequence[GreyHue]) -> Floats:
    """OKLab lightness (N,) that colours (N, 3) take as greys, as by `greyed`."""
    return greyed(lab, greys, ())[:, 0]
