"""Casts of blacks, neutrals and whites: shifts in a and b that cross over smoothly with lightness."""

from collections.abc import Sequence

import numpy as np

from nuvett.core import lanes
from nuvett.core.quick import joined, planar, planes_of
from nuvett.core.spaces.cielab import neutral_oklab
from nuvett.core.types import Floats, OKLab

ZONES_OF_CAST = ("blacks", "neutrals", "whites")
MAX_CAST = 0.1
"""OKLab a or b that a zone is shifted by at most."""

_BLACKS, _WHITES = (neutral_oklab(18), neutral_oklab(48)), (neutral_oklab(55), neutral_oklab(85))
_NOTHING, _ALL = (0.0, 0.06), (neutral_oklab(97), 1.0)  # lightness over which black and full white come to stay


def cast_shares(lightness: Floats) -> Floats:
    """(3, N) shares of blacks, neutrals and whites at OKLab lightness (N,): they add up to 1, and to 0 at the ends.

    Black without any light, and white where all channels are full, have no cast that could be taken away.
    """
    lab = OKLab(planar(lightness, *np.zeros((2, len(lightness)), dtype=np.float32)))
    blacks, neutrals = without_casts(lab, ((1, 0), (0, 1), (0, 0)))[:, 1:].T
    return np.stack([blacks, neutrals, without_casts(lab, ((0, 0), (0, 0), (1, 0)))[:, 1]])


def without_casts(lab: OKLab, shifts: Sequence[tuple[float, float]]) -> OKLab:
    """OKLab colours (N, 3) with the shifts (a, b) of blacks, neutrals and whites added."""
    return OKLab(lanes.cast(planes_of(lab), joined(_BLACKS, _WHITES, _NOTHING, _ALL, shifts)).T)


def made_neutral(colour: OKLab, shifts: Sequence[tuple[float, float]]) -> tuple[tuple[float, float], ...]:
    """Shifts with which a colour (3,) becomes neutral, as far as may be: those of its lightness's main zone change."""
    shares = cast_shares(np.asarray(colour[:1], dtype=np.float32))[:, 0]
    zone = int(shares.argmax())
    left = without_casts(OKLab(colour[None]), shifts)[0, 1:]
    found = [tuple(shift) for shift in shifts]
    if shares[zone] > 0:
        asked = (s - float(v / shares[zone]) for s, v in zip(found[zone], left, strict=True))
        a, b = (min(MAX_CAST, max(-MAX_CAST, value)) for value in asked)
        found[zone] = (a, b)
    return tuple((a, b) for a, b in found)
