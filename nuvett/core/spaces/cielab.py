"""CIE L*a*b* and the CIEDE2000 colour difference, relative to D65."""

import numpy as np
from numpy.typing import NDArray

from nuvett.core.spaces.rgb import D65, Space, to_xyz_matrix
from nuvett.core.types import CIELab, Floats, Linear

_WHITE = np.array([D65[0] / D65[1], 1.0, (1 - D65[0] - D65[1]) / D65[1]])
_EPSILON = 216 / 24389  # CIE 15:2018
_KAPPA = 24389 / 27


def linear_to_cielab(linear: Linear) -> CIELab:
    """Extended linear sRGB (..., 3) to CIE L*a*b* (..., 3), L* 0 to 100 (CIE 15:2018)."""
    xyz = np.asarray(linear, dtype=np.float64) @ to_xyz_matrix(Space.SRGB).T / _WHITE
    f = np.where(xyz > _EPSILON, np.cbrt(xyz), (_KAPPA * xyz + 16) / 116)
    return CIELab(
        np.stack([116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], axis=-1)
    )


def lightness_of_oklab(lightness: Floats) -> Floats:
    """CIE L* (0 to 100) of a neutral with the given OKLab lightness (0 to 1), any shape.

    For neutrals OKLab's L is the cube root of luminance, so the CIE formula applies to it directly.
    """
    values = np.asarray(lightness, dtype=np.float64)
    cube = values**3
    return np.asarray(np.where(cube > _EPSILON, 116 * values - 16, _KAPPA * cube), dtype=np.float32)


def oklab_of_lightness(lightness: Floats) -> Floats:
    """OKLab lightness of a neutral with the given CIE L*; inverse of `lightness_of_oklab`."""
    values = np.asarray(lightness, dtype=np.float64)
    return np.asarray(np.where(values > 8, (values + 16) / 116, np.cbrt(values / _KAPPA)), dtype=np.float32)


def neutral_oklab(lightness: float) -> float:
    """OKLab lightness of a neutral with one CIE L* (0 to 100)."""
    return float(oklab_of_lightness(np.array([lightness], dtype=np.float32))[0])


def neutral_cielab(lightness: float) -> float:
    """CIE L* of a neutral with one OKLab lightness (0 to 1)."""
    return float(lightness_of_oklab(np.array([lightness], dtype=np.float32))[0])


def _hue(b: NDArray[np.float64], a: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.asarray(np.degrees(np.arctan2(b, a)) % 360)


def ciede2000(first: CIELab, second: CIELab) -> NDArray[np.float64]:
    """CIEDE2000 difference of two (..., 3) CIE L*a*b* arrays, kL = kC = kH = 1.

    Sharma, Wu and Dalal, "The CIEDE2000 color-difference formula: implementation notes, supplementary test
    data and mathematical observations", Color Research and Application 30 (2005), equations 2 to 22.
    """
    l1, a1, b1 = np.moveaxis(np.asarray(first, dtype=np.float64), -1, 0)
    l2, a2, b2 = np.moveaxis(np.asarray(second, dtype=np.float64), -1, 0)
    mean_c7 = ((np.hypot(a1, b1) + np.hypot(a2, b2)) / 2) ** 7
    g = 0.5 * (1 - np.sqrt(mean_c7 / (mean_c7 + 25.0**7)))
    a1, a2 = (1 + g) * a1, (1 + g) * a2
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = _hue(b1, a1), _hue(b2, a2)
    grey = c1 * c2 == 0

    dh = h2 - h1
    dh = np.where(dh > 180, dh - 360, np.where(dh < -180, dh + 360, dh))
    dh = np.where(grey, 0, dh)
    dhue = 2 * np.sqrt(c1 * c2) * np.sin(np.radians(dh / 2))

    hsum = h1 + h2
    near = np.abs(h1 - h2) <= 180
    mean_h = np.where(grey, hsum, np.where(near, hsum / 2, np.where(hsum < 360, hsum + 360, hsum - 360) / 2))
    mean_l, mean_c = (l1 + l2) / 2, (c1 + c2) / 2
    t = (
        1
        - 0.17 * np.cos(np.radians(mean_h - 30))
        + 0.24 * np.cos(np.radians(2 * mean_h))
        + 0.32 * np.cos(np.radians(3 * mean_h + 6))
        - 0.20 * np.cos(np.radians(4 * mean_h - 63))
    )
    sl = 1 + 0.015 * (mean_l - 50) ** 2 / np.sqrt(20 + (mean_l - 50) ** 2)
    sc, sh = 1 + 0.045 * mean_c, 1 + 0.015 * mean_c * t
    c7 = mean_c**7
    rotation = -np.sin(np.radians(60 * np.exp(-(((mean_h - 275) / 25) ** 2)))) * 2 * np.sqrt(c7 / (c7 + 25.0**7))
    tl, tc, th = (l2 - l1) / sl, (c2 - c1) / sc, dhue / sh
    return np.asarray(np.sqrt(np.maximum(tl**2 + tc**2 + th**2 + rotation * tc * th, 0)))


def difference(first: Linear, second: Linear) -> NDArray[np.float64]:
    """CIEDE2000 between two extended linear sRGB arrays (..., 3)."""
    return ciede2000(linear_to_cielab(first), linear_to_cielab(second))
