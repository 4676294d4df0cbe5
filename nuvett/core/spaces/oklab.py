"""OKLab and OKLCh (Ottosson 2020), with the matrices of CSS Color 4."""

import numpy as np

from nuvett.core import lanes
from nuvett.core.quick import as_listed, joined, planes_of
from nuvett.core.spaces.rgb import parse_hex, to_linear
from nuvett.core.types import Encoded01, Linear, OKLab, OKLCh

# Linear sRGB to LMS: CSS Color Module Level 4, section "Sample code for color conversions"
# (XYZ-to-LMS composed with linear-sRGB-to-XYZ); tools/derive_oklab.py reproduces it.
LINEAR_TO_LMS = np.array(
    [
        [0.4122214694707629, 0.5363325372617349, 0.0514459932675022],
        [0.2119034958178251, 0.6806995506452344, 0.1073969535369405],
        [0.0883024591900564, 0.2817188391361215, 0.6299787016738222],
    ],
    dtype=np.float64,
)
LMS_TO_OKLAB = np.array(
    [
        [0.2104542683093140, 0.7936177747023054, -0.0040720430116193],
        [1.9779985324311684, -2.4285922420485799, 0.4505937096174110],
        [0.0259040424655478, 0.7827717124575296, -0.8086757549230774],
    ],
    dtype=np.float64,
)


TO_OKLAB = joined(LINEAR_TO_LMS, LMS_TO_OKLAB)
"""(18,) Linear light to cone responses, and the roots of those to OKLab, as `lanes` takes them."""
TO_LINEAR = joined(np.linalg.inv(LMS_TO_OKLAB), np.linalg.inv(LINEAR_TO_LMS))
"""(18,) OKLab to roots of cone responses, and those cubed to linear light, as `lanes` takes them."""


def linear_to_oklab(linear: Linear) -> OKLab:
    """Extended linear sRGB (..., 3) to OKLab (..., 3) float32."""
    return OKLab(as_listed(lanes.to_lab(planes_of(linear), TO_OKLAB), linear))


def oklab_to_linear(lab: OKLab) -> Linear:
    """OKLab (..., 3) to extended linear sRGB (..., 3) float32."""
    return Linear(as_listed(lanes.to_light(planes_of(lab), TO_LINEAR), lab))


def oklab_to_oklch(lab: OKLab) -> OKLCh:
    """OKLab (..., 3) to OKLCh (..., 3), hue in degrees 0 to 360."""
    hue = np.degrees(np.arctan2(lab[..., 2], lab[..., 1])) % 360
    return OKLCh(np.stack([lab[..., 0], np.hypot(lab[..., 1], lab[..., 2]), hue], axis=-1).astype(np.float32))


def oklch_to_oklab(lch: OKLCh) -> OKLab:
    """OKLCh (..., 3), hue in degrees, to OKLab (..., 3)."""
    angle = np.radians(lch[..., 2])
    return OKLab(
        np.stack([lch[..., 0], lch[..., 1] * np.cos(angle), lch[..., 1] * np.sin(angle)], axis=-1).astype(np.float32)
    )


def hex_to_oklab(text: str) -> OKLab:
    """`#rrggbb` (sRGB) to OKLab (3,) float32. Raises ValueError on anything else."""
    return OKLab(linear_to_oklab(to_linear(Encoded01(parse_hex(text)[None])))[0])
