"""Which frames of a series are most worth looking at while a look is made."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

_TONES, _COLOURS = 1 / 100, 3.0  # how much marks in CIE L* and mean a, b in OKLab tell frames apart


def features_of(marks: Sequence[float], cast: tuple[float, float]) -> NDArray[np.float64]:
    """What frames are told apart by: marks of lightness in CIE L*, and the mean of a and b in OKLab."""
    return np.array([*(mark * _TONES for mark in marks), *(_COLOURS * value for value in cast)])


def most_different(features: NDArray[np.float64], count: int) -> list[int]:
    """At most so many of the frames with features (N, F), in order: the plainest, then always the one farthest off.

    Farthest-first traversal (Gonzalez, "Clustering to minimize the maximum intercluster distance", 1985).
    """
    if len(features) <= count:
        return list(range(len(features)))
    found = [int(np.argmin(((features - features.mean(axis=0)) ** 2).sum(axis=1)))]
    gap = ((features - features[found[0]]) ** 2).sum(axis=1)
    while len(found) < count:
        found.append(int(gap.argmax()))
        gap = np.minimum(gap, ((features - features[found[-1]]) ** 2).sum(axis=1))
    return sorted(found)
