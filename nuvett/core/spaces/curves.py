"""Transfer curves of RGB spaces: a straight piece near black, a power above it, and room above white where it is kept.

The parametric form is that of ICC.1:2022, table 68: y / slope below the cut, ((y + toe) / (1 + toe)) ** exponent above.
"""

from dataclasses import dataclass

import numpy as np

from nuvett.core.quick import power
from nuvett.core.types import Floats


@dataclass(frozen=True)
class Curve:
    """One transfer curve.

    exponent : of the power, from encoded to linear; toe : its offset
    slope : encoded over linear on the straight piece, none without one; cut : linear and encoded value where it ends
    white : encoded value of white; stops : how far above white the largest code lies, logarithmically
    """

    exponent: float
    toe: float = 0.0
    slope: float | None = None
    cut: tuple[float, float] = (0.0, 0.0)
    white: float = 1.0
    stops: float = 0.0

    @property
    def codes_of_a_stop(self) -> float:
        """What a stop above white takes of the encoded values; nothing where there is no room above it."""
        return (1 - self.white) / self.stops if self.stops else 0.0

    @property
    def parameters(self) -> tuple[int, tuple[float, ...]]:
        """Function type and parameters g, a, b, c, d of ICC.1:2022, table 68.

        Raises ValueError for a curve with room above white.
        """
        if self.stops:
            raise ValueError("a curve with room above white is no parametric curve")
        if self.slope is None:
            return 0, (self.exponent,)
        return 3, (self.exponent, 1 / (1 + self.toe), self.toe / (1 + self.toe), 1 / self.slope, self.cut[1])

    @property
    def numbers(self) -> tuple[float, float, float, float]:
        """Power from light to codes, offset, slope of the straight piece, light where it ends: as for `lanes`."""
        return 1 / self.exponent, self.toe, self.slope or 0, self.cut[0]

    def decoded(self, magnitude: Floats) -> Floats:
        """Linear light up to white of encoded values from 0, any shape."""
        plain = ((magnitude + self.toe) / (1 + self.toe)) ** self.exponent if self.toe else magnitude**self.exponent
        return plain if self.slope is None else np.where(magnitude <= self.cut[1], magnitude / self.slope, plain)

    def encoded(self, magnitude: Floats) -> Floats:
        """Encoded values of linear light from 0, any shape; inverse of `decoded`."""
        encoded = power(magnitude, 1 / self.exponent)
        if self.toe:
            encoded *= np.float32(1 + self.toe)
            encoded -= np.float32(self.toe)
        if self.slope is not None:
            np.copyto(encoded, magnitude * np.float32(self.slope), where=magnitude <= np.float32(self.cut[0]))
        return encoded


SRGB_CURVE = Curve(2.4, 0.055, 12.92, (0.0031308, 0.04045))
"""IEC 61966-2-1."""
ADOBE_CURVE = Curve(563 / 256)
"""Adobe RGB (1998)."""
ROMM_CURVE = Curve(1.8, 0.0, 16.0, (1 / 512, 16 / 512))
"""ISO 22028-2, ROMM RGB."""
SCENE_CURVE = Curve(2.4, 0.055, 12.92, (0.0031308, 0.04045), white=0.85, stops=3.0)
"""sRGB's up to white, which lies at 0.85 of the codes; three stops above it, logarithmic."""


def decode_curve(encoded: Floats, curve: Curve) -> Floats:
    """Encoded values to linear light, any shape; odd symmetry below 0 so extended values survive."""
    magnitude = np.abs(encoded)
    if curve.stops:
        below = curve.decoded(np.minimum(magnitude / np.float32(curve.white), 1))
        magnitude = below * np.exp2(np.maximum(magnitude - curve.white, 0) / curve.codes_of_a_stop)
    else:
        magnitude = curve.decoded(magnitude)
    return np.asarray(np.copysign(magnitude, encoded), dtype=np.float32)


def encode_curve(linear: Floats, curve: Curve) -> Floats:
    """Linear light to encoded values, any shape; inverse of `decode_curve`."""
    magnitude = np.abs(linear)
    if curve.stops:
        below = curve.encoded(np.minimum(magnitude, 1)) * curve.white
        magnitude = below + np.log2(np.maximum(magnitude, 1)) * curve.codes_of_a_stop
    else:
        magnitude = curve.encoded(magnitude)
    return np.asarray(np.copysign(magnitude, linear), dtype=np.float32)
