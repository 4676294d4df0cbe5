"""The key of a frame: how light it is as a whole, and what bringing the frames of a set-up to one key asks of each.

Metering is what a photographer wanted of a frame, so frames that show different things are not brought to equal
exposure but most of the way to one key; what they share decides where they share anything
(docs/decisions/0024-even-as-seen.md).
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from nuvett.core.types import Linear

_LUMINANCE = np.array([0.2126, 0.7152, 0.0722])  # IEC 61966-2-1
_DARKEST = 1e-4
_TELLS = (-8.0, -0.15)  # keys of frames that are neither black nor white all over
_WAY = 0.7  # of the way to the common key that frames are brought
_MAX = 0.8  # EV that a frame is moved for its key, approached softly: a dark picture may be meant so
_WHITE, _QUANTILE, _BEYOND = 0.9, 0.98, 0.3  # its lights are raised up to this luminance, and so many EV beyond


def key_of(sample: Linear) -> float:
    """Key of a frame by its colours (N, 3): log2 of their middle luminance."""
    return float(np.median(np.log2(np.maximum(sample @ _LUMINANCE, _DARKEST))))


def headroom_of(sample: Linear) -> float:
    """EV by which a frame can be lightened until its lights are white."""
    return float(np.log2(_WHITE / max(float(np.quantile(sample @ _LUMINANCE, _QUANTILE)), 1e-3)))


def asked_by_key(samples: Sequence[Linear], pinned: dict[int, float]) -> NDArray[np.float64]:
    """EV (N,) that bring frames towards one key: that of the frames whose light is known, else their middle.

    pinned : EV that frames are known to need, by their index

    Frames that are black or white all over have no key: nothing is asked of them, nor by them.
    """
    keys = np.array([key_of(sample) for sample in samples])
    tells = (keys > _TELLS[0]) & (keys < _TELLS[1])
    known = [keys[i] + need for i, need in pinned.items() if tells[i]]
    if not tells.any() or (pinned and not known):
        return np.zeros(len(keys))
    goal = float(np.mean(known)) if known else float(np.median(keys[tells]))
    asked = np.where(tells, _MAX * np.tanh(_WAY * (goal - keys) / _MAX), 0.0)
    room = np.array([headroom_of(sample) for sample in samples])
    return np.asarray(np.minimum(asked, np.maximum(room, 0) + _BEYOND))
