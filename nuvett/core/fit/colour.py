"""Stages 2 and 3: zone tints and colour spread, as functions of lightness."""

from functools import cache

import numpy as np
from numpy.typing import NDArray

from nuvett.core.fit.tone import apply_curve
from nuvett.core.measure.statistics import ZONE_COUNT, ZONE_LIGHTNESS, Statistics, interpolate_zones
from nuvett.core.smooth import smooth_step
from nuvett.core.spaces.cielab import lightness_of_oklab, oklab_of_lightness
from nuvett.core.types import Floats

NARROWEST, WIDEST = 0.4, 1.8  # limits of the linear transport's eigenvalues
_SMOOTHINGS = 4  # rounds over neighbouring zones
_STEEPEST_TINT = 0.25  # of a and b by lightness, at full amount
_FAINT = (0.05, 0.4)  # lightness between which a tint comes to its strength: CIE L* 0.1 to 27
_FLOOR = 4e-6  # variance added to both spreads, so that grey pictures neither explode nor vanish


MIDDLE = 50.0
"""Crossover, CIE L*, at which the target's own tints stay at their own lightness."""


def zone_tints(
    frame: Statistics, target: Statistics, curve: Floats, crossover: float = MIDDLE
) -> tuple[Floats, Floats]:
    """What tint each zone has and should have: (17, 2) and (17, 2).

    Zones are those of the frame before tone; the target is looked up at the lightness where tone puts them. Its tints
    are drawn towards white or black so that those of its middle stand at the crossover.
    """
    landed = apply_curve(curve, ZONE_LIGHTNESS)
    crossed = np.interp(lightness_of_oklab(landed), [0, crossover, 100], [0, MIDDLE, 100])
    there = interpolate_zones(target.zone_tint, oklab_of_lightness(crossed.astype(np.float32)))
    own = np.asarray(frame.zone_tint)
    return own, np.asarray(own + _softened(there - own, np.minimum(ZONE_LIGHTNESS, landed)), dtype=np.float32)


def _softened(added: Floats, lightness: Floats) -> Floats:
    """Tints that are added to zones (17, 2), changing only so fast with lightness and fading towards black.

    A tint that changes with lightness turns the grain of a sky into specks of colour; one that stays as strong towards
    black makes the noise of shadows colourful, for the same distance in OKLab is more of a colour there.
    lightness : (17,) of each zone, the darker of before and after tone
    """
    smooth = _smoothing(_SMOOTHINGS) @ np.asarray(added, dtype=np.float32)
    steps = np.diff(smooth, axis=0)
    length = np.linalg.norm(steps, axis=1, keepdims=True)
    steps = steps * np.minimum(1, _STEEPEST_TINT / (ZONE_COUNT - 1) / np.maximum(length, 1e-9))
    bounded = np.vstack([np.zeros((1, 2)), np.cumsum(steps, axis=0)])
    bounded += smooth.mean(axis=0) - bounded.mean(axis=0)
    return np.asarray(bounded * smooth_step((lightness - _FAINT[0]) / (_FAINT[1] - _FAINT[0]))[:, None])


def zone_spreads(frame: Statistics, target: Statistics, curve: Floats) -> Floats:
    """Matrices (17, 2, 2) that give each zone the spread it should have about its tint; zones as in `zone_tints`."""
    there = interpolate_zones(target.zone_spread, apply_curve(curve, ZONE_LIGHTNESS))
    matrices = gaussian_map(_matrices(frame.zone_spread), _matrices(there))
    return np.asarray(_smoothing(1) @ matrices.reshape(ZONE_COUNT, 4)).reshape(ZONE_COUNT, 2, 2)


@cache
def _smoothing(rounds: int) -> Floats:
    """(17, 17) what smooths values by zone: half of each and a quarter of its neighbours, rounds times; ends repeat."""
    padded = np.pad(np.eye(ZONE_COUNT), ((1, 1), (0, 0)), mode="edge")
    once = 0.25 * padded[:-2] + 0.5 * padded[1:-1] + 0.25 * padded[2:]
    return np.linalg.matrix_power(once, rounds).astype(np.float32)


def _matrices(spread: Floats) -> NDArray[np.float64]:
    """Covariances (..., 2, 2) of spreads aa, ab, bb (..., 3)."""
    aa, ab, bb = np.moveaxis(np.asarray(spread, dtype=np.float64), -1, 0)
    return np.stack([np.stack([aa + _FLOOR, ab], axis=-1), np.stack([ab, bb + _FLOOR], axis=-1)], axis=-2)


def _root(matrix: NDArray[np.float64]) -> NDArray[np.float64]:
    values, vectors = np.linalg.eigh(matrix)
    return np.asarray((vectors * np.sqrt(np.maximum(values, 1e-12))[..., None, :]) @ np.swapaxes(vectors, -1, -2))


def gaussian_map(source: NDArray[np.float64], target: NDArray[np.float64]) -> Floats:
    """Linear maps (..., 2, 2) carrying covariances (..., 2, 2) to others with least movement, eigenvalues limited.

    Monge's solution between Gaussians: Pitié and Kokaram, "The linear Monge-Kantorovitch linear colour mapping for
    example-based colour transfer" (CVMP 2007), equation 8.
    """
    root = _root(source)
    inverse = np.linalg.inv(root)
    values, vectors = np.linalg.eigh(inverse @ _root(root @ target @ root) @ inverse)
    limited = np.clip(values, NARROWEST, WIDEST)[..., None, :]
    return np.asarray((vectors * limited) @ np.swapaxes(vectors, -1, -2), dtype=np.float32)
