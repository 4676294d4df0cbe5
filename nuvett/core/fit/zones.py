"""Zones of a look: how shadow, midtone and highlight share lightness, and the tints and lightening they ask for."""

import numpy as np

from nuvett.core.fit.statistics import ZONE_LIGHTNESS
from nuvett.core.look.steps import ZoneStep
from nuvett.core.smooth import smooth_step
from nuvett.core.spaces.cielab import lightness_of_oklab
from nuvett.core.types import Floats

ZONES = ("shadow", "midtone", "highlight")


def zone_shares(step: ZoneStep) -> Floats:
    """(3, 17) shares of shadow, midtone and highlight in each zone, summing to 1, that cross over smoothly.

    Shadow and highlight part at the crossover; the midtone is where both have faded, within the width.
    """
    lightness = lightness_of_oklab(ZONE_LIGHTNESS)
    half = step.width / 2
    shadow = smooth_step((step.crossover - lightness) / half)
    highlight = smooth_step((lightness - step.crossover) / half)
    return np.stack([shadow, 1 - shadow - highlight, highlight]).astype(np.float32)


def zone_amounts(step: ZoneStep) -> Floats:
    """(17,) amount 0 to 1.5 by zone."""
    percents = np.array([getattr(step, zone) for zone in ZONES], dtype=np.float32)
    return np.asarray(percents @ zone_shares(step) * np.float32(step.amount / 1e4), dtype=np.float32)


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


def lightened(step: ZoneStep, curve: Floats) -> Floats:
    """A tone curve (129,) with the zones' own lightening in it, kept rising and ending where it did."""
    lighter = np.array([getattr(step, f"{zone}_lightness") for zone in ZONES]) / 116
    if not step.on or step.part == "colour" or not lighter.any():
        return curve
    by_zone = lighter @ zone_shares(step)
    shift = np.interp(curve, ZONE_LIGHTNESS, by_zone) * np.clip(np.minimum(curve, 1 - curve) / 0.08, 0, 1)
    return np.asarray(np.maximum.accumulate(np.clip(curve + shift * step.amount / 100, 0, 1)), dtype=np.float32)


def _chosen(step: ZoneStep, zone: str) -> Floats | None:
    hue, chroma = getattr(step, f"{zone}_hue"), getattr(step, f"{zone}_chroma") / 100
    if hue is None:
        return None
    return np.asarray([chroma * np.cos(np.radians(hue)), chroma * np.sin(np.radians(hue))], dtype=np.float32)
