"""View models of the instruments: geometry in plain numbers, drawn by the templates as SVG."""

from dataclasses import dataclass
from math import cos, radians, sin
from typing import Any

import numpy as np

from nuvett.core.measure.statistics import PROBABILITIES, Statistics, thin
from nuvett.core.planning.pairing import Paired
from nuvett.core.reading.column import tone_column
from nuvett.core.reading.palette import Palette, PaletteColour
from nuvett.core.spaces.cielab import lightness_of_oklab, neutral_oklab
from nuvett.core.spaces.gamut import map_to_gamut
from nuvett.core.spaces.names import colour_name
from nuvett.core.spaces.oklab import oklab_to_linear, oklab_to_oklch
from nuvett.core.spaces.rgb import from_linear, to_hex
from nuvett.core.types import OKLab, Quantiles
from nuvett.services.engine.readouts import Readout
from nuvett.services.references.reference_overlays import Lit

CHART_CHROMA = 0.17  # OKLab chroma at the rim of the colour chart
_CLOUD_DOTS = 220
_GREY = 0.01  # chroma below which a hue says nothing


@dataclass(frozen=True)
class Band:
    """One colour of a palette bar: place and width in shares of the bar, 0 to 100, and its words."""

    x: float
    width: float
    hex: str
    name: str
    share: int
    dark: bool
    unmatched: bool = False


def palette_bands(palette: Palette, unmatched: tuple[bool, ...] = ()) -> list[Band]:
    """Bands of a palette, dark to light, filling 0 to 100; those that the other side has nowhere are marked."""
    total = sum(c.share for c in palette) or 1.0
    bands, x = [], 0.0
    for colour, alone in zip(palette, unmatched or [False] * len(palette), strict=True):
        width = 100 * colour.share / total
        bands.append(Band(x, width, colour.hex, colour.name, round(width), colour.lightness < 0.6, alone))
        x += width
    return bands


@dataclass(frozen=True)
class ToneSide:
    """One side of a tone column: an outline (width 0 to 1, y = 100 - L*) and marks (share, L*)."""

    outline: list[tuple[float, float]]
    marks: list[tuple[float, float]]


def tone_side(quantiles: Quantiles) -> ToneSide:
    """Outline and marks (share, L*) of a lightness distribution, from its quantiles (65,)."""
    column = tone_column(quantiles)
    pairs = [
        (round(float(width), 4), round(100 - float(lightness), 2))
        for width, lightness in zip(column.width, column.lightness, strict=True)
    ]
    return ToneSide([(0.0, 100.0), *pairs, (0.0, 0.0)], list(column.marks.items()))


@dataclass(frozen=True)
class Dot:
    """One colour on the chart: place in -100 to 100 (right is hue 0°, up is 90°), radius, colour and words."""

    x: float
    y: float
    r: float
    hex: str
    name: str


def place_of(a: float, b: float) -> tuple[float, float]:
    """Place of OKLab a, b on the colour chart, held at its rim."""
    chroma = float(np.hypot(a, b))
    scale = 100 / CHART_CHROMA * min(1.0, CHART_CHROMA / max(chroma, 1e-9))
    return round(a * scale, 2), round(-b * scale, 2)


def chart_palette(palette: Palette) -> list[Dot]:
    """Palette colours on the colour chart, by share; larger ones first so that small ones stay visible."""
    dots = [_palette_dot(colour) for colour in palette]
    return sorted(dots, key=lambda d: -d.r)


def _palette_dot(colour: PaletteColour) -> Dot:
    x, y = place_of(colour.a, colour.b)
    return Dot(x, y, round(4 + 12 * colour.share**0.5, 1), colour.hex, colour.name)


def chart_colour(lightness: float | None, x: float, y: float) -> Lit:
    """A place on an instrument as a colour: CIE L* on the tone column, else x, y on the colour chart."""
    if lightness is not None:
        return Lit(lightness=neutral_oklab(min(100.0, max(0.0, lightness))))
    return Lit(a=x * CHART_CHROMA / 100, b=-y * CHART_CHROMA / 100)


def place_on_instruments(colour: tuple[float, float, float], statistics: Statistics) -> dict[str, Any]:
    """Where an OKLab colour lies: in words, CIE L*, share of the picture that is darker, place on the chart."""
    lab = np.array(colour, dtype=np.float32)
    x, y = place_of(colour[1], colour[2])
    lightness, chroma, hue = (float(v) for v in oklab_to_oklch(OKLab(lab)))
    below = float(np.interp(lightness, statistics.lightness, PROBABILITIES))
    return {
        "name": colour_name(OKLab(lab)),
        "hex": hexes(OKLab(lab[None]))[0],
        "lch": [round(100 * lightness, 1), round(100 * chroma, 1), round(hue)],
        "lightness": round(float(lightness_of_oklab(np.array([lightness], np.float32))[0]), 1),
        "below": round(100 * below),
        "x": x,
        "y": y,
    }


def readout_view(readout: Readout) -> dict[str, Any]:
    """A readout as the viewer shows it: words, swatch and figures of each colour."""

    def said(colour: tuple[float, float, float]) -> dict[str, Any]:
        lab = OKLab(np.array(colour, dtype=np.float32))
        lightness, chroma, hue = (float(v) for v in oklab_to_oklch(lab))
        bright = float(lightness_of_oklab(np.array([lightness], np.float32))[0])
        coloured = f", chroma {100 * chroma:.0f}, hue {hue:.0f}°" if chroma >= _GREY else ""
        words = {"name": colour_name(lab), "hex": hexes(OKLab(lab[None]))[0]}
        return words | {"lightness": f"L* {bright:.0f}", "figures": f"L* {bright:.0f}{coloured}"}

    found = {"came": said(readout.came), "now": said(readout.now), "near": None}
    if readout.near is not None:
        found["near"] = said(readout.near) | {"apart": f"{readout.apart:.0f} ΔE away"}
    return found


def hexes(lab: OKLab) -> list[str]:
    """Colours (N, 3) as #rrggbb."""
    return [to_hex(row) for row in from_linear(oklab_to_linear(lab))]


def chart_cloud(cloud: OKLab) -> list[Dot]:
    """A thinned colour cloud on the chart, strongest colours last."""
    points = thin(np.asarray(cloud), _CLOUD_DOTS)
    points = points[np.argsort(np.hypot(points[:, 1], points[:, 2]))]
    return [
        Dot(*place_of(float(p[1]), float(p[2])), 2, colour, "")
        for p, colour in zip(points, hexes(OKLab(points)), strict=True)
    ]


@dataclass(frozen=True)
class HueMark:
    """A hue word at the rim of the colour chart."""

    x: float
    y: float
    word: str


HUE_MARKS = [
    HueMark(round(116 * cos(radians(hue)), 1), round(-112 * sin(radians(hue)) + 3, 1), word)
    for hue, word in (
        (0, "pink"),
        (45, "orange"),
        (100, "yellow"),
        (145, "green"),
        (195, "teal"),
        (260, "blue"),
        (310, "violet"),
    )
]


@dataclass(frozen=True)
class Ribbon:
    """A ribbon from a target colour (x, width above) to a frame colour (x, width below), in shares of the bar.

    source, target : their places in the palettes; pinned : percent of the way that a pin has it go, none without one
    """

    top: float
    top_width: float
    bottom: float
    bottom_width: float
    from_hex: str
    to_hex: str
    words: str
    source: int
    target: int
    pinned: float | None


@dataclass(frozen=True)
class PairingView:
    """Palette pairing: bands above and below, and ribbons between."""

    target: list[Band]
    frame: list[Band]
    ribbons: list[Ribbon]

    @property
    def one_sided(self) -> bool:
        """Whether a colour of either side is nowhere in the other."""
        return any(band.unmatched for band in (*self.target, *self.frame))


_MIN_RIBBON = 0.012


def pairing_view(found: Paired) -> PairingView:
    """The pairing that a plan was made by; ribbons thinner than about one percent are left out."""
    above, below = palette_bands(found.target, found.lacked), palette_bands(found.source, found.foreign)
    used_above, used_below = [b.x for b in above], [b.x for b in below]
    columns = np.maximum(found.shares.sum(axis=0), 1e-9)
    rows = np.maximum(found.shares.sum(axis=1), 1e-9)
    ribbons = []
    for i, lower in enumerate(below):
        landed = coloured_hex(found.landed[i])
        for j, upper in enumerate(above):
            share = float(found.shares[i, j])
            top, bottom = upper.width * share / float(columns[j]), lower.width * share / float(rows[i])
            if share >= _MIN_RIBBON:
                pin = found.pins[i]
                words = f"{100 * share:.0f} % of the frame: {lower.name} to {upper.name}, lands at {landed[1]}"
                if pin is not None:
                    words += f", pinned at {pin.amount:.0f} %"
                place = (used_above[j], top, used_below[i], bottom)
                ribbons.append(Ribbon(*place, lower.hex, landed[0], words, i, j, pin.amount if pin else None))
            used_above[j] += top
            used_below[i] += bottom
    return PairingView(above, below, ribbons)


def coloured_hex(lab: OKLab) -> tuple[str, str]:
    """Hex and name of an OKLab colour (3,), mapped into sRGB."""
    linear = map_to_gamut(OKLab(lab[None]))[0]
    return to_hex(from_linear(linear)), colour_name(lab)
