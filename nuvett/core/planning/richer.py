"""What in a finished frame is richer than anything in the target, and the hue range that would hold it."""

import numpy as np

from nuvett.core.fit.hues import HueBand
from nuvett.core.planning.warnings import Note
from nuvett.core.spaces.names import colour_name
from nuvett.core.spaces.oklab import oklch_to_oklab
from nuvett.core.types import Floats, OKLab, OKLCh

_RICHEST = 0.998  # quantile of a target's chroma that counts as its richest, so that single pixels do not
_BEYOND, _AT_LEAST = 1.15, 0.01  # times that and OKLab chroma more, from which it is seen beside the target
_NOTED = 0.01  # share of the frame that a finding must concern
_GREYS = 0.03  # OKLab chroma of a target below which it is as good as without colour: another matter
_BINS, _ABOUT = 72, 30.0  # of the wheel; degrees about the fullest one that one finding is about
_REACH, _SOFT = (12.0, 40.0), 20.0


def richest(target: OKLab) -> float:
    """OKLab chroma of the richest colours of a target (M, 3)."""
    return float(np.quantile(np.hypot(target[:, 1], target[:, 2]), _RICHEST))


def richer_than(frame: OKLab, target: OKLab) -> Note | None:
    """A note on the colours of a finished frame (N, 3) that are richer than all of a target (M, 3); of one hue only.

    None where there are no such, or where the target is as good as without colour.
    """
    limit = richest(target)
    beyond = beyond_of(frame, limit)
    if limit < _GREYS or beyond.mean() < _NOTED:
        return None
    hue = np.degrees(np.arctan2(frame[beyond, 2], frame[beyond, 1])) % 360
    fullest = float(np.argmax(np.bincount((hue * (_BINS / 360)).astype(np.intp) % _BINS, minlength=_BINS)))
    away = (hue - (fullest + 0.5) * 360 / _BINS + 180) % 360 - 180
    about = away[np.abs(away) < _ABOUT]
    share = len(about) / len(frame)
    if share < _NOTED:
        return None
    middle = ((fullest + 0.5) * 360 / _BINS + float(np.median(about))) % 360
    reach = float(np.clip(np.quantile(np.abs(about - np.median(about)), 0.95) + _SOFT / 2, *_REACH))
    lightness = float(np.median(frame[beyond, 0]))
    colour = oklch_to_oklab(OKLCh(np.array([lightness, limit, middle], dtype=np.float32)))
    band = HueBand(
        hue=round(middle, 1), before=round(reach), after=round(reach), soft=_SOFT, most=round(200 * limit) / 2
    )
    words = f"{100 * share:.0f} % richer than anything in the target: {colour_name(colour)}"
    place = (float(colour[0]), float(colour[1]), float(colour[2]))
    return Note(kind="richer", words=words, colour=place, band=band)


def beyond_of(frame: OKLab, limit: float) -> np.ndarray:
    """Which colours (N, 3) are plainly richer than a chroma."""
    chroma: Floats = np.hypot(frame[..., 1], frame[..., 2])
    return np.asarray(chroma > _BEYOND * limit + _AT_LEAST)


def about_colour(frame: OKLab, colour: tuple[float, float, float]) -> np.ndarray:
    """Which colours (N, 3) a note is about, by the colour that it names: richer than that, and in about its hue."""
    turned = np.degrees(np.arctan2(frame[..., 2], frame[..., 1]) - np.arctan2(colour[2], colour[1]))
    near = np.abs((turned + 180) % 360 - 180) < _ABOUT
    return np.asarray(near & beyond_of(frame, float(np.hypot(colour[1], colour[2]))))
