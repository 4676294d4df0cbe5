"""Colour families: soft membership around a picked colour."""

import numpy as np
from pydantic import Field

from nuvett.core.types import Document, Mask01, OKLab


class Family(Document):
    """Colours near a picked one. `colour` is OKLab, `tolerance` 0 (that colour only) to 100 (half the wheel)."""

    colour: tuple[float, float, float]
    tolerance: float = Field(default=30, ge=0, le=100)


def _window(distance: np.ndarray, reach: float | np.ndarray) -> np.ndarray:
    """1 within 0.7 of the reach, falling smoothly to 0 at 1.3 of it."""
    t = np.clip((distance / reach - 0.7) / 0.6, 0, 1)
    return np.asarray(1 - t * t * (3 - 2 * t))


def membership(lab: OKLab, family: Family) -> Mask01:
    """How far each OKLab colour (..., 3) belongs to a family, 0 to 1.

    Hue, chroma and lightness are judged separately, lightness most generously, because one surface runs through
    many lightnesses as the light falls off it. Near grey, hue says little and the window in a, b takes over.
    """
    scale = 0.15 + family.tolerance / 100
    lightness, a0, b0 = family.colour
    chroma0 = float(np.hypot(a0, b0))
    chroma = np.hypot(lab[..., 1], lab[..., 2])
    across = np.hypot(lab[..., 1] - a0, lab[..., 2] - b0)
    turn = np.abs(np.angle(np.exp(1j * (np.arctan2(lab[..., 2], lab[..., 1]) - np.arctan2(b0, a0)))))
    coloured = min(1.0, chroma0 / 0.05)
    by_hue = _window(turn, np.radians(60) * scale) * _window(np.abs(chroma - chroma0), 0.04 + 0.16 * scale)
    by_place = _window(across, 0.02 + 0.1 * scale)
    by_lightness = _window(np.abs(lab[..., 0] - lightness), 0.1 + 0.5 * scale)
    return np.asarray((coloured * by_hue + (1 - coloured) * by_place) * by_lightness, dtype=np.float32)
