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


def hue_weights(hue: Floats, greys: Sequence[GreyHue]) -> Floats:
    """Weights (N,) of hues in degrees (N,): the sum of a tent about each grey hue; 1 is a hundred percent."""
    weight = np.zeros_like(hue, dtype=np.float32)
    for grey in (each for each in greys if each.on):
        away = (hue - np.float32(grey.hue) + 180) % 360 - 180
        reach = np.where(away < 0, np.float32(grey.before), np.float32(grey.after))
        weight += np.float32(grey.lighter / 100) * np.maximum(1 - np.abs(away) / reach, 0)
    return np.asarray(weight, dtype=np.float32)


def greyed(lab: OKLab, greys: Sequence[GreyHue], toning: Sequence[tuple[float, float]]) -> OKLab:
    """OKLab colours (N, 3) as greys of `grey_lightness`, toned by a and b at even steps of lightness 0 to 1."""
    hues = [
        (_within_half(np.radians(g.hue)), GAIN * g.lighter / 100, *(1 / np.radians((g.before, g.after))))
        for g in greys
        if g.on
    ]
    how = joined([len(hues)], np.array(hues), [len(toning)], np.array(toning).T)
    return OKLab(lanes.greyed(planes_of(lab), how).T)


def _within_half(angle: float) -> float:
    """An angle from minus half a turn to half a turn."""
    return float((angle + np.pi) % (2 * np.pi) - np.pi)


def grey_lightness(lab: OKLab, greys: Sequence[GreyHue]) -> Floats:
    """OKLab lightness (N,) that colours (N, 3) take as greys, not bounded."""
    hue = np.degrees(np.arctan2(lab[:, 2], lab[:, 1])) % 360
    chroma = np.hypot(lab[:, 1], lab[:, 2])
    return np.asarray(lab[:, 0] + np.float32(GAIN) * hue_weights(hue, greys) * chroma, dtype=np.float32)
