"""Tints by zone: how shadow, midtone and highlight share lightness, and the tints and lightening they ask for."""

from functools import lru_cache
from typing import ClassVar

import numpy as np

from nuvett.core.fields import Empty, clipping, number
from nuvett.core.fit.colour import zone_tints
from nuvett.core.fit.parts import Part
from nuvett.core.fit.tone import TONE_GRID
from nuvett.core.measure.statistics import ZONE_LIGHTNESS
from nuvett.core.plan.fitted import TintOperation, ToneOperation
from nuvett.core.smooth import smooth_step
from nuvett.core.spaces.cielab import lightness_of_oklab
from nuvett.core.steps.step import MAX, Ask, Instrument, Step, part
from nuvett.core.types import Floats

ZONES = ("shadow", "midtone", "highlight")
_FADES = 0.08  # OKLab lightness from black and from white over which a zone's lightening fades


def _hue(label: str) -> float | None:
    found: float | None = number(None, 0, 360, label, "°", 1, Empty("the target’s", 60))
    return found


class ZoneStep(Step):
    """Zone tints toward the target's, by lightness; crossover is CIE L*, width in L* over which zones blend.

    shadow, midtone, highlight : percent of the tint that each zone takes
    whites : percent of the tint that white takes; greys below it more, dark ones all
    shadow_hue and the like : hue chosen for the zone, none for the target's
    shadow_chroma and the like : how strong a chosen tint is
    shadow_lightness and the like : how much lighter the zone becomes, in L*
    """

    name: ClassVar[str] = "zones"
    title: ClassVar[str] = "Zone tints"
    fitted: ClassVar[bool] = True
    instrument: ClassVar[Instrument | None] = "chart"
    amount: float = number(55, 0, 150, "Zone tints", full=100)
    part: Part = part()
    shadow: float = number(100, 0, 150, "Shadow tint")
    midtone: float = number(100, 0, 150, "Midtone tint")
    highlight: float = number(100, 0, 150, "Highlight tint")
    whites: float = number(20, 0, 100, "Whites take of the tint")
    shadow_hue: float | None = _hue("Shadow hue")
    midtone_hue: float | None = _hue("Midtone hue")
    highlight_hue: float | None = _hue("Highlight hue")
    shadow_chroma: float = number(4, 0, 20, "Shadow chroma", "", 0.2)
    midtone_chroma: float = number(2, 0, 20, "Midtone chroma", "", 0.2)
    highlight_chroma: float = number(4, 0, 20, "Highlight chroma", "", 0.2)
    shadow_lightness: float = clipping(number(0, -20, 20, "Shadow lightness", "L*", 0.5))
    midtone_lightness: float = number(0, -20, 20, "Midtone lightness", "L*", 0.5)
    highlight_lightness: float = clipping(number(0, -20, 20, "Highlight lightness", "L*", 0.5))
    crossover: float = number(50, 10, 90, "Crossover", "L*")
    width: float = number(40, 5, 100, "Crossover width", "L*")

    @property
    def _does_nothing(self) -> bool:
        return self.amount == 0

    @property
    def needs_target(self) -> bool:
        return not any(_chosen(self, zone) is not None or getattr(self, f"{zone}_lightness") for zone in ZONES)

    @property
    def sentence(self) -> str:
        return "go {amount} of the way to the target’s, whites {whites} of that"

    @property
    def more(self) -> tuple[str, ...]:
        zones = (
            f"{zone.capitalize()}s take {{{zone}}} of the tint: hue {{{zone}_hue}}"
            + (f", chroma {{{zone}_chroma}}" if getattr(self, f"{zone}_hue") is not None else "")
            + f", lighter by {{{zone}_lightness}}"
            for zone in ZONES
        )
        return (*zones, "Shadows end and highlights begin at {crossover}, blended over {width}", "Acts on {part}")

    def resolve(self, ask: Ask) -> tuple[TintOperation | ToneOperation, ...]:
        found: list[TintOperation | ToneOperation] = []
        own, there = zone_tints(ask.frame, ask.aim.statistics, ask.tone, self.crossover)
        if self.part != "tone":
            amounts = np.minimum(zone_amounts(self) * np.float32(ask.colour), np.float32(MAX))
            after = own + (asked_tints(self, there) - own) * amounts[:, None]
            aims = zone_aims(self, there, np.asarray(ask.frame.zone_share))
            found.append(TintOperation(before=own, after=after, aims=aims))
        if self.part != "colour" and any(getattr(self, f"{zone}_lightness") for zone in ZONES):
            found.append(ToneOperation(curve=lightening(self)))
        return tuple(found)


def lightening(step: ZoneStep) -> Floats:
    """Curve (129,) of the zones' own lightening, at the step's amount, rising and ending where it began."""
    lighter = np.array([getattr(step, f"{zone}_lightness") for zone in ZONES]) / 116
    shift = np.interp(TONE_GRID, ZONE_LIGHTNESS, lighter @ zone_shares(step))
    shift *= np.clip(np.minimum(TONE_GRID, 1 - TONE_GRID) / _FADES, 0, 1)
    curve = np.clip(TONE_GRID + shift * step.amount / 100, 0, 1)
    return np.asarray(np.maximum.accumulate(curve), dtype=np.float32)


def zone_shares(step: ZoneStep) -> Floats:
    """(3, 17) shares of shadow, midtone and highlight in each zone, summing to 1, that cross over smoothly.

    Shadow and highlight part at the crossover; the midtone is where both have faded, within the width.
    """
    return _shares_about(step.crossover, step.width / 2)


@lru_cache(maxsize=64)
def _shares_about(crossover: float, half: float) -> Floats:
    lightness = lightness_of_oklab(ZONE_LIGHTNESS)
    shadow = smooth_step((crossover - lightness) / half)
    highlight = smooth_step((lightness - crossover) / half)
    shares = np.stack([shadow, 1 - shadow - highlight, highlight]).astype(np.float32)
    shares.setflags(write=False)
    return shares


def zone_amounts(step: ZoneStep) -> Floats:
    """(17,) amount 0 to 1.5 by zone."""
    percents = np.array([getattr(step, zone) for zone in ZONES], dtype=np.float32)
    return np.asarray(np.minimum(percents @ zone_shares(step) * np.float32(step.amount / 1e4), MAX), dtype=np.float32)


def asked_tints(step: ZoneStep, found: Floats) -> Floats:
    """Tints (17, 2) that zones go to: the target's (17, 2), or a chosen hue and chroma where a zone has one."""
    out = np.zeros_like(found)
    for zone, share in zip(ZONES, zone_shares(step), strict=True):
        chosen = _chosen(step, zone)
        out += share[:, None] * (found if chosen is None else chosen)
    return np.asarray(out, dtype=np.float32)


def zone_aims(step: ZoneStep, found: Floats, evidence: Floats) -> tuple[tuple[float, float], ...]:
    """What shadow, midtone and highlight each aim at, a and b: the tint chosen for it, or else the target's.

    found : (17, 2) the target's tints where they land; evidence : (17,) share of the frame's pixels in each zone
    """
    aims = []
    for zone, share in zip(ZONES, zone_shares(step), strict=True):
        chosen = _chosen(step, zone)
        weight = share * (evidence + np.float32(1e-3))
        tint = weight @ found / max(float(weight.sum()), 1e-9) if chosen is None else chosen
        aims.append((float(tint[0]), float(tint[1])))
    return tuple(aims)


def _chosen(step: ZoneStep, zone: str) -> Floats | None:
    hue, chroma = getattr(step, f"{zone}_hue"), getattr(step, f"{zone}_chroma") / 100
    if hue is None:
        return None
    return np.asarray([chroma * np.cos(np.radians(hue)), chroma * np.sin(np.radians(hue))], dtype=np.float32)
