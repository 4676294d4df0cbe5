"""The light of a whole set-up from what witnesses say of its frames, two by two, each weighed by what it knows."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from nuvett.core.even.witness import Witness

PRIOR = np.array([0.35, 0.15, 0.2])
"""One standard deviation of what metering and automatic white make frames differ by: mean log2, R-G, B-G."""
_COMMON = 0.5  # the same, of a whole set-up against its hero, beside what frames differ by
_CAUCHY, _ROUNDS = 2.0, 15


@dataclass(frozen=True)
class Solution:
    """What each frame needs, (N, 3) mean log2, R-G and B-G, and its standard deviation by all that is known (N, 3).

    The deviation is against what is pinned, else against the frames' mean.
    """

    needed: NDArray[np.float64]
    deviation: NDArray[np.float64]


def solve(witnesses: list[Witness], pinned: dict[int, NDArray[np.float64]], expected: NDArray[np.float64]) -> Solution:
    """Most likely light of N frames, axis by axis.

    Minimises the witnesses' squared misfits, in the tails as Cauchy's distribution has it (iterated reweighting,
    Holland and Welsch 1977), with frames spread by PRIOR about what is expected of them and a common middle. Clouds of
    one frame all carry the same doubt, its own content, so together they count no more than the best of them.

    pinned : what frames need that is known beforehand, (3,) each, as a hero's none
    expected : (N, 3) what frames are expected to need before any witness is heard
    """
    needed, deviation = np.zeros_like(expected), np.zeros_like(expected)
    for axis in range(3):
        told = [w for w in witnesses if np.isfinite(w.spread[axis])]
        known = {i: v[axis] for i, v in pinned.items()}
        needed[:, axis], deviation[:, axis] = _solve_axis(told, known, expected[:, axis], axis)
    return Solution(needed, deviation)


def _solve_axis(
    witnesses: list[Witness], pinned: dict[int, float], expected: NDArray[np.float64], axis: int
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """One axis: what frames need (N,) and its deviation (N,). The last unknown is what all need beyond `expected`."""
    count = len(expected)
    first = np.array([w.first for w in witnesses], dtype=np.int64)
    second = np.array([w.second for w in witnesses], dtype=np.int64)
    told = np.array([w.difference[axis] for w in witnesses])
    precision = np.array([w.spread[axis] for w in witnesses]) ** -2.0 * _together(count, witnesses, axis)
    base, goal = np.zeros((count + 1, count + 1)), np.zeros(count + 1)
    frames, middle = np.arange(count), count
    prior = PRIOR[axis] ** -2.0
    base[frames, frames] += prior
    base[middle, middle] += count * prior + (_COMMON * PRIOR[axis]) ** -2.0
    base[frames, middle] -= prior
    base[middle, frames] -= prior
    goal[frames] += prior * expected
    goal[middle] -= prior * expected.sum()
    for index, value in pinned.items():
        base[index, index] += 1e6
        goal[index] += 1e6 * value
    weight: NDArray[Any] = np.ones(len(witnesses))
    found: NDArray[Any] = np.zeros(count + 1)
    matrix = base
    for _ in range(_ROUNDS if len(witnesses) else 1):
        matrix, right = base.copy(), goal.copy()
        strength = precision * weight
        np.add.at(matrix, (first, first), strength)
        np.add.at(matrix, (second, second), strength)
        np.add.at(matrix, (first, second), -strength)
        np.add.at(matrix, (second, first), -strength)
        np.add.at(right, second, strength * told)
        np.add.at(right, first, -strength * told)
        found = np.linalg.solve(matrix, right)
        misfit = (found[second] - found[first] - told) ** 2 * precision
        weight = 1 / (1 + misfit / _CAUCHY**2)
    covariance: NDArray[Any] = np.linalg.inv(matrix)[:count, :count]
    if not pinned:
        from_mean = np.eye(count) - 1 / count
        covariance = from_mean @ covariance @ from_mean
    return found[:count], np.sqrt(np.maximum(np.diag(covariance), 0))


def _together(count: int, witnesses: list[Witness], axis: int) -> NDArray[np.float64]:
    """Factors (W,) by which clouds count less where a frame is spoken of by several."""
    most, total = np.zeros(count), np.zeros(count)
    clouds = [(k, w, w.spread[axis] ** -2.0) for k, w in enumerate(witnesses) if w.kind == "clouds"]
    for _, w, precision in clouds:
        for frame in (w.first, w.second):
            most[frame] = max(most[frame], precision)
            total[frame] += precision
    share = most / np.maximum(total, 1e-12)
    out = np.ones(len(witnesses))
    for k, w, _ in clouds:
        out[k] = np.sqrt(share[w.first] * share[w.second])
    return out
