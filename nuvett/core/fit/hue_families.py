"""Families of hues in a picture: ranges to begin with, made from the colours that are there."""

import numpy as np

from nuvett.core.fit.hues import HueBand
from nuvett.core.types import Floats, OKLab

MAX_FAMILIES = 7
_BINS, _BLUR = 72, 2.0  # of the wheel, and bins of the blur: noise and JPEG blocks make no family of their own
_MIN_CHROMA = 0.02  # OKLab, beyond which a colour counts for its hue
_MIN_SHARE, _MIN_PEAK = 0.002, 0.02  # of the picture that is of a hue, and of its highest peak
_DIP = 0.8  # of the lower of two peaks, down to which it goes between them, or they are one
_MIN_REACH, _MAX_REACH, _SOFT = 12.0, 40.0, (12.0, 30.0)  # degrees


def hue_families(lab: OKLab) -> tuple[HueBand, ...]:
    """Ranges about the hues of colours (N, 3), by rising hue: each reaches to where the next begins, and meets it.

    Hues are counted by the chroma that is beyond grey, so that a small vivid thing makes a family and a large pale
    wall no more than that. Greys have none.
    """
    counted = _counted(lab)
    peaks = _peaks(counted)
    return tuple(_range(counted, peaks, place) for place in range(len(peaks)))


def _counted(lab: OKLab) -> Floats:
    """How much there is of each bin of hues (_BINS,), blurred around the wheel; none where too few colours have any."""
    chroma = np.hypot(lab[:, 1], lab[:, 2])
    hued = chroma > _MIN_CHROMA
    if hued.mean() < _MIN_SHARE:
        return np.zeros(_BINS, dtype=np.float32)
    place = (np.arctan2(lab[hued, 2], lab[hued, 1]) * (_BINS / (2 * np.pi)) % _BINS).astype(np.intp) % _BINS
    counted = np.bincount(place, weights=chroma[hued] - _MIN_CHROMA, minlength=_BINS) / len(lab)
    waves = np.exp(-0.5 * (np.arange(_BINS // 2 + 1) * (2 * np.pi * _BLUR / _BINS)) ** 2)
    return np.asarray(np.maximum(np.fft.irfft(np.fft.rfft(counted) * waves, n=_BINS), 0), dtype=np.float32)


def _peaks(counted: Floats) -> list[int]:
    """Bins of the hues that stand out, by rising hue."""
    higher = (counted > np.roll(counted, 1)) & (counted >= np.roll(counted, -1))
    found = [int(p) for p in np.flatnonzero(higher & (counted > _MIN_PEAK * counted.max()))]
    while len(found) > 1:
        dips = [_between(counted, a, b).min() / min(counted[a], counted[b]) for a, b in _neighbours(found)]
        shallow = int(np.argmax(dips))
        if dips[shallow] < _DIP and len(found) <= MAX_FAMILIES:
            break
        lower = min(list(_neighbours(found))[shallow], key=lambda place: counted[place])
        found.remove(lower)
    return found


def _neighbours(peaks: list[int]) -> list[tuple[int, int]]:
    return list(zip(peaks, [*peaks[1:], peaks[0]], strict=True))


def _between(counted: Floats, first: int, second: int) -> Floats:
    """Counts from one bin on to another around the wheel."""
    return counted[(first + np.arange((second - first) % _BINS + 1)) % _BINS]


def _range(counted: Floats, peaks: list[int], place: int) -> HueBand:
    width, peak = 360 / _BINS, peaks[place]
    before = after = _MAX_REACH
    if len(peaks) > 1:
        following, last = peaks[(place + 1) % len(peaks)], peaks[place - 1]
        after = width * float(np.argmin(_between(counted, peak, following)))
        gap = _between(counted, last, peak)
        before = width * float(len(gap) - 1 - np.argmin(gap))
    before, after = (min(_MAX_REACH, max(_MIN_REACH, reach)) for reach in (before, after))
    soft = min(_SOFT[1], max(_SOFT[0], min(before, after)))
    return HueBand(hue=round((peak + 0.5) * width, 1), before=round(before), after=round(after), soft=round(soft))
