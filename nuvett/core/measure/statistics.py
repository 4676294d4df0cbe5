"""What is measured of a cloud of colours: tone, zones, spread, chroma, and the cloud itself.

References, frames and targets are all described by the same `Statistics`, so that any can be compared with or
carried to any other.
"""

from typing import Literal, TypeVar, cast

import cv2
import numpy as np

from nuvett.core.errors import TooFewPixelsError
from nuvett.core.tabled import along
from nuvett.core.types import Document, Floats, OKLab, Quantiles, StoredArray

MINIMUM_PIXELS = 300
CLOUD_SIZE = 2048
ZONE_COUNT = 17
QUANTILE_COUNT = 65

# Chebyshev spacing: dense at the ends, where black and white points are read, even in the middle.
PROBABILITIES: Quantiles = ((1 - np.cos(np.linspace(0, np.pi, QUANTILE_COUNT))) / 2).astype(np.float32)
ZONE_LIGHTNESS: Floats = np.linspace(0, 1, ZONE_COUNT, dtype=np.float32)

_NARROW, _BROAD = 0.045, 0.16  # widths of the zone kernels, in OKLab lightness
_CAST = 0.05  # width about a zone's mode within which colours make up its cast
_STRONG = 0.08  # chroma above which a colour is more likely a thing's own than a cast
_SHIFTS, _MODE_COLOURS = 12, 2048
_KERNEL_EDGE = 0.6  # of a zone's kernel: the middle that its median is taken of
_ALL_COUNT = 1e-3  # weight that colours far from the mode keep
_PRIOR = 0.02  # share of pixels that a zone needs before its own mean outweighs its neighbours'


class Statistics(Document):
    """Description of a colour cloud; all colours OKLab.

    lightness : (65,) quantiles of L at PROBABILITIES
    chroma : (65,) quantiles of chroma at PROBABILITIES
    zone_tint : (17, 2) mean a, b at ZONE_LIGHTNESS, shrunk where a zone has few pixels
    zone_share : (17,) evidence: share of pixels near each zone
    zone_spread : (17, 3) covariance aa, ab, bb about the zone means
    cloud : (N, 3) equally weighted sample, N at most CLOUD_SIZE
    """

    schema_version: Literal[1] = 1
    lightness: StoredArray
    chroma: StoredArray
    zone_tint: StoredArray
    zone_share: StoredArray
    zone_spread: StoredArray
    cloud: StoredArray


Points = TypeVar("Points", bound=Floats)


def quantiles_of(values: Floats) -> Quantiles:
    """(65,) quantiles of equally weighted values (N,) at PROBABILITIES."""
    ordered = np.sort(values)
    position = (np.arange(len(ordered)) + 0.5) / len(ordered)
    return np.interp(PROBABILITIES, position, ordered).astype(np.float32)


def _kernel(lightness: Floats, width: float) -> Floats:
    """(17, N) Gaussian weights of pixels (N,) for each zone."""
    distance = (ZONE_LIGHTNESS[:, None] - lightness[None, :]) / np.float32(width)
    return np.exp(-0.5 * distance * distance)


def _shrunk(narrow: Floats, values: Floats, broad: Floats) -> Floats:
    """Weighted means of values (N, C) by zone, each borrowing from its neighbours by evidence: (17, C)."""
    count = len(values)
    n_narrow = narrow.sum(axis=1, keepdims=True) / count
    n_broad = broad.sum(axis=1, keepdims=True) / count
    overall = values.mean(axis=0, keepdims=True)
    around = (broad @ values / count + _PRIOR * overall) / (n_broad + _PRIOR)
    return np.asarray((narrow @ values / count + _PRIOR * around) / (n_narrow + _PRIOR), dtype=np.float32)


def _near_mode(lightness: Floats, ab: Floats, narrow: Floats) -> Floats:
    """(17, N) how near colours (N,), a and b (N, 2), lie to the most frequent colour of each zone.

    A zone's cast is what most of its surfaces share, so it is its mode and not its mean, which a large coloured thing
    would carry away. The mode is found by mean shift (Comaniciu and Meer 2002) from half-way to the median, weak
    colours counting more, because casts are weak.
    """
    step = max(1, len(ab) // _MODE_COLOURS)
    few, kernel = ab[::step], narrow[:, ::step]
    calm = 1 / (1 + (few**2).sum(axis=1) / _STRONG**2)
    mode = np.zeros((ZONE_COUNT, 2), dtype=np.float32)
    for zone, near in enumerate(kernel > _KERNEL_EDGE):
        if near.any():
            mode[zone] = np.median(few[near], axis=0) / 2
    weight = kernel * calm
    for _ in range(_SHIFTS):
        pull = weight * _about(few, mode, 1.2 * _CAST) + 1e-12
        mode = np.asarray(pull @ few / pull.sum(axis=1, keepdims=True), dtype=np.float32)
    return _about(ab, mode, _CAST) + np.float32(_ALL_COUNT)


def _about(ab: Floats, centre: Floats, width: float) -> Floats:
    """(17, N) Gaussian weights of chromaticities (N, 2) about one centre a zone (17, 2)."""
    squares = (ab**2).sum(axis=1)[None] - 2 * centre @ ab.T + (centre**2).sum(axis=1)[:, None]
    return np.asarray(cv2.exp(squares * np.float32(-0.5 / width**2)), dtype=np.float32)


def measure_zones(lab: OKLab) -> tuple[Floats, Floats, Floats]:
    """Zone tints (17, 2), evidence (17,) and spread (17, 3) of equally weighted OKLab colours (N, 3)."""
    lightness, ab = lab[:, 0], np.ascontiguousarray(lab[:, 1:])
    narrow, broad = _kernel(lightness, _NARROW), _kernel(lightness, _BROAD)
    near = _near_mode(lightness, ab, narrow)
    tint = _shrunk(narrow * near, ab, broad * near)
    residual = ab - interpolate_zones(tint, lightness)
    products = np.stack([residual[:, 0] ** 2, residual[:, 0] * residual[:, 1], residual[:, 1] ** 2], axis=1)
    spread = _shrunk(broad, products, np.ones_like(broad))
    return tint, np.asarray(narrow.mean(axis=1), dtype=np.float32), spread


def interpolate_zones(values: Floats, lightness: Floats) -> Floats:
    """Zone values (17, C) at lightness (N,): (N, C), piecewise linear between zone centres."""
    rows = np.ascontiguousarray(values, dtype=np.float32)
    return along(rows, np.asarray(lightness, dtype=np.float32)).T


def thin(points: Points, count: int) -> Points:
    """Every k-th of ordered points (N, C) so that at most `count` remain; keeps the order's stratification."""
    if len(points) <= count:
        return points
    index = ((np.arange(count) + 0.5) * len(points) / count).astype(np.int64)
    return cast(Points, points[index])


def measure(lab: OKLab) -> Statistics:
    """Statistics of equally weighted OKLab colours (N, 3), ordered as `stratified_sample` orders them.

    Raises TooFewPixelsError below MINIMUM_PIXELS colours.
    """
    if len(lab) < MINIMUM_PIXELS:
        raise TooFewPixelsError
    tint, share, spread = measure_zones(lab)
    return Statistics(
        lightness=quantiles_of(lab[:, 0]),
        chroma=quantiles_of(np.hypot(lab[:, 1], lab[:, 2])),
        zone_tint=tint,
        zone_share=share,
        zone_spread=spread,
        cloud=thin(lab, CLOUD_SIZE),
    )
