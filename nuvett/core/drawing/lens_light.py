"""Light that a lens took from the corners, as it is given back to encoded pixels: which curve they are encoded by.

On a power curve with an offset t a factor g acts on encoded values e as (e + t) G - t, with G = g to the power of the
curve, and as e g on its straight part; the lesser of the two is right on both, and near where they meet.
"""

from nuvett.core.spaces.rgb import SPACES, Space


def curve_of_light(domain: Space) -> tuple[float, int, float, float]:
    """Toe, whether it begins straight, code of white, and codes of a stop above white, of the curve of a space."""
    curve = SPACES[domain].curve
    return curve.toe, int(curve.slope is not None), curve.white, curve.codes_of_a_stop
