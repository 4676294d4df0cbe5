"""Outlines of a thing grown from places that a person pointed at.

What costs least to reach from there belongs to the thing: costs are differences of neighbouring colours, so that edges
hold it (geodesic distances, after Criminisi, Sharp and Blake, "GeoS: Geodesic Image Segmentation", 2008). Where it
ends is not known from one place, so that there is a choice of outlines, small to large, and one that looks likeliest.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import dijkstra

from nuvett.core.types import Floats, OKLab

EDGE = 320  # pixels of the long edge that outlines are grown in
MAX_PLACES = 24
_SMOOTHED = 0.8  # of those pixels, so that grain is no edge
_SQUARED = 30.0  # so that a difference of a thirtieth of OKLab costs as much squared as plain
_LENGTH = 0.002  # OKLab that every pixel of the way costs
_ABOUT = 2  # pixels about a place whose middle is its colour
_AREAS = 26
_SMALLEST, _LARGEST = 14, 0.35  # pixels, and share of the picture, of outlines
_BESIDE = 3  # pixels about an outline that its traits are taken from
_ROUNDED = 5  # pixels that decide together where an outline runs
_AS_FOUND = 8.0  # of its score that an outline gains by overlapping what was found
_APART = 0.14  # of the logarithm of their areas, between one outline and the next

Mask = NDArray[np.bool_]
"""(h, w) of a picture, true inside an outline."""
Values = NDArray[np.float64]


@dataclass(frozen=True)
class Pointed:
    """A place that a person pointed at, in shares of the picture; `inside` says whether the thing is there or not."""

    x: float
    y: float
    inside: bool = True


@dataclass(frozen=True)
class Cost:
    """How differences of neighbouring colours count.

    scale : of OKLab's three axes; own : how much it costs to be unlike the colour pointed at
    """

    scale: tuple[float, float, float]
    own: float


_COSTS = (Cost((1.0, 1.0, 1.0), 0.0), Cost((0.2, 2.0, 2.0), 0.2))
"""What holds outlines best of twelve pairs, on things of the demo known by pixel (tools/derive_outline.py)."""


@dataclass(frozen=True)
class Outlines:
    """Outlines of a thing, small to large, the likeliest of each size, and which of them is the likeliest of all.

    scores : how likely each of them is, as a logarithm
    """

    masks: tuple[Mask, ...]
    likeliest: int
    scores: tuple[float, ...] = ()

    def about(self, region: Mask, share: float) -> int:
        """Which of them is likeliest for a thing that is expected about a region and covers such a share of a picture.

        region : (rows, columns) of the same picture, of any size
        """
        size = (self.masks[0].shape[1], self.masks[0].shape[0])
        there = cv2.resize(region.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0
        likely = [
            score + _AS_FOUND * overlap(mask, there) - abs(np.log(mask.mean() / share))
            for mask, score in zip(self.masks, self.scores, strict=True)
        ]
        return int(np.argmax(likely))


def grown(colours: OKLab, pointed: Sequence[Pointed]) -> Outlines:
    """Outlines in a picture (h, w, 3) about places that were pointed at; none where no place lies inside.

    At most MAX_PLACES places are heard.
    """
    looked, candidates = candidates_in(colours, pointed)
    if not candidates:
        return Outlines((), 0)
    score = standard(np.array([traits(looked, mask) for mask in candidates])) @ _WEIGHTS
    kept: list[int] = []
    sizes = np.log([mask.sum() for mask in candidates])
    for index in np.argsort(-score, kind="stable"):
        if all(abs(sizes[index] - sizes[other]) >= _APART for other in kept):
            kept.append(int(index))
    likeliest = kept[0]
    kept.sort(key=lambda index: int(candidates[index].sum()))
    masks = tuple(candidates[index] for index in kept)
    return Outlines(masks, kept.index(likeliest), tuple(float(score[index]) for index in kept))


def candidates_in(colours: OKLab, pointed: Sequence[Pointed]) -> tuple["Looked", list[Mask]]:
    """All outlines that costs give in a picture (h, w, 3), and the picture that they are judged in."""
    heard = list(pointed)[:MAX_PLACES]
    smooth = np.asarray(cv2.GaussianBlur(colours, (0, 0), _SMOOTHED), dtype=np.float32)
    inside = _indices([one for one in heard if one.inside], smooth.shape[:2])
    if not inside:
        return Looked.at(smooth, [0]), []
    masks = [mask for cost in _COSTS for mask in _by_cost(smooth, heard, cost)]
    large = [mask for mask in masks if mask.sum() >= _SMALLEST]
    return Looked.at(smooth, inside), large or masks[-1:]


def overlap(one: Mask, other: Mask) -> float:
    """Intersection over union of two outlines of the same size, 0 to 1."""
    return float((one & other).sum() / max(1, (one | other).sum()))


def _indices(places: Sequence[Pointed], size: tuple[int, int]) -> list[int]:
    height, width = size
    return [min(int(p.y * height), height - 1) * width + min(int(p.x * width), width - 1) for p in places]


def _by_cost(smooth: Floats, pointed: Sequence[Pointed], cost: Cost) -> list[Mask]:
    height, width = smooth.shape[:2]
    inside, outside = (_indices([p for p in pointed if p.inside is way], (height, width)) for way in (True, False))
    if not inside:
        return []
    graph = _graph(smooth, cost, _colour_at(smooth, inside))
    away = _distance(graph, inside).reshape(height, width)
    allowed = np.ones((height, width), dtype=bool)
    if outside:
        allowed = away < _distance(graph, outside).reshape(height, width)
    far = np.sort(away[allowed])
    reach = [float(away.ravel()[index]) for index in inside]
    areas = np.unique(np.geomspace(_SMALLEST, max(_LARGEST * away.size, _SMALLEST), _AREAS).astype(int))
    levels = [max(float(far[area - 1]), *reach) for area in areas if area <= len(far)]
    return [_filled((away <= level) & allowed) for level in dict.fromkeys(levels)]


def _colour_at(smooth: Floats, seeds: Sequence[int]) -> Floats:
    width = smooth.shape[1]
    about = []
    for row, column in (divmod(seed, width) for seed in seeds):
        part = smooth[max(0, row - _ABOUT) : row + _ABOUT + 1, max(0, column - _ABOUT) : column + _ABOUT + 1]
        about.append(part.reshape(-1, 3))
    return np.asarray(np.median(np.concatenate(about), axis=0), dtype=np.float32)


def _graph(smooth: Floats, cost: Cost, own: Floats) -> coo_matrix:
    height, width = smooth.shape[:2]
    scaled = smooth * np.array(cost.scale, dtype=np.float32)
    unlike = cost.own * np.linalg.norm(scaled - own * np.array(cost.scale, dtype=np.float32), axis=-1)
    places = np.arange(height * width).reshape(height, width)
    ways = (
        (np.s_[:, :-1], np.s_[:, 1:], 1.0),
        (np.s_[:-1], np.s_[1:], 1.0),
        (np.s_[:-1, :-1], np.s_[1:, 1:], 2**0.5),
        (np.s_[1:, :-1], np.s_[:-1, 1:], 2**0.5),
    )
    costs, ones, others = [], [], []
    for one, other, length in ways:
        apart = np.sum((scaled[one] - scaled[other]) ** 2, axis=-1) * np.float32(_SQUARED)
        costs.append((apart + (unlike[one] + unlike[other]) * length / 2 + _LENGTH * length).ravel())
        ones.append(places[one].ravel())
        others.append(places[other].ravel())
    data, rows, columns = (np.concatenate(parts) for parts in (costs, ones, others))
    return coo_matrix((data, (rows, columns)), shape=(places.size, places.size))


def _distance(graph: coo_matrix, seeds: Sequence[int]) -> Values:
    return np.asarray(dijkstra(graph.tocsr(), directed=False, indices=seeds, min_only=True))


def _filled(mask: Mask) -> Mask:
    """An outline without holes, its corners rounded to what a person would draw."""
    about = _box_of(mask, _ROUNDED)
    padded = np.pad(mask[about], 1).astype(np.uint8)
    cv2.floodFill(padded, None, (0, 0), 2)
    whole = (padded[1:-1, 1:-1] != 2).astype(np.uint8)
    smooth = cv2.medianBlur(whole, _ROUNDED)
    made = np.zeros_like(mask)
    made[about] = (smooth if smooth.any() else whole) > 0
    return made


def _box_of(mask: Mask, beside: int) -> tuple[slice, slice]:
    """The rows and columns that a region takes, with some beside it where the picture has them."""
    rows, columns = (np.nonzero(mask.any(axis=axis))[0] for axis in (1, 0))
    if not len(rows):
        return slice(0, None), slice(0, None)
    return slice(max(0, rows[0] - beside), rows[-1] + 1 + beside), slice(
        max(0, columns[0] - beside), columns[-1] + 1 + beside
    )


_MIDDLES = np.array([0.048, 0.0259, 0.06, 0.0903, 0.0657, -4.9029, 29.94, 0.0717, 0.6814])
_SPREADS = np.array([0.0242, 0.0177, 0.0601, 0.0672, 0.084, 2.4294, 25.7104, 0.1232, 0.7365])
_WEIGHTS = np.array(
    [
        3.5983,
        2.7529,
        1.4535,
        1.8797,
        0.6848,
        0.9375,
        -1.592,
        -1.0619,
        2.0382,
        0.3748,
        -0.1298,
        -0.0062,
        -1.1688,
        -0.9156,
        -3.1515,
        -1.6498,
        0.2318,
        -1.1384,
    ]
)
_MAX = 4.0  # spreads from the middle beyond which a trait says no more
"""Middles and spreads of traits, and how they and their squares weigh (tools/derive_outline.py)."""


@dataclass(frozen=True)
class Looked:
    """A picture that outlines are judged in: colours (h, w, 3), how steep they are (h, w), the colour pointed at."""

    smooth: Floats
    steep: Floats
    own: Floats

    @classmethod
    def at(cls, smooth: Floats, seeds: Sequence[int]) -> "Looked":
        """That picture for places by their indices."""
        across, down = (np.abs(np.gradient(smooth, axis=axis)).sum(axis=-1) for axis in (1, 0))
        return cls(smooth, np.asarray(across + down, dtype=np.float32), _colour_at(smooth, seeds))


def traits(looked: Looked, mask: Mask) -> Values:
    """(9,) numbers that tell a thing's outline from one that cuts it or takes more than it.

    How steep colours are along it and in it; how unlike its two sides are; how unlike what it holds is; how far its
    middle is from the colour pointed at; how large it is, and that squared; how much of it lies along the picture's
    border; and how round it is.
    """
    along, share = int(mask[[0, -1]].sum() + mask[:, [0, -1]].sum()), float(mask.mean())
    box = _box_of(mask, _BESIDE)
    mask, smooth, steep = mask[box], looked.smooth[box], looked.steep[box]
    plain = mask.astype(np.uint8)
    inner = cv2.erode(plain, np.ones((3, 3), np.uint8), borderValue=0).astype(bool)
    around = cv2.dilate(plain, np.ones((5, 5), np.uint8)).astype(bool) & ~mask
    rim = mask & ~inner
    held, beside = smooth[mask], smooth[around] if around.any() else smooth[mask]
    middle, size, length = np.median(held, axis=0), float(np.log(share)), max(1, int(rim.sum()))
    return np.array(
        [
            steep[rim | around].mean(),
            steep[inner].mean() if inner.any() else 0.0,
            np.linalg.norm(middle - np.median(beside, axis=0)),
            held.std(axis=0).sum(),
            np.linalg.norm(middle - looked.own),
            size,
            size * size,
            along / length,
            4 * np.pi * mask.sum() / length**2,
        ]
    )


def standard(rows: Values, means: Values = _MIDDLES, spreads: Values = _SPREADS) -> Values:
    """Traits (n, 9) in spreads from their middles, and the squares of that: (n, 18)."""
    scaled = np.clip((rows - means) / spreads, -_MAX, _MAX)
    return np.concatenate([scaled, scaled**2], axis=1)
