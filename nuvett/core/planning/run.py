"""The lightness of a series in shooting order, drawn in as many columns as can be told apart."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

MAX_COLUMNS = 120
"""Columns that the run of a series is drawn in at most; neighbours share one where there are more frames."""

Marks = tuple[float, ...]
"""(7,) CIE L* at the shares of MARKS."""


@dataclass(frozen=True)
class Column:
    """Neighbours in a run: places of the first and the last, and marks of what is seen of them.

    came : middle as they came; low, high : farthest that the tenth and the ninth tenth of one of them reach
    quarter, middle, three_quarters : of what is seen, in the middle of them
    """

    first: int
    last: int
    came: float
    low: float
    quarter: float
    middle: float
    three_quarters: float
    high: float


def columns_of(run: Sequence[tuple[Marks, Marks] | None], most: int = MAX_COLUMNS) -> list[Column]:
    """A run of frames by their marks as they came and as shown, in at most `most` columns.

    Frames of which nothing is known are none; columns of such alone are left out.
    """
    each = max(1, -(-len(run) // most))
    found = []
    for first in range(0, len(run), each):
        known = [pair for pair in run[first : first + each] if pair is not None]
        if known:
            came, shown = (np.array(marks, dtype=np.float32) for marks in zip(*known, strict=True))
            low, high = float(shown[:, 1].min()), float(shown[:, 5].max())
            quarter, middle, upper = (float(value) for value in np.median(shown[:, 2:5], axis=0))
            last = min(first + each, len(run)) - 1
            found.append(Column(first, last, float(np.median(came[:, 3])), low, quarter, middle, upper, high))
    return found
