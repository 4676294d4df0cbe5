"""How near colours lie to a family: an ellipse of chromaticity about a centre, soft at its border."""

from dataclasses import dataclass
from functools import cached_property
from itertools import chain

import numpy as np

from nuvett.core.smooth import smooth_step
from nuvett.core.types import Floats, Mask01, OKLab

INNER, OUTER = 0.6, 1.7
"""Radii between which membership falls."""
WIDEST = 4.0
"""How far that fall may be widened."""
DEPTH = 0.42
"""OKLab lightness about its centre that a family covers."""
LEVEL = 0.4
"""Share of that within which lightness makes no difference."""
STEEPEST = 4.0
"""How steeply a hold may let colours part where it ends, against how they lay."""
# What a hold of skin takes back at most, so that it ends softly.
_MAX_BACK = STEEPEST * 0.02 * (OUTER - INNER) / 1.5

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
    """How near colours lie to a family: radius (N,), 1 on its ellipse."""

    radius: Floats

    def share(self) -> Mask01:
        """Membership (N,), 0 to 1."""
        return 1 - smooth_step((self.radius - INNER) / (OUTER - INNER))


Rise = tuple[tuple[float, float], tuple[float, float]]
"""Lightness and chroma of two points, between which a centre's chroma rises evenly and beyond which it stays."""


@dataclass(frozen=True)
class Ellipses:
    """Where a family of colours lies: about one centre or several; rising : their chroma, where it follows lightness"""

    centres: tuple[Centre, ...]
    radii: Radii
    rising: Rise | None = None

    @property
    def most(self) -> float | None:
        """How far a hold may take colours back at most, OKLab; none where its end widens instead."""
        return None if self.radii.inward is None else _MAX_BACK

    @property
    def unit(self) -> float:
        """One radius at least, in OKLab."""
        return min(self.radii.along, self.radii.across)

    def near(self, lab: OKLab) -> Nearness:
        """How near OKLab colours (N, 3) lie to the family."""
        found = [self._radius(lab, centre) for centre in self.centres]
        return Nearness(np.asarray(np.minimum.reduce(found), dtype=np.float32))

    def _radius(self, lab: OKLab, centre: Centre) -> Floats:
        lightness, middle, hue = centre
        (low, little), (high, much) = self.rising or ((0, middle), (1, middle))
        chroma = np.interp(lab[:, 0], (low, high), (little, much)).astype(np.float32)
        along = lab[:, 1] * np.cos(hue) + lab[:, 2] * np.sin(hue) - chroma
        across = lab[:, 2] * np.cos(hue) - lab[:, 1] * np.sin(hue)
        depth = np.maximum(np.abs(lab[:, 0] - lightness) / self.radii.depth - LEVEL, 0)
        reach: Floats | float = self.radii.along
        if self.radii.inward is not None:
            share, most = self.radii.inward
            reach = np.where(along < 0, np.minimum(most, share * np.maximum(chroma, 1e-3)), self.radii.along)
        return np.asarray(np.sqrt((along / reach) ** 2 + (across / self.radii.across) ** 2 + depth**2))

    @cached_property
    def laid(self) -> Floats:
        """Radii, and every centre, as `lanes.held` takes them."""
        (low, little), (high, much) = self.rising or ((0, 0), (1, 0))
        radii = [self.radii.along, self.radii.across, self.radii.depth, LEVEL, *(self.radii.inward or (0, 0))]
        rise = [1 / (high - low), much - little]
        centres = [
            [lightness, np.cos(hue), np.sin(hue), low, little if self.rising else chroma, *rise]
            for lightness, chroma, hue in self.centres
        ]
        return np.array([*radii, len(centres), *chain.from_iterable(centres)], dtype=np.float32)
