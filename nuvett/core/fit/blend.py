"""Blend modes of the W3C Compositing and Blending Level 1 specification, on encoded RGB values 0 to 1."""

from collections.abc import Callable
from typing import Literal

import numpy as np

from nuvett.core.types import Encoded01, Floats

BlendMode = Literal[
    "normal",
    "multiply",
    "screen",
    "overlay",
    "darken",
    "lighten",
    "color-dodge",
    "color-burn",
    "hard-light",
    "soft-light",
    "difference",
    "exclusion",
    "hue",
    "saturation",
    "color",
    "luminosity",
]
Function = Callable[[Floats, Floats], Floats]
_FAINT = 1 / 510
"""Half a code of eight bits: nearer to black, white or grey than this, a colour is taken for it.

Three formulas of the specification jump there, and what rounding leaves would decide which way a white paper goes.
"""


def _screen(b: Floats, s: Floats) -> Floats:
    return b + s - b * s


def _hard_light(b: Floats, s: Floats) -> Floats:
    return np.where(s <= 0.5, b * 2 * s, _screen(b, 2 * s - 1))


def _color_dodge(b: Floats, s: Floats) -> Floats:
    return np.where(b <= _FAINT, 0, np.where(s >= 1, 1, np.minimum(1, b / np.maximum(1 - s, 1e-6))))


def _color_burn(b: Floats, s: Floats) -> Floats:
    return np.where(b >= 1 - _FAINT, 1, np.where(s <= 0, 0, 1 - np.minimum(1, (1 - b) / np.maximum(s, 1e-6))))


def _soft_light(b: Floats, s: Floats) -> Floats:
    d = np.where(b <= 0.25, ((16 * b - 12) * b + 4) * b, np.sqrt(np.maximum(b, 0)))
    return np.where(s <= 0.5, b - (1 - 2 * s) * b * (1 - b), b + (2 * s - 1) * (d - b))


def _lum(c: Floats) -> Floats:
    return np.asarray(c @ np.array([0.3, 0.59, 0.11], dtype=np.float32))[..., None]


def _sat(c: Floats) -> Floats:
    return np.asarray(c.max(axis=-1, keepdims=True) - c.min(axis=-1, keepdims=True))


def _clip_color(c: Floats) -> Floats:
    light, low, high = _lum(c), c.min(axis=-1, keepdims=True), c.max(axis=-1, keepdims=True)
    c = np.where(low < 0, light + (c - light) * light / np.maximum(light - low, 1e-6), c)
    return np.where(high > 1, light + (c - light) * (1 - light) / np.maximum(high - light, 1e-6), c)


def _set_lum(c: Floats, light: Floats) -> Floats:
    return _clip_color(c + (light - _lum(c)))


def _set_sat(c: Floats, wanted: Floats) -> Floats:
    low, spread = c.min(axis=-1, keepdims=True), _sat(c)
    return np.asarray((c - low) * wanted / np.maximum(spread, 2 * _FAINT))


BLENDS: dict[BlendMode, Function] = {
    "normal": lambda b, s: s,
    "multiply": lambda b, s: b * s,
    "screen": _screen,
    "overlay": lambda b, s: _hard_light(s, b),
    "darken": np.minimum,
    "lighten": np.maximum,
    "color-dodge": _color_dodge,
    "color-burn": _color_burn,
    "hard-light": _hard_light,
    "soft-light": _soft_light,
    "difference": lambda b, s: np.abs(b - s),
    "exclusion": lambda b, s: b + s - 2 * b * s,
    "hue": lambda b, s: _set_lum(_set_sat(s, _sat(b)), _lum(b)),
    "saturation": lambda b, s: _set_lum(_set_sat(b, _sat(s)), _lum(b)),
    "color": lambda b, s: _set_lum(s, _lum(b)),
    "luminosity": lambda b, s: _set_lum(b, _lum(s)),
}


def blend_over(backdrop: Encoded01, source: Encoded01, mode: BlendMode, opacity: float) -> Encoded01:
    """A source laid over an opaque backdrop, both (N, 3): (1 - opacity) backdrop + opacity B(backdrop, source).

    What of the backdrop lies outside 0 to 1 is kept beside the blending. Section 5.8 of the specification, with its
    formulas for each mode in sections 10.1 and 10.2.
    """
    inside = np.clip(backdrop, 0, 1)
    mixed = BLENDS[mode](inside, np.clip(source, 0, 1))
    return Encoded01(np.asarray(backdrop + np.float32(opacity) * (mixed - inside), dtype=np.float32))
