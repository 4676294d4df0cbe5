"""What the fitted stages leave things of their own colour: a look moves casts, not things.

A strongly coloured thing keeps its family of hue and a share of its chroma; whites, and less so the greys below them,
take only part of a tint.
"""

import numpy as np
from pydantic import Field

from nuvett.core.look.look import Look
from nuvett.core.smooth import smooth_step
from nuvett.core.types import Document, Floats, OKLab

_STRONG = (0.04, 0.09)  # chroma between which a colour comes to count as a thing's own
_TURN = float(np.tan(np.radians(24)))  # how far hue may turn, as a slope
_ROUNDED = 8.0  # exponent by which the least chroma is met softly
_NEUTRAL = 0.035  # chroma within which a colour counts as neutral
_WHITE = (0.5, 0.93)  # lightness between which neutrals come to count as white


class Keeps(Document):
    """vivid : share of its chroma that a strong colour keeps at least; whites : share of a tint that white takes."""

    vivid: float = Field(default=0, ge=0, le=1)
    whites: float = Field(default=1, ge=0, le=1)


NOTHING_KEPT = Keeps()


def keeps_of(look: Look) -> Keeps:
    """What a look keeps. Where a hue was chosen for highlights, white goes there as well."""
    whites = 100.0 if look.zones.highlight_hue is not None else look.zones.whites
    return Keeps(vivid=look.vivid / 100, whites=whites / 100)


def _between(values: Floats, ends: tuple[float, float]) -> Floats:
    """0 below the first end, 1 above the second, smooth between."""
    return smooth_step((values - np.float32(ends[0])) / np.float32(ends[1] - ends[0]))


def keep_own_colour(before: OKLab, after: OKLab, keeps: Keeps) -> OKLab:
    """OKLab colours (N, 3) after the fitted stages, with what is to be kept of those before (N, 3)."""
    if keeps == NOTHING_KEPT:
        return after
    chroma = np.sqrt(np.einsum("ij,ij->i", before[:, 1:], before[:, 1:]))
    out = after.copy()
    if keeps.whites < 1:
        white = np.exp(-((chroma / np.float32(_NEUTRAL)) ** 2)) * _between(before[:, 0], _WHITE)
        taken = 1 - np.float32(1 - keeps.whites) * white
        out[:, 1:] = before[:, 1:] + taken[:, None] * (after[:, 1:] - before[:, 1:])
    if keeps.vivid > 0:
        strong = _between(chroma, _STRONG)
        index = np.flatnonzero(strong > 0)
        out[index, 1:] += strong[index, None] * (_held(before[index, 1:], out[index, 1:], keeps.vivid) - out[index, 1:])
    return out


def _held(own: Floats, moved: Floats, vivid: float) -> Floats:
    """Chromaticities (N, 2) near `moved` with at least a share of their own chroma, and hue within its family.

    Worked out along and across the own hue, so that a colour sent through grey finds its way without a jump.
    """
    length = np.maximum(np.sqrt(np.einsum("ij,ij->i", own, own)), 1e-6)
    unit = own / length[:, None]
    along = np.einsum("ij,ij->i", moved, unit)
    across = moved[:, 1] * unit[:, 0] - moved[:, 0] * unit[:, 1]
    least = np.float32(vivid) * length
    kept = (np.maximum(along, 0) ** _ROUNDED + least**_ROUNDED) ** (1 / _ROUNDED)
    most = np.float32(_TURN) * kept
    turned = across / np.cbrt(1 + (np.abs(across) / most) ** 3)
    made = np.stack([kept * unit[:, 0] - turned * unit[:, 1], kept * unit[:, 1] + turned * unit[:, 0]], axis=1)
    return np.asarray(made, dtype=np.float32)
