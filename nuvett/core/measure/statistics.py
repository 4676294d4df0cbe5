"""What is measured of a cloud of colours: tone, zones, spread, chroma, and the cloud itself.

References, frames and targets are all described by the same `Statistics`, so that any can be compared with or
carried to any other.
"""

from typing import Literal, TypeVar, cast

import numpy as np
from numpy.typing import NDArray

from nuvett.core import lanes
from nuvett.core.errors import TooFewPixelsError
from nuvett.core.quick import planes_of
from nuvett.core.tabled import along
from nuvett.core.types import Document, Floats, OKLab, Quantiles, StoredArray

MIN_PIXELS = 300
CLOUD_SIZE = 2048
ZONE_COUNT = 17
QUANTILE_COUNT = 65

# Chebyshev spacing: dense at the ends, where black and white points are read, even in the middle.
PROBABILITIES: Quantiles = ((1 - np.cos(np.linspace(0, np.pi, QUANTILE_COUNT))) / 2).astype(np.float32)
ZONE_LIGHTNESS: Floats = np.linspace(0, 1, ZONE_COUNT, dtype=np.float32)

NARROW, BROAD = 0.045, 0.16  # widths of the zone kernels, in OKLab lightness
CAST = 0.05  # width about a zone's mode within which colours make up its cast
STRONG = 0.08  # chroma above which a colour is more likely a thing's own than a cast
SHIFTS, MODE_COLOURS = 12, 2048
KERNEL_EDGE = 0.6  # of a zone's kernel: the middle that its median is taken of
UNWEIGHTED = 1e-12  # weight of every colour, so that a zone without any has a middle
_NOTHING = 1e-18  # beside that; numbers far below it take long to work with
ALL_COUNT = 1e-3  # weight that colours far from the mode keep
PRIOR = 0.02  # share of pixels that a zone needs before its own mean outweighs its neighbours'


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


Values = NDArray[np.float64]
Points = TypeVar("Points", bound=Floats)


def quantiles_of(values: Floats) -> Quantiles:
    """(65,) quantiles of equally weighted values (N,) at PROBABILITIES."""
    ordered = np.sort(values)
    position = (np.arange(len(ordered)) + 0.5) / len(ordered)
    return np.interp(PROBABILITIES, position, ordered).astype(np.float32)


def _shrunk(near: Values, around: Values, overall: Values, count: int) -> Floats:
    """Means of values by zone (17, C), each borrowing from its neighbours by evidence, and they from all.

    near, around : (17, 1 + C) sums of weights, and of those times the values; overall : (C,) their mean
    """
    there, here = around / count, near / count
    borrowed = (there[:, 1:] + PRIOR * overall) / (there[:, :1] + PRIOR)
    return np.asarray((here[:, 1:] + PRIOR * borrowed) / (here[:, :1] + PRIOR), dtype=np.float32)


def _modes(planes: Floats) -> Floats:
    """(17, 2) the most frequent a and b of each zone of OKLab planes (3, N).

    A zone's cast is what most of its surfaces share, so it is its mode and not its mean, which a large coloured thing
    would carry away. The mode is found by mean shift (Comaniciu and Meer 2002) from half-way to the median, weak
    colours counting more, because casts are weak.
    """
    lightness, a, b = (np.ascontiguousarray(plane[:: max(1, planes.shape[1] // MODE_COLOURS)]) for plane in planes)
    kernel = np.exp(-0.5 * ((ZONE_LIGHTNESS[:, None] - lightness) / np.float32(NARROW)) ** 2)
    modes = np.zeros((ZONE_COUNT, 2), dtype=np.float32)
    for zone, near in enumerate(kernel > KERNEL_EDGE):
        if near.any():
            modes[zone] = np.median(a[near]) / 2, np.median(b[near]) / 2
    weights = kernel / (1 + (a * a + b * b) / np.float32(STRONG**2))
    weights[weights < _NOTHING] = 0
    return lanes.shifted(a, b, weights, modes, SHIFTS, 0.5 / (1.2 * CAST) ** 2, UNWEIGHTED)


def measure_zones(lab: OKLab) -> tuple[Floats, Floats, Floats]:
    """Zone tints (17, 2), evidence (17,) and spread (17, 3) of equally weighted OKLab colours (N, 3).

    Colours near a zone's mode make up its tint.
    """
    planes, count = planes_of(lab), len(lab)
    lightness = planes[0]
    widths = np.array([0.5 / NARROW**2, 0.5 / BROAD**2, 0.5 / CAST**2, ALL_COUNT], dtype=np.float32)
    sums = lanes.zone_sums(planes, ZONE_LIGHTNESS, _modes(planes), widths)
    tint = _shrunk(sums[:, 1:4], sums[:, 5:8], planes[1:].mean(axis=1), count)
    residual_a, residual_b = planes[1:] - interpolate_zones(tint, lightness).T
    products = np.stack([residual_a * residual_a, residual_a * residual_b, residual_b * residual_b])
    broad = lanes.broad_sums(lightness, products, ZONE_LIGHTNESS, 0.5 / BROAD**2)
    around = np.tile([float(count), *(count * products.mean(axis=1))], (ZONE_COUNT, 1))
    spread = _shrunk(np.hstack([sums[:, 4:5], broad]), around, products.mean(axis=1), count)
    return tint, np.asarray(sums[:, 0] / count, dtype=np.float32), spread


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

    Raises TooFewPixelsError below MIN_PIXELS colours.
    """
    if len(lab) < MIN_PIXELS:
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
