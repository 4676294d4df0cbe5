"""Set-ups: consecutive frames shot in one place and light."""

import itertools
from datetime import datetime

import numpy as np

from nuvett.core.types import Floats, Linear

_MIN_GAP = 600.0  # seconds without a frame that can mean a change of set-up
# Log2 of R/G, of B/G and of how bright the scene is; what a frame shows alone moves them by up to 0.6 and 1.7.
_LIGHT_CHANGE = np.array([0.75, 0.75, 2.0], dtype=np.float32)
_GROUP = 2  # frames on each side that must agree that the light changed
_GAP_RATIO = 6.0  # times the usual gap between frames


def rough_light(sample: Linear, exposure: float | None = None) -> Floats:
    """Rough colour and brightness of the light in a sample (N, 3), by its lighter half: (3,).

    Medians of log2 R/G and B/G, and log2 of the scene's luminance less the camera's recorded exposure, which is how
    bright the scene itself was; not a number where no exposure is known.
    """
    luminance = sample.sum(axis=1)
    bright = sample[luminance >= np.median(luminance)]
    logs = np.log2(np.clip(bright, 1e-3, 1))
    ratios = np.median(logs[:, [0, 2]] - logs[:, 1:2], axis=0)
    level = np.nan if exposure is None else float(np.median(logs.mean(axis=1))) - exposure
    return np.array([*ratios, level], dtype=np.float32)


def find_setups(taken: list[datetime | None], lights: list[Floats] | None = None) -> list[int]:
    """Set-up number of each frame, from 0, by pauses in the capture times and by lasting changes of the light's colour.

    taken : capture times in shooting order. A pause is a gap of at least ten minutes that is also six times the usual
        (median) gap; frames without a time stay with the frame before them
    lights : `rough_light` of each frame, none to go by times alone; a change counts when it lasts, so that one
        frame with a wrong white does not make a set-up of its own
    """
    known = [t for t in taken if t is not None]
    gaps = [(b - a).total_seconds() for a, b in itertools.pairwise(known)]
    short = [gap for gap in gaps if gap < _MIN_GAP] or [0.0]
    pause = max(_MIN_GAP, _GAP_RATIO * float(np.median(short)))
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
            if all(bool((np.abs(light - before) > _LIGHT_CHANGE).any()) for light in after):
                begins.add(at)
                last = at
    return [sum(1 for b in begins if b <= i) - 1 for i in range(len(numbers))]
