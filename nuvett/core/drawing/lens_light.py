"""Light that a lens took from the corners, as it is given back to encoded pixels: which curve they are encoded by.

On a power curve with an offset t a factor g acts on encoded values e as (e + t) G - t, with G = g to the power of the
curve, and as e g on its straight part; the lesser of the two is right on both, and near where they meet.
"""

from nuvett.core.spaces.rgb import SCENE_STOPS, SCENE_WHITE, SPACES, Curve, Space

_TOE = 0.055  # of sRGB's curve, IEC 61966-2-1
POWERS = {Curve.SRGB: 1 / 2.4, Curve.SCENE: 1 / 2.4, Curve.ADOBE: 256 / 563, Curve.ROMM: 1 / 1.8}
_SHAPES = {
    Curve.SRGB: (_TOE, 1, 1.0, 0.0),
    Curve.SCENE: (_TOE, 1, SCENE_WHITE, (1 - SCENE_WHITE) / SCENE_STOPS),
    Curve.ADOBE: (0.0, 0, 1.0, 0.0),
    Curve.ROMM: (0.0, 1, 1.0, 0.0),
}


def curve_of_light(domain: Space) -> tuple[float, int, float, float]:
    """Toe, whether it begins straight, code of white, and codes of a stop above white, of the curve of a space."""
    return _SHAPES[SPACES[domain].curve]
