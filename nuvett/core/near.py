"""How near colours lie to a family: an ellipse of chromaticity about a centre, soft at its border."""

from dataclasses import dataclass

import numpy as np

from nuvett.core.smooth import smooth_step
from nuvett.core.types import Floats, Mask01, OKLab

INNER, OUTER = 0.6, 1.7
"""Radii between which membership falls."""
WIDEST = 4.0
"""How far that fall may be widened."""
DEPTH = 0.42
"""OKLab lightness about its centre that a family covers."""
_STEEPEST = 4.0  # how steeply a hold may let colours part where it ends, against how they lay
# What a hold of skin takes back at most, so that it ends softly.
_MOST_BACK = _STEEPEST * 0.02 * (OUTER - INNER) / 1.5

Centre = tuple[float, float, float]
"""Centre of an ellipse: lightness, chroma, hue in radians."""


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
        width: Floats | float = OUTER - INNER
        if taken_back is not None and self.most is None:
            width = np.clip(taken_back * np.float32(1.5 / (_STEEPEST * self.unit)), width, WIDEST)
        return 1 - smooth_step((self.radius - INNER) / width)


def nearness(lab: OKLab, centre: tuple[float, Floats | float, float], radii: Radii) -> Nearness:
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
