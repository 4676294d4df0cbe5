"""Colours as clients give them: in hexadecimal, as CSS writes them, or in CIE L*a*b* with its illuminant."""

import re

import numpy as np
from PIL import ImageColor

from nuvett.core.errors import InvalidChangeError
from nuvett.core.reading.palette import Colour
from nuvett.core.spaces.gamut import map_to_gamut
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import D65, Space, adaptation_matrix, to_linear, to_xyz_matrix
from nuvett.core.types import Encoded01, Linear, OKLab

_NUMBER = r"(-?\d+(?:\.\d+)?)"
_LAB = re.compile(rf"(?:cie)?lab\s*\(?\s*{_NUMBER}%?[\s,]+{_NUMBER}[\s,]+{_NUMBER}\s*\)?\s*(d50|d65)?")
_D50 = (0.3457, 0.3585)  # CIE 15; CSS Color 4, section 9.3
_WHITES = {"d50": _D50, "d65": D65}
_EPSILON, _KAPPA = 216 / 24389, 24389 / 27  # CIE 15:2018
_OUTSIDE = 0.004  # OKLab from which a colour is said to lie outside sRGB


def parse_given(text: str) -> Colour:
    """A colour in words of CSS, `#rrggbb`, or `lab(L a b)`, as OKLab.

    CIE L*a*b* is relative to D50, as print and CSS have it, unless `d65` follows. Raises InvalidChangeError.
    """
    plain = " ".join(text.lower().split())
    found = _LAB.fullmatch(plain)
    if found is not None:
        lab = [float(part) for part in found.groups()[:3]]
        if not 0 <= lab[0] <= 100 or max(abs(lab[1]), abs(lab[2])) > 128:
            raise InvalidChangeError("In CIE L*a*b*, L* goes from 0 to 100, a* and b* from -128 to 128.")
        return _triple(linear_to_oklab(_linear_of(lab, _WHITES[found[4] or "d50"]))[0])
    try:
        codes = ImageColor.getrgb(plain)[:3]
    except ValueError as error:
        raise InvalidChangeError(
            "That is no colour. Write #3d4f3a, a colour of CSS such as rgb(61 79 58) or teal, or lab(32 -8 11)."
        ) from error
    encoded = Encoded01(np.array([codes], dtype=np.float32) / np.float32(255))
    return _triple(linear_to_oklab(to_linear(encoded))[0])


def _linear_of(lab: list[float], white: tuple[float, float]) -> Linear:
    """Linear sRGB (1, 3) of CIE L*a*b* relative to a white point (x, y), by Bradford adaptation."""
    fy = (lab[0] + 16) / 116
    f = np.array([fy + lab[1] / 500, fy, fy - lab[2] / 200])
    shares = np.where(f**3 > _EPSILON, f**3, (116 * f - 16) / _KAPPA)
    xyz = shares * (white[0] / white[1], 1.0, (1 - white[0] - white[1]) / white[1])
    adapted = adaptation_matrix(white, D65) @ xyz
    return Linear(np.asarray(np.linalg.solve(to_xyz_matrix(Space.SRGB), adapted)[None], dtype=np.float32))


def _triple(lab: OKLab) -> Colour:
    lightness, a, b = (float(value) for value in lab)
    return lightness, a, b


def is_outside(colour: Colour) -> bool:
    """Whether a colour cannot be shown in sRGB, so that the nearest one stands in for it."""
    lab = OKLab(np.array([colour], dtype=np.float32))
    shown = linear_to_oklab(Linear(map_to_gamut(lab)))
    return bool(np.linalg.norm(shown - lab) > _OUTSIDE)
