"""What a lookup table expects of the colours it is given: the encodings that it may be meant for, and a guess."""

from dataclasses import dataclass
from typing import Literal, get_args

import numpy as np
from numpy.typing import NDArray

from nuvett.core.spaces.cielab import lightness_of_oklab
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import Space, from_linear, matrix_between, to_linear
from nuvett.core.table.held import HeldTable
from nuvett.core.types import Encoded01, Floats, Linear

Expects = Literal["srgb", "p3", "adobe-rgb", "wide", "linear", "log", "log-wide"]
EXPECTS: dict[Expects, str] = {
    "srgb": "sRGB, as on a screen",
    "p3": "Display P3",
    "adobe-rgb": "Adobe RGB (1998)",
    "wide": "BT.2020 primaries, as on a screen",
    "linear": "linear light, sRGB primaries",
    "log": "log, sRGB primaries",
    "log-wide": "log, BT.2020 primaries",
}
"""Encodings that a table may be meant for, in words. Those of a screen go out as they came in, the others as sRGB."""

# ACEScct, AMPAS S-2016-001: a straight toe below 0.0078125, and 1 / 17.52 of a stop above it.
_CUT, _SLOPE, _OFFSET = 0.0078125, 10.5402377416545, 0.0729055341958355
_STOPS, _RAISED = 17.52, 9.72
_TOLD: tuple[Expects, ...] = ("srgb", "log", "linear")
_AS_ON_SCREEN = ("srgb", "p3", "adobe-rgb", "wide")
_GREYS = 33
_MARGIN = 4.0
"""Mean CIE L* by which another encoding must suit the greys better before a table is taken to be meant for it."""


def log_encoded(linear: Floats) -> Floats:
    """Linear light, any shape, as ACEScct (AMPAS S-2016-001): 18 % grey at 0.414, white at 0.555."""
    safe = np.log2(np.maximum(linear, _CUT)) + _RAISED
    return np.asarray(np.where(linear <= _CUT, linear * _SLOPE + _OFFSET, safe / _STOPS), dtype=np.float32)


def log_decoded(made: Floats) -> Floats:
    """ACEScct, any shape, to linear light: the inverse of `log_encoded`."""
    safe = np.exp2(made * _STOPS - _RAISED)
    return np.asarray(np.where(safe <= _CUT, (made - _OFFSET) / _SLOPE, safe), dtype=np.float32)


def encoded_for(linear: Linear, expects: Expects) -> Encoded01:
    """Extended linear sRGB (N, 3) as a table wants it, within 0 to 1."""
    if expects in _AS_ON_SCREEN:
        return Encoded01(np.clip(from_linear(linear, Space(expects)), 0, 1))
    if expects == "log-wide":
        linear = Linear(linear @ matrix_between(Space.SRGB, Space.WIDE).T)
    made = linear if expects == "linear" else log_encoded(linear)
    return Encoded01(np.clip(made, 0, 1).astype(np.float32))


def asked_of(made: Encoded01, expects: Expects) -> Linear:
    """Extended linear sRGB (N, 3) that a table was asked for: the inverse of `encoded_for`, within what it can say."""
    if expects in _AS_ON_SCREEN:
        return linear_from(made, expects)
    linear = Linear(np.asarray(made) if expects == "linear" else log_decoded(made))
    return Linear(linear @ matrix_between(Space.WIDE, Space.SRGB).T) if expects == "log-wide" else linear


def linear_from(made: Encoded01, expects: Expects) -> Linear:
    """Extended linear sRGB (N, 3) of what a table gives out."""
    return to_linear(made, Space(expects) if expects in _AS_ON_SCREEN else Space.SRGB)


@dataclass(frozen=True)
class Guess:
    """What a table seems to expect, and why.

    neutral : (33,) CIE L* that the table gives for greys whose lightness runs evenly from 0 to 100
    """

    expects: Expects
    words: str
    neutral: NDArray[np.float64]


def guess(held: HeldTable) -> Guess:
    """What a table seems to expect: the encoding under which greys come out nearest to how light they went in.

    A grey scale says nothing about primaries, so that of the encodings of a screen only sRGB is guessed, and of the
    logarithmic ones only that on sRGB primaries.
    """
    wanted = np.linspace(0, 100, _GREYS)
    lines = {expects: neutral_line(held, expects) for expects in get_args(Expects)}
    misses: dict[Expects, float] = {name: float(np.abs(line - wanted).mean()) for name, line in lines.items()}
    best = min(_TOLD, key=lambda name: misses[name] + (0 if name == "srgb" else _MARGIN))
    line = lines[best]
    return Guess(best, _reason(best, misses, line), line)


def neutral_line(held: HeldTable, expects: Expects) -> NDArray[np.float64]:
    """(33,) CIE L* that a table gives for greys of L* 0 to 100, taken as `expects`."""
    share = ((np.linspace(0, 100, _GREYS) + 16) / 116).astype(np.float64)
    luminance = np.where(share > 6 / 29, share**3, (share - 16 / 116) * 3 * (6 / 29) ** 2)
    greys = Linear(np.repeat(luminance[:, None], 3, axis=1).astype(np.float32))
    made = linear_from(held.looked_up(encoded_for(greys, expects)), expects)
    return lightness_of_oklab(linear_to_oklab(made)[:, 0]).astype(np.float64)


def _reason(best: str, misses: dict[Expects, float], line: NDArray[np.float64]) -> str:
    middle, ends = line[_GREYS // 2], f"black at {line[0]:.0f} and white at {line[-1]:.0f}"
    if best == "srgb":
        return f"greys keep their order on a screen: middle grey comes out at {middle:.0f}, {ends}"
    name = {"log": "log", "linear": "linear light"}[best]
    other = misses["srgb"]
    return (
        f"taken as {name}, middle grey comes out at {middle:.0f}, {ends}; taken as sRGB, greys would be "
        f"{other:.0f} L* off on average"
    )
