"""Set-ups: consecutive frames shot in one place and light."""

import itertools
from datetime import datetime

import numpy as np

from nuvett.core.types import Floats, Linear

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


def robust_pool(samples: list[Linear], count: int) -> Linear:
    """A base (count, 3) for frames of one set-up without a hero: all samples, each first moved by a gain.

    The gain takes a frame's per-channel median of log light halfway to the median over frames.

    Halfway only, because what differs between two frames is part light and part subject.
    """
    centres = np.array([np.median(np.log(np.maximum(s, 1e-3)), axis=0) for s in samples])
    middle = np.median(centres, axis=0)
    share = max(1, count // len(samples))
    parts: list[Floats] = []
    for sample, centre in zip(samples, centres, strict=True):
        index = ((np.arange(share) + 0.5) * len(sample) / share).astype(np.int64)
        parts.append(sample[index] * np.exp((middle - centre) / 2).astype(np.float32))
    return np.concatenate(parts)
