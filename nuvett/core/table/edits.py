"""Where a picture of a pair was changed in a part of it alone, which no table can carry."""

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from nuvett.core.table.broad import broad_look
from nuvett.core.types import OKLab

_ROUNDS = 5
_AROUND = 13  # pixels a side that the change is looked at over
_APART, _MIN_APART = 2.5, 0.02  # times the usual miss, and OKLab, by which a place departs from the whole's look
_SMALLEST = 0.004  # share of a picture below which a part is noise
_BINS = 12  # along each axis of OKLab, that colours are compared in
_ELSEWHERE = 12  # pixels of a colour outside a part that say what is done to it there
_CONFLICT, _CONFLICTING = 0.025, 0.3  # OKLab by which the same colour is changed otherwise, in such a share of a part
_GROWN = 9  # pixels by which a part is grown, because edits fade out


def local_edits(before: OKLab, after: OKLab, shapes: Sequence[tuple[int, int]]) -> NDArray[np.bool_]:
    """Which pixels (N,) of pictures lie in a part that was edited by itself; colours OKLab (N, 3) each.

    A part departs together from the broad look of the rest, and the same colours outside it are changed otherwise. A
    colour that lies in such a part alone says nothing either way, and is believed where the whole part does not
    conflict: a look may well change blues by themselves, and all blue may lie in the sky.

    shapes : height and width of each picture, one after the other in `before` and `after`
    """
    change = after - before
    weight = np.ones(len(before))
    apart = np.zeros(len(before), dtype=bool)
    for _ in range(_ROUNDS):
        miss = np.linalg.norm(broad_look(before, after, weight).change(before) - change, axis=1)
        around = _over_parts(miss, shapes)
        usual = float(np.median(around[~apart])) if (~apart).any() else float(np.median(around))
        apart = around > max(_APART * usual, _MIN_APART)
        weight = (~apart).astype(np.float64)
        if weight.mean() < 0.2:
            return np.zeros(len(before), dtype=bool)
    edited, at = np.zeros(len(before), dtype=bool), 0
    bins = _bins(before)
    for height, width in shapes:
        own = slice(at, at + height * width)
        count, labels = cv2.connectedComponents(apart[own].reshape(height, width).astype(np.uint8))
        for label in range(1, count):
            part = np.zeros(len(before), dtype=bool)
            part[own] = (labels == label).ravel()
            if part.sum() >= _SMALLEST * height * width and _conflicts(part, apart, bins, change):
                grown = cv2.dilate(
                    part[own].reshape(height, width).astype(np.uint8), np.ones((_GROWN, _GROWN), np.uint8)
                )
                edited[own] |= grown.ravel() > 0
        at += height * width
    return edited


def _over_parts(values: NDArray[np.floating], shapes: Sequence[tuple[int, int]]) -> NDArray[np.float64]:
    """Means of values (N,) over their surroundings, picture by picture."""
    out, at = np.empty(len(values)), 0
    for height, width in shapes:
        part = values[at : at + height * width].reshape(height, width).astype(np.float32)
        out[at : at + height * width] = cv2.blur(part, (_AROUND, _AROUND)).ravel()
        at += height * width
    return out


def _bins(lab: OKLab) -> NDArray[np.int64]:
    """Which cell of OKLab each colour (N, 3) lies in."""
    place = (lab * (1, 3, 3) + (0, 0.5, 0.5)).clip(0, 0.999) * _BINS
    return np.asarray(place.astype(np.int64) @ np.array([_BINS * _BINS, _BINS, 1]))


def _conflicts(
    part: NDArray[np.bool_], apart: NDArray[np.bool_], bins: NDArray[np.int64], change: NDArray[np.floating]
) -> bool:
    """Whether enough of a part's colours are changed otherwise outside of all parts."""
    cells = _BINS**3

    def means(of: NDArray[np.bool_]) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
        count = np.bincount(bins[of], minlength=cells)
        sums = np.stack([np.bincount(bins[of], change[of, k], cells) for k in range(3)], axis=1)
        return sums / np.maximum(count, 1)[:, None], count

    inside, here = means(part)
    outside, there = means(~apart)
    otherwise = (there >= _ELSEWHERE) & (np.linalg.norm(inside - outside, axis=1) > _CONFLICT)
    return float(here[otherwise].sum()) > _CONFLICTING * float(here.sum())
