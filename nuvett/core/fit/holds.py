"""Holds: colour families that a look may move only so far."""

import numpy as np

from nuvett.core.look.look import HoldStep
from nuvett.core.types import Floats, Mask01, OKLab

# Skin in OKLCh over complexions from light to deep, as hue and chroma windows that widen where skins vary: centres and
# half widths are read off the demo's five rendered complexions under daylight by tools/derive_skin.py.
SKIN_HUE, SKIN_HUE_REACH = 53.0, 24.0
SKIN_CHROMA, SKIN_CHROMA_REACH = 0.075, 0.055
SKIN_LIGHTNESS = (0.16, 0.95)


def _plateau(distance: Floats, reach: float) -> Floats:
    """1 at no distance, falling smoothly to 0 at 1.25 of the reach, flat to half of it."""
    t = np.clip((distance / reach - 0.5) / 0.75, 0, 1)
    return np.asarray(1 - t * t * (3 - 2 * t), dtype=np.float32)


def skin_membership(lab: OKLab) -> Mask01:
    """How far OKLab colours (N, 3) may be skin, 0 to 1: a family in chromaticity, not a swatch."""
    hue = np.degrees(np.arctan2(lab[:, 2], lab[:, 1]))
    chroma = np.hypot(lab[:, 1], lab[:, 2])
    turn = np.abs((hue - SKIN_HUE + 180) % 360 - 180)
    middle = (SKIN_LIGHTNESS[0] + SKIN_LIGHTNESS[1]) / 2
    by_lightness = _plateau(np.abs(lab[:, 0] - middle), SKIN_LIGHTNESS[1] - middle)
    return _plateau(turn, SKIN_HUE_REACH) * _plateau(np.abs(chroma - SKIN_CHROMA), SKIN_CHROMA_REACH) * by_lightness


def soft_limit(movement: Floats, limit: Floats | float) -> Floats:
    """A movement that nears but never passes its limit: m / (1 + (|m|/limit)^3)^(1/3); slope 1 at no movement."""
    limit = np.maximum(limit, 1e-6)
    return np.asarray(movement / np.cbrt(1 + (np.abs(movement) / limit) ** 3), dtype=np.float32)


def hold_skin(before: OKLab, after: OKLab, hold: HoldStep) -> OKLab:
    """OKLab colours (N, 3) after a look, with skin kept near where it was before."""
    share = skin_membership(before)
    index = np.flatnonzero(share > 1e-4)
    if index.size == 0:
        return after
    old, new, weight = before[index], after[index], share[index, None]
    chroma_old, chroma_new = (np.hypot(c[:, 1], c[:, 2]).astype(np.float32) for c in (old, new))
    hue_old, hue_new = (np.arctan2(c[:, 2], c[:, 1]) for c in (old, new))
    turn = (hue_new - hue_old + np.pi) % (2 * np.pi) - np.pi
    # A colour carried across grey has no usable hue: there the turn counts as far as chroma is left.
    turn = turn * np.minimum(chroma_new / 0.01, 1)
    hue = hue_old + soft_limit(turn.astype(np.float32), np.radians(hold.hue))
    chroma = chroma_old + soft_limit(chroma_new - chroma_old, chroma_old * (hold.chroma / 100))
    lightness = old[:, 0] + soft_limit(new[:, 0] - old[:, 0], hold.lightness / 116)
    held = np.stack([lightness, chroma * np.cos(hue), chroma * np.sin(hue)], axis=1)
    out = after.copy()
    out[index] = new + weight * (held - new)
    return out
