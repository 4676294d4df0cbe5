"""Even light by overlay: the shift of a log-RGB colour cloud that best lies on another's.

A change of exposure or of the lamp multiplies linear RGB by three gains, which moves the cloud of log RGB without
changing its form. Finding the movement by correlating histograms follows Barron, "Convolutional Color Constancy"
(ICCV 2015), here in three dimensions and between two frames of one place.

Where several movements overlay about as well, how light the two clouds are as a whole decides between them: the
difference of their Minkowski norms (Finlayson and Trezzi, "Shades of gray and colour constancy", CIC 2004) is taken
as a further, loose observation of the movement.
"""

from functools import cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field
from scipy import fft, ndimage

from nuvett.core.even.light import split_gains
from nuvett.core.types import Document, Floats, Linear

# Bins of mean log2, log2 R-G and log2 B-G; the cloud wraps around far outside what pictures hold.
BINS = (128, 64, 64)
STEP = np.array([0.125, 0.0625, 0.0625])
_LOWEST = np.array([-12.0, -2.0, -2.0])
_BLUR = (1.4, 1.2, 1.2)
_DARKEST, _CLIPPED = 0.002, 0.97  # linear light outside which a pixel says nothing about gain
_PRIOR_EV, _PRIOR_RATIO = 0.9, 0.22  # one standard deviation of the shift that is expected, in log2
_SHARPNESS = 90.0  # how strongly overlap counts against the prior
_NORM = 4.0  # between mean (1) and maximum; norms of 3 to 6 do about as well
_NORM_EV, _NORM_RATIO = 0.3, 0.4  # one standard deviation by which norms of frames of one place differ, in log2
WINDOW = (16, 10, 10)  # shifts searched, in bins: 2 EV and 0.6 log2 of ratio each way
OFFSETS = np.meshgrid(*[np.arange(-w, w + 1) * step for w, step in zip(WINDOW, STEP, strict=True)], indexing="ij")
_SURE_OVERLAP = (0.3, 0.75)  # overlap below and above which confidence is none and full


class EvenLight(Document):
    """Gains that bring a frame's light to its base, and how far to trust them.

    gains : linear RGB gains at full strength, already weakened by low confidence
    exposure : EV; warmth, tint : percent, as `split_gains` defines them
    confidence : 0 (nothing in common with the base; left alone) to 1
    base : what it was evened to, in words
    """

    schema_version: Literal[1] = 1
    gains: tuple[float, float, float] = (1.0, 1.0, 1.0)
    exposure: float = 0
    warmth: float = 0
    tint: float = 0
    confidence: float = Field(default=1.0, ge=0, le=1)
    base: str = ""

    def at(self, strength: float) -> Floats:
        """Gains (3,) at a strength from 0 (none) to 1."""
        return np.asarray(np.array(self.gains) ** strength, dtype=np.float32)


def light_cloud(linear: Linear) -> Floats:
    """Square root of the smoothed histogram of log RGB of colours (N, 3): (128, 64, 64), unit energy."""
    pixels = linear.reshape(-1, 3)
    usable = (pixels.min(axis=1) > _DARKEST) & (pixels.max(axis=1) < _CLIPPED)
    logs = np.log2(pixels[usable]) if usable.sum() > 50 else np.log2(np.clip(pixels, _DARKEST, 1))
    axes = np.stack([logs.mean(axis=1), logs[:, 0] - logs[:, 1], logs[:, 2] - logs[:, 1]], axis=1)
    position = np.rint((axes - _LOWEST) / STEP).astype(np.int64)
    position = np.clip(position, 0, np.array(BINS) - 1)
    flat = np.ravel_multi_index(tuple(position.T), BINS)
    histogram = np.bincount(flat, minlength=int(np.prod(BINS))).reshape(BINS).astype(np.float32)
    smooth = ndimage.gaussian_filter(histogram, _BLUR, mode="constant", truncate=2.5)
    return np.asarray(np.sqrt(smooth / smooth.sum()), dtype=np.float32)


def log_norm(cloud: Floats) -> NDArray[np.float64]:
    """Minkowski norm of a `light_cloud`'s colours as mean log2, log2 R-G and log2 B-G (3,)."""
    share = cloud.astype(np.float64) ** 2
    logs = [float(np.log2((share * powers).sum() / share.sum()) / _NORM) for powers in _powers()]
    return np.array([np.mean(logs), logs[0] - logs[1], logs[2] - logs[1]])


@cache
def _powers() -> tuple[NDArray[np.float64], ...]:
    """Each bin's red, green and blue raised to the norm's power, (128, 64, 64) each."""
    mean, red_green, blue_green = np.meshgrid(
        *[low + step * np.arange(count) for low, step, count in zip(_LOWEST, STEP, BINS, strict=True)], indexing="ij"
    )
    green = mean - (red_green + blue_green) / 3
    return tuple(2.0 ** (_NORM * logs) for logs in (green + red_green, green, green + blue_green))


def doubt(about: NDArray[np.float64], ev: float, ratio: float) -> NDArray[np.float64]:
    """Minus the log chance (33, 21, 21) of every shift under a Gaussian about one (3,), `ev` and `ratio` wide."""
    off = [axis - at for axis, at in zip(OFFSETS, about, strict=True)]
    return np.asarray(((off[0] / ev) ** 2 + (off[1] / ratio) ** 2 + (off[2] / ratio) ** 2) / 2)


def norm_doubt(shift: NDArray[np.float64]) -> NDArray[np.float64]:
    """What a difference of norms (3,) says against every shift in the window, (33, 21, 21)."""
    return doubt(shift, _NORM_EV, _NORM_RATIO)


def _overlap(cloud: Floats, base: Floats) -> Floats:
    """Bhattacharyya overlap of a cloud moved by each shift in the window with the base: (33, 21, 21)."""
    spectrum = fft.rfftn(base, workers=1) * np.conj(fft.rfftn(cloud, workers=1))
    full = fft.irfftn(spectrum, s=BINS, workers=1)
    picks = [np.arange(-w, w + 1) % n for w, n in zip(WINDOW, BINS, strict=True)]
    return np.asarray(full[np.ix_(*picks)], dtype=np.float32)


def overlay(cloud: Floats, base: Floats, base_name: str = "") -> EvenLight:
    """Even light of a frame's `light_cloud` to its base's.

    The overlap of every shift, weighed with a Gaussian prior around no change and with the norms' difference, is read
    as a likelihood; the result is the mean around its best place. With little overlap the confidence falls and the
    gains shrink with it.
    """
    overlap = _overlap(cloud, base)
    against = doubt(np.zeros(3), _PRIOR_EV, _PRIOR_RATIO) + norm_doubt(log_norm(base) - log_norm(cloud))
    score = _SHARPNESS * overlap - against
    weight = np.exp(score - score.max())
    weight /= weight.sum()
    shift = np.array([float((weight * axis).sum()) for axis in OFFSETS])
    return light_of_shift(shift, float(overlap.max()), base_name)


def light_of_shift(shift: np.ndarray, overlap: float, base_name: str) -> EvenLight:
    """Even light of a shift (3,) of mean log2, log2 R-G and log2 B-G, found with so much overlap (0 to 1)."""
    low, high = _SURE_OVERLAP
    confidence = float(np.clip((overlap - low) / (high - low), 0, 1))
    mean, red_green, blue_green = shift * min(1.0, confidence * 2)
    green = mean - (red_green + blue_green) / 3
    gains = 2.0 ** np.array([green + red_green, green, green + blue_green])
    exposure, warmth, tint = split_gains(gains.astype(np.float32))
    return EvenLight(
        gains=(float(gains[0]), float(gains[1]), float(gains[2])),
        exposure=exposure,
        warmth=warmth,
        tint=tint,
        confidence=confidence,
        base=base_name,
    )
