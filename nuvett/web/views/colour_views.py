"""View models of hue ranges, primaries and casts on the colour chart, and of families that ranges begin with."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from nuvett.core.fit.casts import ZONES_OF_CAST
from nuvett.core.fit.hues import HueBand, reached
from nuvett.core.fit.primaries import PRIMARIES
from nuvett.core.look.colour_handles import band_landing, primary_colour, primary_landing
from nuvett.core.spaces.oklab import oklch_to_oklab
from nuvett.core.steps.casts import CastStep
from nuvett.core.steps.hues import HueStep, hue_colour
from nuvett.core.steps.primaries import PrimariesStep
from nuvett.core.types import Floats, OKLab, OKLCh
from nuvett.web.views.instruments import hexes, place_of
from nuvett.web.views.sheet import Coloured, hued

_INNER, _OUTER, _HANDLES = 82.0, 96.0, 100.0  # radii on the chart: of a range where it is nothing, whole, and its edges
_DEGREES = np.arange(0, 361, 3, dtype=np.float32)
_SHOWN_CHROMA = 0.12  # at which a range is drawn
_MIN_SHOWN = 0.02


@dataclass(frozen=True)
class BandView:
    """A range on the chart: how much of each hue it takes, its centre and edges, and where its centre lands."""

    index: int
    name: str
    hex: str
    to_hex: str
    outline: str
    centre: tuple[float, float]
    before: tuple[float, float]
    after: tuple[float, float]
    start: tuple[float, float]
    landing: tuple[float, float]


@dataclass(frozen=True)
class PrimaryView:
    """A primary on the chart: the colour that stands for it, and where it is taken."""

    name: str
    hex: str
    start: tuple[float, float]
    landing: tuple[float, float]


@dataclass(frozen=True)
class CastView:
    """The shift of a zone on the chart, from the middle; its handle gives way to others."""

    zone: str
    place: tuple[float, float]
    handle: tuple[float, float]


@dataclass(frozen=True)
class RangeStart:
    """A range to begin with, and the hue that stands for it."""

    hue: Coloured
    band: dict[str, object]


def band_views(step: HueStep) -> list[BandView]:
    """The ranges of a step as they are computed."""
    ring = OKLCh(np.stack([np.full_like(_DEGREES, 0.65), np.full_like(_DEGREES, _SHOWN_CHROMA), _DEGREES], axis=1))
    colours = oklch_to_oklab(ring)
    found = []
    for index, band in enumerate(step.bands):
        weights = reached(colours, step.bands, index)
        start, landed = hue_colour(band.hue), band_landing(step.bands, index)
        found.append(
            BandView(
                index=index,
                name=hued(band.hue).name,
                hex=hexes(OKLab(start[None]))[0],
                to_hex=hexes(OKLab(landed[None]))[0],
                outline=_outline(weights),
                centre=_at(band.hue, _HANDLES),
                before=_at(band.hue - band.before, _HANDLES),
                after=_at(band.hue + band.after, _HANDLES),
                start=place_of(float(start[1]), float(start[2])),
                landing=place_of(float(landed[1]), float(landed[2])),
            )
        )
    return found


def _at(hue: float, radius: float) -> tuple[float, float]:
    angle = np.radians(hue)
    return round(float(radius * np.cos(angle)), 2), round(float(-radius * np.sin(angle)), 2)


def _outline(weights: Floats) -> str:
    """A band along the rim as thick as a range is strong, as an SVG path: one piece for each run of hues."""
    runs: list[list[int]] = []
    for place in np.flatnonzero(weights > _MIN_SHOWN):
        if runs and runs[-1][-1] == place - 1:
            runs[-1].append(int(place))
        else:
            runs.append([int(place)])
    pieces = []
    for run in runs:
        outer = [_at(float(_DEGREES[i]), _INNER + (_OUTER - _INNER) * float(weights[i])) for i in run]
        inner = [_at(float(_DEGREES[i]), _INNER) for i in reversed(run)]
        pieces.append("M" + "L".join(f"{x:.1f} {y:.1f}" for x, y in [*outer, *inner]) + "Z")
    return "".join(pieces)


def primary_views(step: PrimariesStep) -> list[PrimaryView]:
    """What stands for the three primaries, and where the step takes it."""
    found = []
    for name in PRIMARIES:
        own, landed = primary_colour(name), primary_landing(step, name)
        places = [place_of(float(c[1]), float(c[2])) for c in (own, landed)]
        found.append(PrimaryView(name, hexes(OKLab(landed[None]))[0], places[0], places[1]))
    return found


def cast_views(step: CastStep, apart: float) -> list[CastView]:
    """The shifts of a step; handles are moved aside until they are `apart`."""
    found: list[CastView] = []
    for zone, shift in zip(ZONES_OF_CAST, step.shifts, strict=True):
        x, y = place_of(*shift)
        beside = x
        while any(abs(beside - v.handle[0]) < apart and abs(y - v.handle[1]) < apart for v in found):
            beside += apart
        found.append(CastView(zone, (x, y), (beside, y)))
    return found


def family_views(families: Sequence[HueBand]) -> list[RangeStart]:
    """Ranges to begin with."""
    return [RangeStart(hued(band.hue), band.model_dump(mode="json")) for band in families]
