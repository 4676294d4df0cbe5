"""Even light by overlay: the shift of a log-RGB colour cloud that best lies on another's.

A change of exposure or of the lamp multiplies linear RGB by three gains, which moves the cloud of log RGB without
changing its form. Finding the movement by correlating histograms follows Barron, "Convolutional Color Constancy"
(ICCV 2015), here in three dimensions and between two frames of one place.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import fft, ndimage

from nuvett.core.types import Linear

# Bins of mean log2, log2 R-G and log2 B-G; the cloud wraps around far outside what pictures hold.
BINS = (128, 64, 64)
STEP = np.array([0.125, 0.0625, 0.0625])
_LOWEST = np.array([-12.0, -2.0, -2.0])
_BLUR = (1.4, 1.2, 1.2)
_DARKEST, _CLIPPED = 0.002, 0.97  # linear light outside which a pixel says nothing about gain
_PRIOR_EV, _PRIOR_RATIO = 0.9, 0.22  # one standard deviation of the shift that is expected, in log2
_SHARPNESS = 90.0  # how strongly overlap counts against the prior
WINDOW = (16, 10, 10)  # shifts searched, in bins: 2 EV and 0.6 log2 of ratio each way
OFFSETS = np.meshgrid(*[np.arange(-w, w + 1) * step for w, step in zip(WINDOW, STEP, strict=True)], indexing="ij")
_PICKS = np.ix_(*(np.arange(-w, w + 1) % n for w, n in zip(WINDOW, BINS, strict=True)))
_DOUBT = sum(
    (axis / wide) ** 2 / 2 for axis, wide in zip(OFFSETS, (_PRIOR_EV, _PRIOR_RATIO, _PRIOR_RATIO), strict=True)
)


@dataclass(frozen=True)
class Overlay:
    """How one cloud lies best on another.

    shift : (3,) mean log2, log2 R-G and log2 B-G that the second's colours are moved by to lie on the first's
    overlap : of the two there, 0 to 1 (Bhattacharyya's coefficient)
    """

    shift: NDArray[np.float64]
    overlap: float


@dataclass(frozen=True)
class Cloud:
    """Log RGB colours of one frame, ready to be laid over others'.

    spectrum : of the square root of their smoothed histogram, at unit energy
    richness : bins that they effectively fill; some 90 for a single colour, a thousand and more for most pictures
    """

    spectrum: NDArray[np.complex64]
    richness: float


def light_cloud(light: Linear) -> Cloud:
    """Cloud of log RGB of colours (N, 3)."""
    pixels = light.reshape(-1, 3)
    usable = (pixels.min(axis=1) > _DARKEST) & (pixels.max(axis=1) < _CLIPPED)
    logs = np.log2(pixels[usable]) if usable.sum() > 50 else np.log2(np.clip(pixels, _DARKEST, 1))
    axes = np.stack([logs.mean(axis=1), logs[:, 0] - logs[:, 1], logs[:, 2] - logs[:, 1]], axis=1)
    position = np.rint((axes - _LOWEST) / STEP).astype(np.int64)
    position = np.clip(position, 0, np.array(BINS) - 1)
    flat = np.ravel_multi_index(tuple(position.T), BINS)
    histogram = np.bincount(flat, minlength=int(np.prod(BINS))).reshape(BINS).astype(np.float32)
    smooth = ndimage.gaussian_filter(histogram, _BLUR, mode="constant", truncate=2.5)
    smooth /= smooth.sum()
    return Cloud(np.asarray(fft.rfftn(np.sqrt(smooth), workers=1)), 1 / float((smooth**2).sum()))


def overlay(first: Cloud, second: Cloud) -> Overlay:
    """How the second's cloud lies best on the first's.

    The overlap of every shift, weighed with a Gaussian prior around no change, is read as a likelihood; the result is
    the mean around its best place.
    """
    overlap = np.asarray(
        fft.irfftn(first.spectrum * np.conj(second.spectrum), s=BINS, workers=1)[_PICKS], dtype=np.float64
    )
    score = _SHARPNESS * overlap - _DOUBT
    weight = np.exp(score - score.max())
    weight /= weight.sum()
    return Overlay(np.array([float((weight * axis).sum()) for axis in OFFSETS]), float(overlap.max()))
