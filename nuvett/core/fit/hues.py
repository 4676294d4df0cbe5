"""Hue ranges: colours of a range of hues turned, made richer or lighter, and held below a chroma.

A range is whole about its centre and fades over its softness, half inside its edge and half beyond, by a step that
adds up to 1 with that of a neighbour. What all ranges do at a hue is tabled, and blurred along hue by how little a hue
says at a chroma: the noise of a pale sky then moves nothing by itself, and greys have no hue at all.
"""

from collections.abc import Sequence
from functools import lru_cache

import numpy as np

from nuvett.core import lanes
from nuvett.core.fields import Empty, number
from nuvett.core.quick import joined, planes_of
from nuvett.core.smooth import smooth_step
from nuvett.core.types import Document, Floats, OKLab

MAX_BANDS = 12
_HUES = 720  # of the tables: half degrees
_CHROMAS = np.array([0.0, 0.008, 0.015, 0.025, 0.04, 0.06, 0.09, 0.14, 0.22, 0.4], dtype=np.float32)
_UNSURE = 0.01  # OKLab a and b by which the colours of a JPEG are unsure
_GREY_TURNS, _GREY_LIGHTENS = 0.018, 0.07  # chroma about which a colour comes to have a hue; lightness is seen sooner
_STEEPEST_STEP = 1.5  # of `smooth_step`
_MIN_RISE = 0.08  # by which hue rises at least where it rises by 1: two hues never become one
_BLURS = 1.25  # by which a blur grows that is not enough


class HueBand(Document):
    """A range of hues and what is done to it.

    hue : its centre, OKLCh hue in degrees; before, after : its reach to smaller and larger hues
    soft : degrees over which it fades at either edge; turn : degrees; chroma : percent added
    lightness : L* added; most : OKLCh chroma times 100 that it may have at most, none for any
    """

    on: bool = True
    hue: float = number(30, 0, 360, "Centre of the range", "°")
    before: float = number(25, 0, 180, "Reach to smaller hues", "°")
    after: float = number(25, 0, 180, "Reach to larger hues", "°")
    soft: float = number(25, 10, 120, "Softness of the range", "°")
    turn: float = number(0, -60, 60, "Hue turned by", "°")
    chroma: float = number(0, -100, 150, "Chroma added")
    lightness: float = number(0, -40, 40, "Lightness added", "L*", 0.5)
    most: float | None = number(None, 1, 40, "Chroma at most", "", 0.5, Empty("as it is", 15))

    @property
    def is_idle(self) -> bool:
        """Whether it does nothing."""
        return not self.on or not (self.turn or self.chroma or self.lightness or self.most is not None)


Bands = Sequence[HueBand]


def ranged(lab: OKLab, bands: Bands) -> OKLab:
    """OKLab colours (N, 3) with ranges of their hues changed. Greys stay, and hues keep their order."""
    acting = tuple(band for band in bands if not band.is_idle)
    if not acting:
        return lab
    return OKLab(lanes.ranged(planes_of(lab), _numbers(acting)).T)


@lru_cache(maxsize=64)
def _numbers(bands: tuple[HueBand, ...]) -> Floats:
    """What ranges do, as `lanes` takes it."""
    ceilings = [(place, band.most / 100) for place, band in enumerate(bands) if band.most is not None]
    sure = [-np.log2(np.e) / grey**2 for grey in (_GREY_TURNS, _GREY_LIGHTENS)]
    shares = _blurred(bands) if ceilings else np.empty(0)
    held = [part for place, most in ceilings for part in ([most], shares[..., place])]
    tables = np.moveaxis(_changes(bands), 2, 0)
    return joined([_HUES, len(_CHROMAS), *sure, len(ceilings)], _CHROMAS, tables, *held)


def reached(lab: OKLab, bands: Bands, index: int) -> Floats:
    """How far colours (N, 3) belong to one of several ranges, 0 to 1: by their hue, and whether they have one."""
    chroma = np.hypot(lab[:, 1], lab[:, 2])
    weights = _blurred(tuple(bands))
    has_hue = 1 - np.exp(-((chroma / np.float32(_GREY_TURNS)) ** 2))
    return np.asarray(_looked_up(weights, lab, chroma)[:, index] * has_hue, dtype=np.float32)


def _looked_up(tables: Floats, lab: OKLab, chroma: Floats) -> Floats:
    """Values (N, K) of tables (chromas, hues, K) at the hues of colours (N, 3), bilinear and periodic."""
    hue = np.arctan2(lab[:, 2], lab[:, 1]) * np.float32(_HUES / (2 * np.pi)) % np.float32(_HUES)
    column = np.minimum(hue.astype(np.intp), _HUES - 1)
    along = (hue - column)[:, None]
    level = np.interp(chroma, _CHROMAS, np.arange(len(_CHROMAS), dtype=np.float32)).astype(np.float32)
    row = np.minimum(level.astype(np.intp), len(_CHROMAS) - 2)
    up = (level - row)[:, None]
    beyond = (column + 1) % _HUES
    low = tables[row, column] + along * (tables[row, beyond] - tables[row, column])
    high = tables[row + 1, column] + along * (tables[row + 1, beyond] - tables[row + 1, column])
    return np.asarray(low + up * (high - low), dtype=np.float32)


@lru_cache(maxsize=64)
def _changes(bands: tuple[HueBand, ...]) -> Floats:
    """What ranges do by chroma and hue (chromas, hues, 3): turn in radians, share of chroma, OKLab lightness."""
    values = np.array([(np.radians(b.turn), b.chroma / 100, b.lightness / 116) for b in bands], dtype=np.float32)
    changes = _weights(bands) @ values
    return np.stack([_blur(changes, max(width, _needed(changes[:, 0]))) for width in _widths()])


@lru_cache(maxsize=64)
def _blurred(bands: tuple[HueBand, ...]) -> Floats:
    """Shares of ranges by chroma and hue (chromas, hues, bands)."""
    weights = _weights(bands)
    return np.stack([_blur(weights, width) for width in _widths()])


def _weights(bands: tuple[HueBand, ...]) -> Floats:
    """Shares (hues, bands) that ranges have of each hue; where they add up to more than 1 they share it."""
    found = np.stack([_weight(band) for band in bands], axis=1)
    return np.asarray(found / np.maximum(found.sum(axis=1, keepdims=True), 1), dtype=np.float32)


def _weight(band: HueBand) -> Floats:
    """Weight (hues,) of a range. One that turns far fades as slowly as hues need to keep their order."""
    away = (np.arange(_HUES, dtype=np.float32) * np.float32(360 / _HUES) - np.float32(band.hue) + 180) % 360 - 180
    reach = np.where(away < 0, np.float32(band.before), np.float32(band.after))
    soft = max(band.soft, _STEEPEST_STEP * abs(band.turn) / (1 - _MIN_RISE))
    begins = np.maximum(reach - np.float32(soft / 2), 0)
    # At the far side of the wheel both ends meet: neither may stop there above nothing.
    begins = np.minimum(begins, np.float32(max(180 - soft, 0)))
    return np.asarray(1 - smooth_step((np.abs(away) - begins) / np.float32(soft)), dtype=np.float32)


def _widths() -> list[float]:
    """Blur along hue at each chroma, one standard deviation in degrees; the mean of all hues at none."""
    return [float(np.degrees(np.arctan2(_UNSURE, c))) if c else np.inf for c in _CHROMAS]


def _needed(turn: Floats) -> float:
    """Least blur in degrees with which hues keep their order under turns (hues,) in radians; 0 where they do."""
    width = 0.0
    while _least_rise(_blur(turn[:, None], width)[:, 0]) < _MIN_RISE - 1e-3:
        width = max(1.0, width * _BLURS)
    return width


def _least_rise(turn: Floats) -> float:
    return float(1 + np.diff(turn, append=turn[:1]).min() * _HUES / (2 * np.pi))


def _blur(values: Floats, width: float) -> Floats:
    """Values (hues, K) blurred around the wheel by a Gaussian, in degrees."""
    if width == 0:
        return values
    waves = np.arange(_HUES // 2 + 1)
    spread = np.exp(-0.5 * (waves * np.radians(min(width, 1e4))) ** 2)
    return np.asarray(np.fft.irfft(np.fft.rfft(values, axis=0) * spread[:, None], n=_HUES, axis=0), dtype=np.float32)
