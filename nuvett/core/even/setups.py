"""Set-ups: consecutive frames shot in one place and light."""

import itertools
from datetime import datetime

import numpy as np

_LEAST_GAP = 600.0  # seconds without a frame that can mean a change of set-up
_GAP_RATIO = 6.0  # times the usual gap between frames


def find_setups(taken: list[datetime | None]) -> list[int]:
    """Set-up number of each frame, from 0, by pauses in the capture times of frames in shooting order.

    A pause is a gap of at least ten minutes that is also six times the usual (median) gap. Frames without a capture
    time stay with the frame before them.
    """
    known = [t for t in taken if t is not None]
    gaps = [(b - a).total_seconds() for a, b in itertools.pairwise(known)]
    short = [gap for gap in gaps if gap < _LEAST_GAP] or [0.0]
    pause = max(_LEAST_GAP, _GAP_RATIO * float(np.median(short)))
    numbers: list[int] = []
    current, before = 0, None
    for time in taken:
        if time is not None:
            if before is not None and (time - before).total_seconds() >= pause:
                current += 1
            before = time
        numbers.append(current)
    return numbers
