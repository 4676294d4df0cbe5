"""From proxy pixels to a small stratified sample that stands for them in every later measurement."""

from dataclasses import dataclass

import numpy as np

from nuvett.core.errors import TooFewPixelsError
from nuvett.core.geometry.lens import LensCorrection
from nuvett.core.measure.statistics import MIN_PIXELS, thin
from nuvett.core.quick import power
from nuvett.core.spaces.oklab import LINEAR_TO_LMS, LMS_TO_OKLAB
from nuvett.core.types import Floats, Linear, Mask01, OKLab

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


def _to_be_ordered(linear: Floats) -> OKLab:
    """OKLab colours (N, 3) of linear light, by the arithmetic that samples have been ordered by from the beginning.

    Which pixels a sample takes hangs on the last bit of those at the edge of a cell: rounded otherwise, the same
    picture would be measured otherwise, though no worse.
    """
    responses = LINEAR_TO_LMS.astype(np.float32) @ linear.T
    roots = np.copysign(power(np.abs(responses), 1 / 3), responses)
    return OKLab((LMS_TO_OKLAB.astype(np.float32) @ roots).T)


@dataclass(frozen=True)
class Sample:
    """Equally weighted colours that stand for a picture, in colour order, with where they were seen.

    colours : (N, 3) linear; places : (N, 2) shares of the picture's width and height, 0 to 1
    """

    colours: Linear
    places: Floats

    def thinned(self, count: int) -> "Sample":
        """Every k-th, so that at most `count` remain."""
        return Sample(Linear(thin(self.colours, count)), thin(self.places, count))

    def lit(self, lens: LensCorrection, size: tuple[int, int]) -> "Sample":
        """With the light that a lens took from the corners of a picture of a size (width, height) in pixels."""
        light = lens.light(self.places[:, 0], self.places[:, 1], size)
        return Sample(Linear(self.colours * light[:, None]), self.places)


def stratified_sample(linear: Linear, weights: Mask01 | None = None, count: int = SAMPLE_SIZE) -> Linear:
    """At most `count` equally weighted colours (count, 3) standing for proxy pixels (..., 3).

    Raises TooFewPixelsError when the weights add up to fewer than MIN_PIXELS pixels.
    """
    return Linear(_stratified(linear, weights, count)[0])


def placed_sample(proxy: Linear, count: int = SAMPLE_SIZE) -> Sample:
    """Sample of a picture from its proxy (h, w, 3), with places. Raises TooFewPixelsError."""
    colours, taken = _stratified(proxy, None, count)
    height, width = proxy.shape[:2]
    places = np.stack([(taken % width + 0.5) / width, (taken // width + 0.5) / height], axis=1)
    return Sample(Linear(colours), places.astype(np.float32))


def _stratified(linear: Linear, weights: Mask01 | None, count: int) -> tuple[Floats, np.ndarray]:
    """Colours (count, 3) and the indices (count,) of the pixels that they were taken from.

    Pixels are put in colour order and taken at equal steps of cumulated weight, so every part of the colour cloud
    is represented in proportion; the result does not depend on where pixels lie in the picture. Any evenly
    spaced part of the result is again a stratified sample.
    """
    pixels = np.ascontiguousarray(linear, dtype=np.float32).reshape(-1, 3)
    flat = np.ones(len(pixels), dtype=np.float32) if weights is None else weights.reshape(-1)
    if float(flat.sum()) < MIN_PIXELS:
        raise TooFewPixelsError
    kept = np.flatnonzero(flat > 1e-3)
    order = kept[colour_order(_to_be_ordered(pixels[kept]))]
    cumulated = np.cumsum(flat[order], dtype=np.float64)
    count = min(count, len(kept))
    steps = (np.arange(count) + 0.5) / count * cumulated[-1]
    taken = order[np.searchsorted(cumulated, steps)]
    return np.asarray(pixels[taken], dtype=np.float32), taken
