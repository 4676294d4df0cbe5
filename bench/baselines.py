"""Published transfer methods, each as its paper has it, on encoded or linear colours (N, 3) float."""

import numpy as np
from numpy.typing import NDArray

from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear
from nuvett.core.types import Floats, Linear, OKLab

_ROTATIONS = 24


def mean_deviation(source: Linear, target: Linear) -> Linear:
    """Reinhard et al., "Color transfer between images" (2001): means and deviations per channel, here of OKLab."""
    a, b = linear_to_oklab(source), linear_to_oklab(target)
    moved = (a - a.mean(axis=0)) * (b.std(axis=0) / np.maximum(a.std(axis=0), 1e-5)) + b.mean(axis=0)
    return oklab_to_linear(moved.astype(np.float32))


def gaussian_transport(source: Linear, target: Linear) -> Linear:
    """Pitié and Kokaram, "The linear Monge-Kantorovitch linear colour mapping" (2007), in OKLab."""
    a, b = (linear_to_oklab(x).astype(np.float64) for x in (source, target))
    cov_a, cov_b = (np.cov(x.T) + 1e-7 * np.eye(3) for x in (a, b))
    root = _power(cov_a, 0.5)
    inverse = _power(cov_a, -0.5)
    transport = inverse @ _power(root @ cov_b @ root, 0.5) @ inverse
    moved = (a - a.mean(axis=0)) @ transport.T + b.mean(axis=0)
    return oklab_to_linear(moved.astype(np.float32))


def _power(matrix: NDArray[np.float64], exponent: float) -> NDArray[np.float64]:
    values, vectors = np.linalg.eigh(matrix)
    return np.asarray((vectors * np.maximum(values, 1e-12) ** exponent) @ vectors.T)


def _matched(values: Floats, wanted: Floats) -> Floats:
    """Values (N,) given the distribution of others (M,), by rank."""
    order = np.argsort(values, kind="stable")
    position = np.empty(len(values))
    position[order] = (np.arange(len(values)) + 0.5) / len(values)
    ordered = np.sort(wanted)
    return np.asarray(np.interp(position, (np.arange(len(ordered)) + 0.5) / len(ordered), ordered), np.float32)


def histogram_matching(source: Linear, target: Linear) -> Linear:
    """Histogram matching channel by channel (Gonzalez and Woods), in OKLab."""
    a, b = linear_to_oklab(source), linear_to_oklab(target)
    return oklab_to_linear(OKLab(np.stack([_matched(a[:, c], b[:, c]) for c in range(3)], axis=1)))


def iterative_transport(source: Linear, target: Linear) -> Linear:
    """Pitié, Kokaram and Dahyot, "N-dimensional probability density function transfer" (2005), in OKLab."""
    random = np.random.default_rng(7)
    a, b = linear_to_oklab(source), linear_to_oklab(target)
    for _ in range(_ROTATIONS):
        rotation = np.linalg.qr(random.normal(size=(3, 3)))[0].astype(np.float32)
        turned, wanted = a @ rotation, b @ rotation
        matched = np.stack([_matched(turned[:, c], wanted[:, c]) for c in range(3)], axis=1)
        a = OKLab((matched @ rotation.T).astype(np.float32))
    return oklab_to_linear(a)


METHODS = {
    "mean and deviation": mean_deviation,
    "Gaussian transport": gaussian_transport,
    "histogram matching": histogram_matching,
    "iterative 3-D transport": iterative_transport,
}
