"""Chroma scaled evenly, by how low it is, and below a ceiling; hue and lightness are kept."""

import numpy as np

from nuvett.core import lanes
from nuvett.core.quick import joined, planes_of
from nuvett.core.types import OKLab

_QUIET = 0.12  # chroma about which vibrance fades


def saturated(lab: OKLab, saturation: float, vibrance: float, most: float | None) -> OKLab:
    """OKLab colours (N, 3) whose chroma C is scaled by 1 + saturation, and by 1 + vibrance * exp(-(C / 0.12)^2).

    most : OKLCh chroma that is neared and never passed, none for any: untouched to 3/4 of it, the rest bent, slope 1
        there
    """
    how = [1 + saturation, vibrance, -np.log2(np.e) / _QUIET**2, most or 0]
    return OKLab(lanes.saturated(planes_of(lab), joined(how)).T)
