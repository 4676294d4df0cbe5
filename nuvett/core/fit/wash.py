"""Washes: a row of colours along lightness, laid over a picture and blended, within a range of tones."""

from functools import lru_cache
from typing import Any, Self, get_args

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, field_validator, model_validator

from nuvett.core import lanes
from nuvett.core.fields import choice, number
from nuvett.core.fit.blend import BlendMode, blend_over
from nuvett.core.quick import joined, planes_of
from nuvett.core.reading.palette import Colour
from nuvett.core.smooth import smooth_step
from nuvett.core.spaces.cielab import lightness_of_oklab
from nuvett.core.spaces.curves import SRGB_CURVE
from nuvett.core.spaces.oklab import TO_LINEAR, TO_OKLAB, hex_to_oklab, linear_to_oklab, oklab_to_linear
from nuvett.core.spaces.rgb import from_linear, to_linear
from nuvett.core.types import Document, Floats, OKLab

MAX_STOPS, MAX_LAYERS = 12, 6
_STEP_BY_STEP = ("color-dodge", "color-burn", "hue", "saturation", "color", "luminosity")
COMPILED: tuple[BlendMode, ...] = tuple(mode for mode in get_args(BlendMode) if mode not in _STEP_BY_STEP)
"""Modes that are blended channel by channel without a division, which is done in one pass."""
MODES = {mode: mode for mode in get_args(BlendMode)}
_SOFT = 8.0  # L* over which a wash fades at the ends of its range
_BY_OWN_LIGHTNESS = 2  # of the ways of `lanes.washed`
_AT_ONCE = 1e-9  # between two colours of one lightness
_MIN_GAP = 0.5  # L* between two stops


class WashStop(Document):
    """A colour at a lightness of the picture, CIE L*; OKLab, or #rrggbb when it is brought in."""

    at: float = number(50, 0, 100, "Where the colour lies", "L*", 0.5)
    colour: Colour

    @field_validator("colour", mode="before")
    @classmethod
    def _from_hex(cls, colour: Any) -> Any:
        return tuple(float(v) for v in hex_to_oklab(colour)) if isinstance(colour, str) else colour

    @model_validator(mode="before")
    @classmethod
    def _at_its_own(cls, data: Any) -> Any:
        """A colour that is not said to lie anywhere lies at its own lightness."""
        if not isinstance(data, dict) or "at" in data or not isinstance(data.get("colour"), list | tuple):
            return data
        own = lightness_of_oklab(np.clip(np.array(data["colour"][:1], dtype=np.float32), 0, 1))
        return {**data, "at": round(float(own[0]), 1)}


class WashLayer(Document):
    """One wash more: its stops by rising lightness, reversed or not, blended in a way, from one L* to another."""

    on: bool = True
    amount: float = number(30, 0, 100, "Opacity of the wash")
    mode: BlendMode = choice("soft-light", "blended as", MODES)
    reversed: bool = False
    low: float = number(0, 0, 100, "Wash begins at", "L*")
    high: float = number(100, 0, 100, "Wash ends at", "L*")
    stops: tuple[WashStop, ...] = Field(min_length=2, max_length=MAX_STOPS)

    @field_validator("stops")
    @classmethod
    def _in_order(cls, stops: tuple[WashStop, ...]) -> tuple[WashStop, ...]:
        return tuple(sorted(stops, key=lambda stop: stop.at))

    @property
    def is_idle(self) -> bool:
        """Whether it does nothing."""
        return not self.on or self.amount == 0 or self.low >= self.high

    @property
    def laid(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """CIE L* (S,) of the stops, those at one place one after the other, and their colours (S, 3)."""
        at = np.array([stop.at for stop in self.stops]) + np.arange(len(self.stops)) * 1e-4
        return at, np.array([stop.colour for stop in self.stops])

    def colour_at(self, lightness: Floats) -> OKLab:
        """Colours (N, 3) that it lays at CIE L* (N,); stops at one place meet at an edge."""
        at, colours = self.laid
        where = 100 - lightness if self.reversed else lightness
        return OKLab(np.stack([np.interp(where, at, colours[:, i]) for i in range(3)], axis=-1).astype(np.float32))

    def with_stop(self, index: int, at: float) -> Self:
        """It with a stop elsewhere, between its neighbours; index len(stops) adds one there, of the colour there."""
        at = min(100.0, max(0.0, at))
        if index == len(self.stops):
            laid = self.model_copy(update={"reversed": False}).colour_at(np.array([at], dtype=np.float32))[0]
            stop = WashStop(at=round(at, 1), colour=(float(laid[0]), float(laid[1]), float(laid[2])))
            return self.model_copy(update={"stops": tuple(sorted((*self.stops, stop), key=lambda s: s.at))})
        low = self.stops[index - 1].at + _MIN_GAP if index else 0.0
        high = self.stops[index + 1].at - _MIN_GAP if index + 1 < len(self.stops) else 100.0
        moved = self.stops[index].model_copy(update={"at": round(min(max(low, high), max(low, at)), 1)})
        return self.model_copy(update={"stops": (*self.stops[:index], moved, *self.stops[index + 1 :])})


def washed(lab: OKLab, layer: WashLayer) -> OKLab:
    """OKLab colours (N, 3) with a wash laid over them."""
    if layer.is_idle:
        return lab
    if layer.mode in COMPILED:
        return OKLab(lanes.washed(planes_of(lab), _numbers(layer)).T)
    lightness = lightness_of_oklab(np.clip(lab[:, 0], 0, 1))
    laid = layer.colour_at(lightness)
    made = _blended(lab, laid, layer.mode)
    within = _within(lightness, layer) * np.float32(layer.amount / 100)
    return OKLab(lab + within[:, None] * (made - lab))


def washed_by_palette(lab: OKLab, colours: tuple[Colour, ...], mode: BlendMode) -> OKLab:
    """OKLab colours (N, 3) with the colours of a palette laid over them, each at its own lightness, which stays."""
    if mode in COMPILED:
        return OKLab(lanes.washed(planes_of(lab), _palette_numbers(colours, mode)).T)
    palette = np.array(sorted(colours))
    laid = np.stack([lab[:, 0], *(np.interp(lab[:, 0], palette[:, 0], palette[:, i]) for i in (1, 2))], axis=1)
    return _blended(lab, OKLab(laid.astype(np.float32)), mode)


def _blended(lab: OKLab, laid: OKLab, mode: BlendMode) -> OKLab:
    backdrop, source = (from_linear(oklab_to_linear(c)) for c in (lab, laid))
    return linear_to_oklab(to_linear(blend_over(backdrop, source, mode, 1)))


@lru_cache(maxsize=64)
def _numbers(layer: WashLayer) -> Floats:
    """A wash as `lanes` takes it."""
    ends = layer.amount / 100, layer.low, layer.high, _SOFT
    return _laid_out(layer.mode, (*ends, int(layer.reversed)), *layer.laid)


@lru_cache(maxsize=64)
def _palette_numbers(colours: tuple[Colour, ...], mode: BlendMode) -> Floats:
    palette = np.array(sorted(colours))
    return _laid_out(mode, (1, 0, 100, _SOFT, _BY_OWN_LIGHTNESS), palette[:, 0], palette)


def _laid_out(
    mode: BlendMode, numbers: tuple[float, ...], at: NDArray[np.float64], colours: NDArray[np.float64]
) -> Floats:
    segments = np.column_stack([at[:-1], 1 / np.maximum(np.diff(at), _AT_ONCE), np.diff(colours, axis=0)])
    begin = (COMPILED.index(mode), *numbers, len(segments))
    return joined(begin, TO_LINEAR, TO_OKLAB, SRGB_CURVE.numbers, colours[0], segments)


def _within(lightness: Floats, layer: WashLayer) -> Floats:
    """How far CIE L* (N,) lies in the range of a wash; an end at black or white is open."""
    share = np.ones_like(lightness)
    if layer.low > 0:
        share *= smooth_step((lightness - np.float32(layer.low)) / np.float32(_SOFT) + np.float32(0.5))
    if layer.high < 100:
        share *= smooth_step((np.float32(layer.high) - lightness) / np.float32(_SOFT) + np.float32(0.5))
    return np.asarray(share, dtype=np.float32)
