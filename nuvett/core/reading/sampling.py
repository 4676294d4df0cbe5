"""From proxy pixels to a small stratified sample that stands for them in every later measurement."""

import numpy as np

from nuvett.core.errors import TooFewPixelsError
from nuvett.core.fit.statistics import MINIMUM_PIXELS
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.types import Linear, Mask01, OKLab

SAMPLE_SIZE = 8192
PROXY_PIXELS = 250_000  # area of the proxy that everything is measured on


def _spread(bits: int, offset: int) -> np.ndarray:
    """(2^bits,) numbers with their bits three places apart, the lowest at `offset`."""
    numbers = np.arange(2**bits, dtype=np.uint16)
    places = [((numbers >> bit) & 1) << (3 * bit + offset) for bit in range(bits)]
    return np.asarray(np.sum(places, axis=0), dtype=np.uint16)


# 6 bits of lightness, 5 each of a and b: sixteen in all, because sixteen-bit keys are sorted by radix.
_LIGHTNESS_BITS, _A_BITS, _B_BITS = _spread(6, 0), _spread(5, 2), _spread(5, 1)
_WIDEST = 0.2  # a and b beyond this share the outermost cells


def colour_order(lab: OKLab) -> np.ndarray:
    """Indices that put OKLab colours (N, 3) in Morton order, so that neighbours in the order look alike."""
    cells = lab * np.array([64, 16 / _WIDEST, 16 / _WIDEST], dtype=np.float32)
    cells[:, 1:] += 16
    codes = np.clip(cells, 0, [63, 31, 31]).astype(np.uint8)
    keys = _LIGHTNESS_BITS[codes[:, 0]] | _A_BITS[codes[:, 1]] | _B_BITS[codes[:, 2]]
    return np.argsort(keys, kind="stable")


def stratified_sample(linear: Linear, weights: Mask01 | None = None, count: int = SAMPLE_SIZE) -> Linear:
    """At most `count` equally weighted colours (count, 3) standing for proxy pixels (..., 3).

    Pixels are put in colour order and taken at equal steps of cumulated weight, so every part of the colour cloud
    is represented in proportion; the result does not depend on where pixels lie in the picture. Any evenly
    spaced part of the result is again a stratified sample.

    Raises TooFewPixelsError when the weights add up to fewer than MINIMUM_PIXELS pixels.
    """
    pixels = np.ascontiguousarray(linear, dtype=np.float32).reshape(-1, 3)
    flat = np.ones(len(pixels), dtype=np.float32) if weights is None else weights.reshape(-1)
    if float(flat.sum()) < MINIMUM_PIXELS:
        raise TooFewPixelsError
    kept = np.flatnonzero(flat > 1e-3)
    pixels, flat = pixels[kept], flat[kept]
    order = colour_order(linear_to_oklab(pixels))
    cumulated = np.cumsum(flat[order], dtype=np.float64)
    count = min(count, len(pixels))
    steps = (np.arange(count) + 0.5) / count * cumulated[-1]
    return np.asarray(pixels[order[np.searchsorted(cumulated, steps)]], dtype=np.float32)
