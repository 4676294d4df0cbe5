"""The look that a series begins with, by the target it aims at."""

import numpy as np

from nuvett.core.look.look import Look
from nuvett.core.measure.statistics import PROBABILITIES
from nuvett.core.reading.reading import Target
from nuvett.core.steps.mono import MonoStep

_COLOURLESS = 0.02  # OKLab chroma below which nearly all of a still without colour lies
_MOST = 0.95
WITHOUT_COLOUR = "Black-and-white, because the reference has no colour"


def is_monochrome(target: Target) -> bool:
    """Whether a target has no colour to speak of."""
    probabilities, chroma = PROBABILITIES, target.statistics.chroma
    return float(np.interp(_MOST, probabilities, chroma)) < _COLOURLESS


def usual_look(target: Target | None) -> Look:
    """The usual look; for a target without colour it is black-and-white, toned like the target."""
    if target is None or not is_monochrome(target):
        return Look()
    return Look.of(MonoStep(on=True, toned=100))
