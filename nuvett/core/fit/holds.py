"""Holds: colour families that a look may move only so far."""

from dataclasses import dataclass

import numpy as np
from pydantic import Field

from nuvett.core.quick import planar, rows
from nuvett.core.reading.family import Family
from nuvett.core.smooth import smooth_step, soft_limit
from nuvett.core.types import Document, Floats, Linear, Mask01, OKLab

# Skin from light to deep lies along one hue, deep skin at less chroma: an ellipse in OKLab a, b about a centre that
# follows lightness. Centres and radii hold what tools/derive_skin.py reads off the demo's five complexions, with room
# on every side, and leave out what is plainly grey at the lightness of light skin.
SKIN_HUE = 51.0
SKIN_CHROMA = ((0.3, 0.024), (0.5, 0.056))  # lightness and chroma of the centre, between which it rises evenly
SKIN_LIGHTNESS, SKIN_LIGHTNESS_REACH = 0.58, 0.42
_OF_A_FACE = 0.85  # a face seen in the frame says where its skin lies, so the ellipse about it can be smaller
_PLAUSIBLE = 0.15  # of the general membership, below which what was taken for a face is not skin
_TO_GREY, _TO_GREY_SHARE = 0.03, 0.61  # radius towards grey at most, and as a share of the centre's chroma

_INNER, _OUTER = 0.6, 1.7  # radii between which membership falls
_STEEPEST = 4.0  # how steeply a hold may let colours part where it ends, against how they lay
_MOST_BACK = (
    _STEEPEST * 0.02 * (_OUTER - _INNER) / 1.5
)  # what a hold of skin takes back at most, so that it ends softly
_WIDEST = 4.0
_COLOURLESS = 0.02  # OKLab chroma below which hue means little

Centre = tuple[float, float, float]
"""Centre of an ellipse: lightness, chroma, hue in radians."""


class HoldLimits(Document):
    """How far colours may move at most: hue in degrees, chroma in percent of their own, lightness in CIE L*."""

    hue: float = Field(default=8, ge=0, le=60)
    chroma: float = Field(default=25, ge=0, le=100)
    lightness: float = Field(default=12, ge=0, le=60)


class HeldFamily(HoldLimits):
    """A picked colour family that may move at most so far."""

    family: Family


@dataclass(frozen=True)
class Radii:
    """Radii of an ellipse of chromaticity in OKLab units, and the lightness it covers without falling off.

    inward : on the side of grey, as a share of the centre's chroma and at most; none for as far as outward
    """

    along: float
    across: float
    depth: float
    inward: tuple[float, float] | None = None

    def scaled(self, scale: float) -> "Radii":
        inward = None if self.inward is None else (self.inward[0] * scale, self.inward[1] * scale)
        return Radii(self.along * scale, self.across * scale, self.depth * scale, inward)


_SKIN = Radii(0.05, 0.03, SKIN_LIGHTNESS_REACH, (_TO_GREY_SHARE, _TO_GREY))
_FAMILY = Radii(0.07, 0.04, SKIN_LIGHTNESS_REACH)


@dataclass(frozen=True)
class Nearness:
    """How near colours lie to a family: radius (N,), 1 on its ellipse; `unit` is one radius at least, in OKLab.

    most : how far a hold may take colours back at most, OKLab; none where its end widens instead
    """

    radius: Floats
    unit: float
    most: float | None = None

    def share(self, taken_back: Floats | None = None) -> Mask01:
        """Membership (N,), 0 to 1; it falls off the more widely the more a hold takes back (N,) (OKLab distance).

        A share that falls by s over a distance d lets colours part by taken_back * s / d, at most 1.5 of that in the
        middle of the fall; the fall is made as wide as keeps this below _STEEPEST.
        """
        width: Floats | float = _OUTER - _INNER
        if taken_back is not None and self.most is None:
            width = np.clip(taken_back * np.float32(1.5 / (_STEEPEST * self.unit)), width, _WIDEST)
        return 1 - smooth_step((self.radius - _INNER) / width)


def _nearness(lab: OKLab, centre: tuple[float, Floats | float, float], radii: Radii) -> Nearness:
    """Nearness to an ellipse about a `Centre`, whose chroma may differ from colour to colour (N,)."""
    lightness, chroma, hue = centre
    along = lab[:, 1] * np.cos(hue) + lab[:, 2] * np.sin(hue) - chroma
    across = lab[:, 2] * np.cos(hue) - lab[:, 1] * np.sin(hue)
    depth = np.maximum(np.abs(lab[:, 0] - lightness) / radii.depth - 0.4, 0)
    reach: Floats | float = radii.along
    if radii.inward is not None:
        share, most = radii.inward
        reach = np.where(along < 0, np.minimum(most, share * np.maximum(chroma, 1e-3)), radii.along)
    radius = np.sqrt((along / reach) ** 2 + (across / radii.across) ** 2 + depth**2)
    most_back = None if radii.inward is None else _MOST_BACK
    return Nearness(np.asarray(radius, dtype=np.float32), min(radii.along, radii.across), most_back)


def near_skin(lab: OKLab, centres: tuple[Centre, ...] = ()) -> Nearness:
    """How near OKLab colours (N, 3) lie to skin: a family in chromaticity, not a swatch.

    With the centres of faces that were found in the frame, skin is what lies about those instead.
    """
    if not centres:
        (low, little), (high, much) = SKIN_CHROMA
        chroma = np.interp(lab[:, 0], (low, high), (little, much)).astype(np.float32)
        return _nearness(lab, (SKIN_LIGHTNESS, chroma, float(np.radians(SKIN_HUE))), _SKIN)
    found = [_nearness(lab, centre, _SKIN.scaled(_OF_A_FACE)) for centre in centres]
    return Nearness(np.asarray(np.minimum.reduce([near.radius for near in found])), found[0].unit, found[0].most)


def skin_membership(lab: OKLab, centres: tuple[Centre, ...] = ()) -> Mask01:
    """How far OKLab colours (N, 3) may be skin, 0 to 1."""
    return near_skin(lab, centres).share()


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
    return Linear(np.asarray(np.median(pixels[(luminance >= low) & (luminance <= high)], axis=0), dtype=np.float32))


def near_family(lab: OKLab, family: Family) -> Nearness:
    """How near OKLab colours (N, 3) lie to a picked family."""
    lightness, a, b = family.colour
    centre = (lightness, float(np.hypot(a, b)), float(np.arctan2(b, a)))
    return _nearness(lab, centre, _FAMILY.scaled(0.6 + family.tolerance / 75))


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
    index = np.flatnonzero(near.radius < (_INNER + _WIDEST if near.most is None else _OUTER))
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
