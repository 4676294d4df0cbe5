"""Colour families: soft membership around a picked colour."""

import numpy as np
from pydantic import Field

from nuvett.core.smooth import smooth_step
from nuvett.core.types import Document, Floats, Mask01, OKLab


class Family(Document):
    """Colours near a picked one. `colour` is OKLab, `tolerance` 0 (that colour only) to 100 (half the wheel)."""

    colour: tuple[float, float, float]
    tolerance: float = Field(default=30, ge=0, le=100)


def _window(distance: Floats, reach: float) -> Floats:
    """1 within 0.7 of the reach, falling smoothly to 0 at 1.3 of it."""
    return 1 - smooth_step((distance * np.float32(1 / reach) - np.float32(0.7)) * np.float32(1 / 0.6))


def membership(lab: OKLab, family: Family) -> Mask01:
    """How far each OKLab colour (..., 3) belongs to a family, 0 to 1.

    Hue, chroma and lightness are judged separately, lightness most generously, because one surface runs through
    many lightnesses as the light falls off it. Near grey, hue says little and the window in a, b takes over.
    """
    scale = 0.15 + family.tolerance / 100
    lightness, a0, b0 = family.colour
    found = np.zeros(lab.shape[:-1], dtype=np.float32)
    # Hue is costly, so it is worked out only where lightness leaves anything to decide.
    by_lightness = _window(np.abs(lab[..., 0] - np.float32(lightness)), 0.1 + 0.5 * scale)
    index = np.nonzero(by_lightness > 0)
    if index[0].size == 0:
        return found
    a, b = lab[..., 1][index], lab[..., 2][index]
    coloured = min(1.0, float(np.hypot(a0, b0)) / 0.05)
    member = np.zeros(len(a), dtype=np.float32)
    if coloured < 1:
        member += (1 - coloured) * _window(np.hypot(a - np.float32(a0), b - np.float32(b0)), 0.02 + 0.1 * scale)
    if coloured > 0:
        turn = np.arctan2(b, a) - np.float32(np.arctan2(b0, a0))
        turn = np.abs((turn + np.float32(np.pi)) % np.float32(2 * np.pi) - np.float32(np.pi))
        by_hue = _window(turn, float(np.radians(60)) * scale)
        member += (
            coloured * by_hue * _window(np.abs(np.hypot(a, b) - np.float32(np.hypot(a0, b0))), 0.04 + 0.16 * scale)
        )
    found[index] = member * by_lightness[index]
    return found
