"""The look that a series begins with, by the target it aims at."""

import numpy as np

from nuvett.core.look.look import Look
from nuvett.core.measure.statistics import PROBABILITIES, interpolate_zones
from nuvett.core.reading.reading import Target
from nuvett.core.steps.mono import MonoStep

_COLOURLESS = 0.015  # OKLab chroma about its own tint within which nearly all of a still without colour lies
_MAX = 0.95
WITHOUT_COLOUR = "Black-and-white, because the reference has no colour"


def is_monochrome(target: Target) -> bool:
    """Whether a target has no colour but a tone: its colours lie about one tint at each lightness.

    A sepia or a cyanotype has chroma everywhere, and is without colour all the same.
    """
    cloud = np.asarray(target.statistics.cloud)
    if not len(cloud):
        return float(np.interp(_MAX, PROBABILITIES, target.statistics.chroma)) < _COLOURLESS
    about = cloud[:, 1:] - interpolate_zones(np.asarray(target.statistics.zone_tint), cloud[:, 0])
    return float(np.quantile(np.hypot(about[:, 0], about[:, 1]), _MAX)) < _COLOURLESS


def usual_look(target: Target | None) -> Look:
    """The usual look; for a target without colour it is black-and-white, toned like the target."""
    if target is None or not is_monochrome(target):
        return Look()
    return Look.of(MonoStep(on=True, toned=100))
