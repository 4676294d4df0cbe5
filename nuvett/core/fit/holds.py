"""Holds: colour families that a look may move only so far."""

import numpy as np

from nuvett.core.look.steps import FamilyHold, HoldStep
from nuvett.core.reading.family import Family
from nuvett.core.types import Floats, Linear, Mask01, OKLab

# Skin from light to deep lies along one hue at low chroma: an ellipse in OKLab a, b about a centre on that hue.
# Centre and radii hold what tools/derive_skin.py reads off the demo's five complexions, with room on every side.
SKIN_HUE, SKIN_CHROMA = 51.0, 0.06
SKIN_ALONG, SKIN_ACROSS = 0.07, 0.04  # radii along chroma and across hue, OKLab units
SKIN_LIGHTNESS, SKIN_LIGHTNESS_REACH = 0.58, 0.42
_INNER, _OUTER = 0.6, 1.7  # radii between which membership falls; narrower would leave an edge


_OF_A_FACE = 0.75  # a face seen in the frame says where its skin lies, so the ellipse about it can be smaller
_PLAUSIBLE = 0.15  # of the general membership, below which what was taken for a face is not skin

Centre = tuple[float, float, float]
"""Centre of an ellipse: lightness, chroma, hue in radians."""


def _ellipse(lab: OKLab, centre: Centre, scale: float) -> Mask01:
    """Membership (N,) in an ellipse of chromaticity about a centre."""
    lightness, chroma, hue = centre
    along = lab[:, 1] * np.cos(hue) + lab[:, 2] * np.sin(hue) - chroma
    across = lab[:, 2] * np.cos(hue) - lab[:, 1] * np.sin(hue)
    depth = np.maximum(np.abs(lab[:, 0] - lightness) / (SKIN_LIGHTNESS_REACH * scale) - 0.4, 0)
    radius = np.sqrt((along / (SKIN_ALONG * scale)) ** 2 + (across / (SKIN_ACROSS * scale)) ** 2 + depth**2)
    t = np.clip((radius - _INNER) / (_OUTER - _INNER), 0, 1)
    return np.asarray(1 - t * t * (3 - 2 * t), dtype=np.float32)


def skin_membership(lab: OKLab, centres: tuple[Centre, ...] = ()) -> Mask01:
    """How far OKLab colours (N, 3) may be skin, 0 to 1: a family in chromaticity, not a swatch.

    With the centres of faces that were found in the frame, skin is what lies about those instead.
    """
    if not centres:
        return _ellipse(lab, (SKIN_LIGHTNESS, SKIN_CHROMA, float(np.radians(SKIN_HUE))), 1.0)
    found = [_ellipse(lab, centre, _OF_A_FACE) for centre in centres]
    return np.asarray(np.maximum.reduce(found))


def skin_centres(faces: OKLab) -> tuple[Centre, ...]:
    """Centres of the skin of evened face colours (F, 3); those that cannot be skin are left out.

    Skin runs through many lightnesses as light falls off it, so the centre's lightness stays the general one.
    """
    plausible = faces[skin_membership(faces) > _PLAUSIBLE] if len(faces) else faces
    return tuple((SKIN_LIGHTNESS, float(np.hypot(a, b)), float(np.arctan2(b, a))) for _, a, b in plausible)


def face_colour(pixels: Linear) -> Linear:
    """Colour (3,) in linear light of a face's middle (N, 3): the median of its middle half by luminance.

    Eyes, hair and highlights lie in the outer quarters.
    """
    luminance = pixels.sum(axis=1)
    low, high = np.quantile(luminance, [0.25, 0.75])
    return np.asarray(np.median(pixels[(luminance >= low) & (luminance <= high)], axis=0), dtype=np.float32)


def family_membership(lab: OKLab, family: Family) -> Mask01:
    """How far OKLab colours (N, 3) belong to a picked family, falling off widely enough that a hold leaves no edge."""
    lightness, a, b = family.colour
    return _ellipse(lab, (lightness, float(np.hypot(a, b)), float(np.arctan2(b, a))), 0.6 + family.tolerance / 75)


def soft_limit(movement: Floats, limit: Floats | float) -> Floats:
    """A movement that nears but never passes its limit: m / (1 + (|m|/limit)^3)^(1/3); slope 1 at no movement."""
    limit = np.maximum(limit, 1e-6)
    return np.asarray(movement / np.cbrt(1 + (np.abs(movement) / limit) ** 3), dtype=np.float32)


def hold_colours(before: OKLab, after: OKLab, share: Mask01, limits: HoldStep | FamilyHold) -> OKLab:
    """OKLab colours (N, 3) after a look, those of a family (share 0 to 1 each) kept near where they were before."""
    index = np.flatnonzero(share > 1e-4)
    if index.size == 0:
        return after
    old, new, weight = before[index], after[index], share[index, None]
    chroma_old, chroma_new = (np.hypot(c[:, 1], c[:, 2]).astype(np.float32) for c in (old, new))
    hue_old, hue_new = (np.arctan2(c[:, 2], c[:, 1]) for c in (old, new))
    turn = (hue_new - hue_old + np.pi) % (2 * np.pi) - np.pi
    # A colour carried across grey has no usable hue: there the turn counts as far as chroma is left.
    turn = turn * np.minimum(chroma_new / 0.01, 1)
    hue = hue_old + soft_limit(turn.astype(np.float32), np.radians(limits.hue))
    chroma = chroma_old + soft_limit(chroma_new - chroma_old, chroma_old * (limits.chroma / 100))
    lightness = old[:, 0] + soft_limit(new[:, 0] - old[:, 0], limits.lightness / 116)
    held = np.stack([lightness, chroma * np.cos(hue), chroma * np.sin(hue)], axis=1)
    out = after.copy()
    out[index] = new + weight * (held - new)
    return out
