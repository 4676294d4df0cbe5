"""A camera's own rendering: the curve from its sensor's light to the picture that it made of it, found from the two.

Distributions are matched, not places, so that the picture may be smaller, cut a little, or set straight.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from scipy.interpolate import PchipInterpolator

from nuvett.core.types import Floats

_PROBABILITIES = np.linspace(0.01, 0.99, 50)
_DARKEST, _BRIGHTEST = 0.004, 0.92  # of the camera's picture: beyond them it tells nothing of the curve
_MIN_POINTS = 8
_FLATTEST, _STEEPEST = 0.15, 3.0  # slopes in logarithms
_SMOOTH = 5  # points that slopes are averaged over
_INNER = 0.7  # of width and height
_ALIKE = 0.8  # correlation of ranks below which the two show different things


@dataclass(frozen=True)
class Rendering:
    """Points (N,) of a rising curve on luminance, scene light in and out; white, where there is one, is at 1.

    Below the points it is a gain; above them it goes on with the logarithm of light, so that nothing becomes flat.
    """

    light: Floats
    made: Floats

    def __call__(self, linear: Floats) -> Floats:
        """Rendered light of scene light, any shape, from 0."""
        logs = np.log(np.maximum(linear, 1e-9))
        x, y = np.log(self.light.astype(np.float64)), np.log(self.made.astype(np.float64))
        curve = PchipInterpolator(x, y)
        inside = np.exp(curve(np.clip(logs, x[0], x[-1])))
        slope = float(curve.derivative()(x[-1])) * float(self.made[-1])
        above = self.made[-1] + slope * np.maximum(logs - x[-1], 0)
        below = linear * (self.made[0] / self.light[0])
        return np.asarray(np.where(logs < x[0], below, np.where(logs > x[-1], above, inside)), dtype=np.float32)


def fit_rendering(light: Floats, made: Floats) -> Rendering | None:
    """The rendering that leads from scene light to a camera's picture, both luminance (H, W), linear, of one scene.

    None when the picture shows something else, or hardly anything between black and white.
    """
    small = cv2.resize(made, (light.shape[1], light.shape[0]), interpolation=cv2.INTER_AREA)
    if _rank_correlation(light, np.asarray(small, np.float32)) < _ALIKE:
        return None
    x, y = (np.quantile(_middle(plane), _PROBABILITIES) for plane in (light, made))
    usable = (y > _DARKEST) & (y < _BRIGHTEST) & (x > 1e-5)
    usable &= np.concatenate([[True], np.diff(x) > 1e-4 * x[1:]])
    if usable.sum() < _MIN_POINTS:
        return None
    logs, out = np.log(x[usable]), np.log(y[usable])
    slopes = np.diff(out) / np.diff(logs)
    kernel = np.full(_SMOOTH, 1 / _SMOOTH)
    slopes = np.convolve(np.pad(slopes, _SMOOTH // 2, mode="edge"), kernel, mode="valid")
    risen = np.concatenate([[0], np.cumsum(np.clip(slopes, _FLATTEST, _STEEPEST) * np.diff(logs))])
    risen += out.mean() - risen.mean()
    return Rendering(np.exp(logs).astype(np.float32), np.exp(risen).astype(np.float32))


def _middle(plane: Floats) -> Floats:
    """What lies about the middle, where lenses take least light and cameras have little to give back."""
    rows, columns = (int(side * (1 - _INNER) / 2) for side in plane.shape)
    return plane[rows : plane.shape[0] - rows, columns : plane.shape[1] - columns]


def _rank_correlation(a: Floats, b: Floats) -> float:
    """Spearman's, of two planes of one shape."""
    first, second = (np.argsort(np.argsort(plane, axis=None)) for plane in (a, b))
    return float(np.corrcoef(first, second)[0, 1])
