"""Sliced optimal transport: clouds compared and moved along a fixed set of directions."""

from functools import cache, lru_cache

import numpy as np
from numpy.typing import NDArray

from nuvett.core.types import Floats, OKLab

_FLOW_ROUNDS, _FLOW_DIRECTIONS = 24, 16


@cache
def directions(count: int) -> Floats:
    """(count, 3) unit vectors spread evenly over the half sphere: Fibonacci lattice (Gonzalez 2010)."""
    index = np.arange(count) + 0.5
    z = index / count
    angle = np.pi * (1 + 5**0.5) * index
    ring = np.sqrt(1 - z * z)
    axes = np.stack([z, ring * np.cos(angle), ring * np.sin(angle)], axis=1).astype(np.float32)
    axes.setflags(write=False)
    return axes


def projected_quantiles(cloud: OKLab, axes: Floats, count: int) -> Floats:
    """(count, D) evenly spaced quantiles of a cloud (N, 3) along axes (D, 3)."""
    ordered = np.ascontiguousarray(axes @ cloud.T)
    ordered.sort(axis=1)
    lower, upper, fraction = _places(len(cloud), count)
    return np.asarray((ordered[:, lower] * (1 - fraction) + ordered[:, upper] * fraction).T, dtype=np.float32)


@lru_cache(maxsize=64)
def _places(length: int, count: int) -> tuple[NDArray[np.int64], NDArray[np.int64], Floats]:
    """Between which of some sorted values evenly spaced quantiles lie, and how far: each (count,)."""
    position = np.clip((np.arange(count) + 0.5) / count * length - 0.5, 0, length - 1)
    lower = np.minimum(position.astype(np.int64), max(0, length - 2))
    return lower, np.minimum(lower + 1, length - 1), (position - lower).astype(np.float32)


def barycentre(clouds: list[OKLab], weights: list[float]) -> OKLab:
    """Sliced Wasserstein barycentre of clouds by weights summing to 1, free support (Bonneel et al. 2015): (N, 3).

    Points of the heaviest cloud flow, direction by direction, to the weighted mean of the quantile functions.
    """
    size = min(len(cloud) for cloud in clouds)
    heaviest = clouds[int(np.argmax(weights))]
    points = heaviest[((np.arange(size) + 0.5) * len(heaviest) / size).astype(np.int64)].astype(np.float64)
    axes = directions(_FLOW_DIRECTIONS)
    goals = np.zeros((size, _FLOW_DIRECTIONS))
    for cloud, weight in zip(clouds, weights, strict=True):
        goals += weight * projected_quantiles(cloud, axes, size)
    for _ in range(_FLOW_ROUNDS):
        projected = points @ axes.T
        order = np.argsort(projected, axis=0)
        step = np.zeros_like(projected)
        np.put_along_axis(step, order, goals - np.take_along_axis(projected, order, axis=0), axis=0)
        points += step @ axes * (3 / _FLOW_DIRECTIONS)
    return OKLab(points.astype(np.float32))
