"""Skin: which colours may be skin, and where the skin of faces lies."""

import numpy as np

from nuvett.core.near import DEPTH, Centre, Ellipses, Radii
from nuvett.core.types import Linear, Mask01, OKLab

# Skin from light to deep lies along one hue, deep skin at less chroma: an ellipse in OKLab a, b about a centre that
# follows lightness. Centres and radii hold what tools/derive_skin.py reads off the demo's five complexions, with room
# on every side, and leave out what is plainly grey at the lightness of light skin.
SKIN_HUE = 51.0
SKIN_CHROMA = ((0.3, 0.024), (0.5, 0.056))  # lightness and chroma of the centre, between which it rises evenly
SKIN_LIGHTNESS = 0.58
_OF_A_FACE = 0.85  # a face seen in the frame says where its skin lies, so the ellipse about it can be smaller
_PLAUSIBLE = 0.15  # of the general membership, below which what was taken for a face is not skin
_TO_GREY, _TO_GREY_SHARE = 0.03, 0.61  # radius towards grey at most, and as a share of the centre's chroma

_SKIN = Radii(0.05, 0.03, DEPTH, (_TO_GREY_SHARE, _TO_GREY))


def skin(centres: tuple[Centre, ...] = ()) -> Ellipses:
    """Where skin lies: a family in chromaticity, not a swatch.

    With the centres of faces that were found in the frame, skin is what lies about those instead.
    """
    if not centres:
        return Ellipses(((SKIN_LIGHTNESS, 0, float(np.radians(SKIN_HUE))),), _SKIN, SKIN_CHROMA)
    return Ellipses(centres, _SKIN.scaled(_OF_A_FACE))


def skin_membership(lab: OKLab, centres: tuple[Centre, ...] = ()) -> Mask01:
    """How far OKLab colours (N, 3) may be skin, 0 to 1."""
    return skin(centres).near(lab).share()


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
