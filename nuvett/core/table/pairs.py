"""Before and after of one picture laid over each other, also where one was moved or cut."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from nuvett.core.errors import PairError
from nuvett.core.registration.features import find_features
from nuvett.core.registration.matching import matched_places
from nuvett.core.spaces.cielab import difference
from nuvett.core.spaces.rgb import to_linear
from nuvett.core.table.held import HeldTable
from nuvett.core.table.infer import register
from nuvett.core.types import Encoded01, Floats

_PROPORTIONS = 0.02  # by which two pictures may differ and still be of one cut
_MIN, _PIXELS = 20, 2.0  # matched points that must agree, and how well
_MIN_OVERLAP = 0.1  # of the before picture
_DISAGREES = 4.0  # CIEDE2000 by which a pixel departs from what the table says


@dataclass(frozen=True)
class LaidOver:
    """The part that both pictures of a pair show, encoded sRGB (H, W, 3) each, and what was done for that in words."""

    before: Encoded01
    after: Encoded01
    words: str


def lay_over(before: Encoded01, after: Encoded01) -> LaidOver:
    """The after picture laid over the before picture, both encoded sRGB (H, W, 3) of about one size.

    A small move is found by phase correlation, a cut by points that both show. Raises PairError when the two do not
    show the same.
    """
    proportions = [p.shape[1] / p.shape[0] for p in (before, after)]
    if abs(proportions[0] / proportions[1] - 1) < _PROPORTIONS:
        try:
            sized = _sized(after, (before.shape[1], before.shape[0]))
            return LaidOver(before, register(before, sized), "shown alike")
        except PairError:
            pass  # perhaps one of them was cut in the same proportion
    return _cut_alike(before, after)


def _sized(picture: Encoded01, size: tuple[int, int]) -> Encoded01:
    if (picture.shape[1], picture.shape[0]) == size:
        return picture
    return Encoded01(np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), np.float32))


def _cut_alike(before: Encoded01, after: Encoded01) -> LaidOver:
    """The part of the before picture that the after picture shows, by points found in both."""
    first, second = (find_features(to_linear(Encoded01(np.clip(p, 0, 1)))) for p in (before, after))
    here, there = matched_places(first, second)
    if len(here) < _MIN:
        raise PairError
    move, fits = cv2.estimateAffinePartial2D(
        here, there, method=cv2.RANSAC, ransacReprojThreshold=_PIXELS, maxIters=2000, confidence=0.999
    )
    if move is None or int(fits.sum()) < max(_MIN, len(here) // 3):
        raise PairError
    height, width = before.shape[:2]
    warped = cv2.warpAffine(after, move, (width, height), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
    ones = np.ones(after.shape[:2], np.float32)
    shown = cv2.warpAffine(ones, move, (width, height), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP) > 0.99
    rows, columns = _inner(shown)
    if (rows.stop - rows.start) * (columns.stop - columns.start) < _MIN_OVERLAP * width * height:
        raise PairError("The two pictures show too little in common; export them with the same cut.")
    share = 100 * (rows.stop - rows.start) * (columns.stop - columns.start) / (width * height)
    return LaidOver(
        Encoded01(np.ascontiguousarray(before[rows, columns])),
        Encoded01(np.ascontiguousarray(warped[rows, columns])),
        f"one is cropped: the {share:.0f} % that both show were compared",
    )


def _inner(shown: NDArray[np.bool_]) -> tuple[slice, slice]:
    """Rows and columns of a rectangle inside what is shown, one pixel off its border."""
    rows, columns = (np.flatnonzero(shown.mean(axis=axis) > 0.9 * shown.mean(axis=axis).max()) for axis in (1, 0))
    if not len(rows) or not len(columns):
        raise PairError
    return slice(rows[0] + 1, max(rows[0] + 2, rows[-1])), slice(columns[0] + 1, max(columns[0] + 2, columns[-1]))


def disagreement(pair: LaidOver, table: HeldTable) -> Floats:
    """CIEDE2000 (H, W) between what a table makes of the before picture and the after picture."""
    made = table.looked_up(Encoded01(pair.before.reshape(-1, 3)))
    wanted = Encoded01(np.clip(pair.after.reshape(-1, 3), 0, 1))
    return np.asarray(difference(to_linear(made), to_linear(wanted)).reshape(pair.before.shape[:2]), dtype=np.float32)


def disagrees(difference_of: Floats) -> NDArray[np.bool_]:
    """Where a pair does not agree with its table (H, W), single pixels and thin edges left out."""
    smooth = cv2.blur(np.minimum(difference_of, 3 * _DISAGREES), (5, 5))
    return np.asarray(smooth > _DISAGREES)
