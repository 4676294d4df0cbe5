"""What is shown of a frame beside its picture."""

from nuvett.core.drift.drift import Drift, Yardstick, form_of, measure_drift
from nuvett.core.measure.statistics import quantiles_of, thin
from nuvett.core.planning.richer import richer_than
from nuvett.core.planning.warnings import Note
from nuvett.core.reading.column import lightness_marks
from nuvett.core.reading.palette import FINE, Palette, find_palette
from nuvett.core.types import Document, OKLab, StoredArray

SUMMARY = 1
"""The version of what is said of a frame: raised whenever the same colours are told otherwise."""
_PALETTE_COLOURS, _PALETTE_SIZE = 512, 6


class Summary(Document):
    """What is shown of a frame beside its picture.

    drift : from the target, none without one
    richer : what in it is richer than anything in the target; none for a frame as it came
    palette : a few colours with their shares
    tone : (65,) quantiles of its lightness; marks : (7,) CIE L* at the shares of MARKS
    cast : mean of a and b; form : (16, 16) by which frames are told apart
    """

    drift: Drift | None = None
    richer: Note | None = None
    palette: Palette
    tone: StoredArray
    marks: tuple[float, ...]
    cast: tuple[float, float]
    form: StoredArray


def palette_of(cloud: OKLab) -> Palette:
    """The few colours of OKLab colours (N, 3) that stand beside a picture."""
    return find_palette(thin(cloud, _PALETTE_COLOURS), _PALETTE_SIZE, FINE)


def summary_of(cloud: OKLab, yardstick: Yardstick | None, looked: bool) -> Summary:
    """What is shown of OKLab colours (N, 3) in colour order.

    yardstick : of the target, if any; looked : whether something was done to them
    """
    tone = quantiles_of(cloud[:, 0])
    a, b = (float(value) for value in cloud[:, 1:].mean(axis=0))
    return Summary(
        drift=measure_drift(cloud, yardstick) if yardstick else None,
        richer=richer_than(cloud, yardstick.cloud) if yardstick and looked else None,
        palette=palette_of(cloud),
        tone=tone,
        marks=tuple(lightness_marks(tone).values()),
        cast=(a, b),
        form=form_of(cloud),
    )
