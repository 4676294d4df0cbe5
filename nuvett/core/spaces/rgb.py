"""RGB spaces: primaries, white, transfer curve and the matrices between them.

The linear form shared by all computation is linear light on sRGB primaries with extended range (as in IEC
61966-2-2, scRGB): a colour outside sRGB has components below 0 or above 1, and nothing is lost.
"""

from dataclasses import dataclass
from enum import StrEnum
from functools import cache

import numpy as np
from numpy.typing import NDArray

from nuvett.core.spaces.curves import (
    ADOBE_CURVE,
    ROMM_CURVE,
    SCENE_CURVE,
    SRGB_CURVE,
    Curve,
    decode_curve,
    encode_curve,
)
from nuvett.core.types import Encoded01, Floats, Linear

D65 = (0.3127, 0.3290)
D50 = (0.3457, 0.3585)

# Bradford cone response matrix: Lam 1985, as printed in CSS Color 4 and ICC.1:2022 annex E.
BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]], dtype=np.float64)


class Space(StrEnum):
    """Names of the registered RGB spaces, as the command line and delivery settings spell them."""

    SRGB = "srgb"
    P3 = "p3"
    ADOBE_RGB = "adobe-rgb"
    PROPHOTO = "prophoto"
    WIDE = "wide"
    SCENE = "scene"


@dataclass(frozen=True)
class RGBSpace:
    """One RGB space and all that is offered with it. To add one, see docs/adding.md.

    primaries, white : chromaticities; curve : of transfer
    delivered : whether finished files can be in it; token : its name in CSS Color 4, by which palettes name it
    """

    name: Space
    title: str
    primaries: tuple[tuple[float, float], tuple[float, float], tuple[float, float]]
    white: tuple[float, float]
    curve: Curve
    delivered: bool = False
    token: str = ""


_BT2020 = ((0.708, 0.292), (0.170, 0.797), (0.131, 0.046))  # ITU-R BT.2020
_REGISTERED = (
    RGBSpace(Space.SRGB, "sRGB", ((0.64, 0.33), (0.30, 0.60), (0.15, 0.06)), D65, SRGB_CURVE, True, "srgb"),
    RGBSpace(Space.P3, "Display P3", ((0.68, 0.32), (0.265, 0.69), (0.15, 0.06)), D65, SRGB_CURVE, True, "display-p3"),
    RGBSpace(
        Space.ADOBE_RGB,
        "Adobe RGB (1998)",
        ((0.64, 0.33), (0.21, 0.71), (0.15, 0.06)),
        D65,
        ADOBE_CURVE,
        True,
        "a98-rgb",
    ),
    RGBSpace(
        Space.PROPHOTO,
        "ProPhoto RGB",
        ((0.734699, 0.265301), (0.159597, 0.840403), (0.036598, 0.000105)),
        D50,
        ROMM_CURVE,
        True,
        "prophoto-rgb",
    ),
    # With the sRGB curve: the domain that wide-gamut originals are kept in.
    RGBSpace(Space.WIDE, "Wide working space", _BT2020, D65, SRGB_CURVE),
    # For what a camera's sensor saw, with room above white.
    RGBSpace(Space.SCENE, "Scene", _BT2020, D65, SCENE_CURVE),
)
SPACES: dict[Space, RGBSpace] = {space.name: space for space in _REGISTERED}
DELIVERED = tuple(space.name for space in _REGISTERED if space.delivered)
"""The spaces that finished files can be in."""


def _xyz_of(xy: tuple[float, float]) -> NDArray[np.float64]:
    x, y = xy
    return np.array([x / y, 1.0, (1 - x - y) / y])


def adaptation_matrix(source: tuple[float, float], destination: tuple[float, float]) -> NDArray[np.float64]:
    """Bradford chromatic adaptation between two white points, (3, 3) acting on XYZ (ICC.1:2022 annex E)."""
    gains = (BRADFORD @ _xyz_of(destination)) / (BRADFORD @ _xyz_of(source))
    return np.asarray(np.linalg.inv(BRADFORD) @ np.diag(gains) @ BRADFORD)


@cache
def to_xyz_matrix(name: Space) -> NDArray[np.float64]:
    """Matrix from linear RGB of a space to XYZ relative to D65, (3, 3); SMPTE RP 177-1993 derivation."""
    space = SPACES[name]
    columns = np.stack([_xyz_of(p) for p in space.primaries], axis=1)
    scale = np.linalg.solve(columns, _xyz_of(space.white))
    return np.asarray(adaptation_matrix(space.white, D65) @ (columns * scale))


@cache
def matrix_between(source: Space, destination: Space) -> Floats:
    """Matrix from linear RGB of one space to linear RGB of another, (3, 3) float32."""
    matrix = np.linalg.solve(to_xyz_matrix(destination), to_xyz_matrix(source))
    return np.asarray(matrix, dtype=np.float32)


def to_linear(encoded: Encoded01, space: Space = Space.SRGB) -> Linear:
    """Encoded RGB (..., 3) of a space to extended linear sRGB (..., 3) float32."""
    linear = decode_curve(encoded, SPACES[space].curve)
    if space is Space.SRGB:
        return Linear(linear)
    return Linear(np.asarray(linear @ matrix_between(space, Space.SRGB).T, dtype=np.float32))


def cube_to_linear(axis: Floats, space: Space) -> Linear:
    """Extended linear sRGB (N**3, 3), red first, of the colours whose encoded channels all lie on an axis (N,)."""
    decoded = decode_curve(axis, SPACES[space].curve)
    planes = np.stack(np.meshgrid(decoded, decoded, decoded, indexing="ij")).reshape(3, -1)
    return Linear((planes if space is Space.SRGB else matrix_between(space, Space.SRGB) @ planes).T)


def from_linear(linear: Linear, space: Space = Space.SRGB) -> Encoded01:
    """Extended linear sRGB (..., 3) to encoded RGB of a space (..., 3) float32, not clipped."""
    if space is not Space.SRGB:
        linear = Linear(linear @ matrix_between(Space.SRGB, space).T)
    return Encoded01(encode_curve(np.asarray(linear, dtype=np.float32), SPACES[space].curve))


def parse_hex(text: str) -> Encoded01:
    """`#rrggbb` to encoded sRGB (3,) float32 0 to 1. Raises ValueError on anything else."""
    digits = text.strip().removeprefix("#")
    if len(digits) != 6:
        raise ValueError(f"{text!r} is not a colour of the form #rrggbb")
    return Encoded01(np.array([int(digits[i : i + 2], 16) / 255 for i in (0, 2, 4)], dtype=np.float32))


def to_hex(encoded: Encoded01) -> str:
    """Encoded sRGB (3,) to `#rrggbb`, clipped to the cube and rounded."""
    codes = np.rint(np.clip(encoded, 0, 1) * 255).astype(int)
    return "#" + "".join(f"{code:02x}" for code in codes)
