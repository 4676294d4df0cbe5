"""Set-ups: consecutive frames shot in one place and light."""

import itertools
from datetime import datetime

import numpy as np

from nuvett.core.types import Floats, Linear

_LEAST_GAP = 600.0  # seconds without a frame that can mean a change of set-up
_LIGHT_CHANGE = 0.75  # log2 of R/G or B/G; what a frame shows alone moves it by up to 0.6
_GROUP = 2  # frames on each side that must agree that the light changed
_GAP_RATIO = 6.0  # times the usual gap between frames


def light_colour(sample: Linear) -> Floats:
    """Rough colour of the light in a sample (N, 3): medians of log2 R/G and B/G over its lighter half (2,)."""
    bright = sample[sample.sum(axis=1) >= np.median(sample.sum(axis=1))]
    logs = np.log2(np.clip(bright, 1e-3, 1))
    return np.asarray(np.median(logs[:, [0, 2]] - logs[:, 1:2], axis=0), dtype=np.float32)


def find_setups(taken: list[datetime | None], lights: list[Floats] | None = None) -> list[int]:
    """Set-up number of each frame, from 0, by pauses in the capture times and by lasting changes of the light's colour.

    taken : capture times in shooting order. A pause is a gap of at least ten minutes that is also six times the usual
        (median) gap; frames without a time stay with the frame before them
    lights : `light_colour` of each frame, none to go by times alone; a change counts when it lasts, so that one
        frame with a wrong white does not make a set-up of its own
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
    return numbers if lights is None else _split_by_light(numbers, lights)


def _split_by_light(numbers: list[int], lights: list[Floats]) -> list[int]:
    """Number set-ups anew, beginning one also where the light's colour changes for good."""
    begins = {0} | {i for i in range(1, len(numbers)) if numbers[i] != numbers[i - 1]}
    for start in sorted(begins):
        end = next((i for i in range(start + 1, len(numbers)) if numbers[i] != numbers[start]), len(numbers))
        last = start
        for at in range(start + _GROUP, end - _GROUP + 1):
            if at - last < _GROUP:
                continue
            before = np.median(lights[max(last, at - 3) : at], axis=0)
            after = lights[at : min(end, at + 3)]
            # Each frame after must differ from those before by more than whites wander within a set-up.
            if min(float(np.abs(light - before).max()) for light in after) > _LIGHT_CHANGE:
                begins.add(at)
                last = at
    return [sum(1 for b in begins if b <= i) - 1 for i in range(len(numbers))]
