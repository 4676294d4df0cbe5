"""Points of two pictures matched, checked by geometry.

Where two pictures show the same things, corresponding points lie on a few planes that each move by an affine map.
Maps are found one after the other by random sampling (Fischler and Bolles, "Random sample consensus", 1981); only
points on a plausible one count.
"""

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from nuvett.core.registration.features import Features
from nuvett.core.types import Floats

_RATIO, _FARTHEST = 0.82, 0.75  # of the second nearest descriptor's distance, and RootSIFT distance: plainly the same
_LIKELY_RATIO = 0.9
_ROWS = 256  # of likenesses that are looked at together
_PLANES, _MIN, _PIXELS, _TRIES = 6, 6, 3.0, 600
_ANOTHER_PLACE = 12.0  # pixels off a single similarity that plainly mean another place
_SHEAR, _SCALES, _ALIKE, _AGREE = 2.0, (0.2, 5.0), 0.5, 0.6


def _nearest(first: Features, second: Features) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
    """(M, 2) indices of points that are each other's nearest, likely the same; and which of them plainly are (M,)."""
    a, b = first.vectors, second.vectors
    best, value, other = np.empty(len(a), np.int64), np.empty(len(a), np.float32), np.empty(len(a), np.float32)
    top = np.full(len(b), -1, np.float32)
    for start in range(0, len(a), _ROWS):  # few rows at a time, which stay at hand
        rows = slice(start, start + _ROWS)
        likeness = a[rows] @ b.T  # of nearly unit vectors: squared distance is twice what it lacks of 1
        np.maximum(top, likeness.max(axis=0), out=top)
        each, found = np.arange(len(likeness)), likeness.argmax(axis=1)
        best[rows], value[rows] = found, likeness[each, found]
        likeness[each, found] = -1
        other[rows] = likeness.max(axis=1)
    likely = np.flatnonzero(value == top[best])
    likely = likely[np.sort(np.unique(best[likely], return_index=True)[1])]  # of several as near the first counts
    least, others = 2 - 2 * value[likely], 2 - 2 * other[likely]
    kept = likely[least < _LIKELY_RATIO**2 * others]
    least, others = 2 - 2 * value[kept], 2 - 2 * other[kept]
    plain = (least < _RATIO**2 * others) & (least < _FARTHEST**2)
    return np.stack([kept, best[kept]], axis=1), plain


def _plausible(affine: NDArray[Any], from_: Floats, to: Floats) -> bool:
    """Whether a map (2, 3) could be one plane seen twice, and its points' own sizes and directions say so, too."""
    linear = affine[:, :2]
    if np.linalg.det(linear) <= 0:
        return False
    large, small = np.linalg.svd(linear, compute_uv=False)
    scale = float(np.sqrt(large * small))
    if large > _SHEAR * small or not _SCALES[0] < scale < _SCALES[1]:
        return False
    turn = np.arctan2(linear[1, 0] - linear[0, 1], linear[0, 0] + linear[1, 1])
    off = np.radians(to[:, 3] - from_[:, 3]) - turn
    turned = np.abs((off + np.pi) % (2 * np.pi) - np.pi)
    grown = np.abs(np.log(to[:, 2] / from_[:, 2] / scale))
    return bool(((turned < _ALIKE) & (grown < _ALIKE)).mean() > _AGREE)


Colours = tuple[Floats, Floats]
"""Linear colours (P, 3) of the same points in two pictures."""


@dataclass(frozen=True)
class Match:
    """Points that two pictures share, as far as both show them well exposed.

    sure : points whose places agree with some plane seen twice; none where nothing is plainly shared
    likely : points that look alike, wherever they lie; where something is shared many of them are right
    turned : 0 where both are seen from one place, so that a single similarity moves all sure points, to 1
    """

    sure: Colours
    likely: Colours
    turned: float


def match_points(first: Features, second: Features) -> Match:
    """Points of two pictures that show, or may show, the same place."""
    if min(len(first), len(second)) < _MIN:
        none = np.empty((0, 3), np.float32)
        return Match((none, none), (none, none), 0.0)
    likely, plain = _nearest(first, second)
    sure = _on_planes(first, second, likely[plain])
    from_, to = (np.ascontiguousarray(f.places[sure[:, i], :2]) for i, f in enumerate((first, second)))
    turned = _turned(from_, to) if len(sure) else 0.0
    return Match(_exposed(first, second, sure), _exposed(first, second, likely), turned)


def matched_places(first: Features, second: Features) -> tuple[Floats, Floats]:
    """Places (M, 2) in pixels of points that two pictures plainly share, whatever became of their colours."""
    if min(len(first), len(second)) < _MIN:
        none = np.empty((0, 2), np.float32)
        return none, none
    likely, plain = _nearest(first, second)
    rows = likely[plain]
    return (
        np.ascontiguousarray(first.places[rows[:, 0], :2]),
        np.ascontiguousarray(second.places[rows[:, 1], :2]),
    )


def sure_places(first: Features, second: Features) -> Floats:
    """Places (M, 2) in pixels, in the first of two pictures, of points that agree with some plane seen twice."""
    if min(len(first), len(second)) < _MIN:
        return np.empty((0, 2), np.float32)
    likely, plain = _nearest(first, second)
    sure = _on_planes(first, second, likely[plain])
    return np.ascontiguousarray(first.places[sure[:, 0], :2]) if len(sure) else np.empty((0, 2), np.float32)


def _exposed(first: Features, second: Features, rows: NDArray[np.int64]) -> Colours:
    """Colours of matched points (M, 2) that are well exposed in both."""
    one, other = first.colours[rows[:, 0]], second.colours[rows[:, 1]]
    usable = (one.min(axis=1, initial=1) > 0) & (other.min(axis=1, initial=1) > 0)
    return one[usable], other[usable]


def _turned(from_: Floats, to: Floats) -> float:
    """How far points (M, 2) leave the best single similarity, on a scale of 0 to 1."""
    similarity, _ = cv2.estimateAffinePartial2D(from_, to, method=cv2.LMEDS)
    if similarity is None:
        return 1.0
    off = np.linalg.norm(from_ @ similarity[:, :2].T + similarity[:, 2] - to, axis=1)
    return float(np.clip((np.quantile(off, 0.8) - _PIXELS) / _ANOTHER_PLACE, 0, 1))


def _on_planes(first: Features, second: Features, left: NDArray[np.int64]) -> NDArray[np.int64]:
    """Those of matched points (M, 2) whose places agree with some plane seen twice."""
    kept = []
    for _ in range(_PLANES):
        if len(left) < _MIN:
            break
        from_, to = first.places[left[:, 0]], second.places[left[:, 1]]
        here, there = (np.ascontiguousarray(p[:, :2]) for p in (from_, to))
        affine, inlier = cv2.estimateAffine2D(
            here, there, method=cv2.RANSAC, ransacReprojThreshold=_PIXELS, maxIters=_TRIES, confidence=0.999
        )
        if affine is None or inlier is None or int(inlier.sum()) < _MIN:
            break
        on_it = inlier[:, 0].astype(bool)
        if _plausible(affine, from_[on_it], to[on_it]):
            kept.append(left[on_it])
        left = left[~on_it]
    return np.concatenate(kept) if kept else np.empty((0, 2), dtype=np.int64)
