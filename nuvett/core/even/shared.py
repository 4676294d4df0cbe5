"""What two frames share, and how much of a camera's curve shared things show."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from nuvett.core.even.camera import scene_light
from nuvett.core.registration.features import Features
from nuvett.core.registration.matching import Match, match_points
from nuvett.core.types import Linear

MIN_SHARED = 6
_SHARES = np.linspace(0, 1, 5)  # of the camera curve that are tried
_USUAL_SHARE, _SHARE_SPREAD = 0.5, 0.4  # of pictures whose own points do not tell
_SLOPE_FLOOR = 0.01


@dataclass(frozen=True)
class Seen:
    """What a frame brings to evening: its sample (N, 3), its points, and the exposure that the camera wrote down.

    exposure : log2 of seconds times ISO over the f-number's square; none when it is not known
    things : linear colours of things that a person pointed at in several frames, by what names them
    name : names its points, where they have a name
    """

    sample: Linear
    features: Features
    exposure: float | None = None
    things: Mapping[str, tuple[float, float, float]] = field(default_factory=dict)
    name: str = ""


@dataclass(frozen=True)
class Shared:
    """What the frames of one pair share."""

    first: int
    second: int
    match: Match

    @property
    def plainly(self) -> bool:
        """Whether they show the same things for sure."""
        return len(self.match.sure[0]) >= MIN_SHARED


Matched = Callable[[Seen, Seen], Match]


def match_seen(first: Seen, second: Seen) -> Match:
    """Points that two frames share."""
    return match_points(first.features, second.features)


def shared_points(
    frames: Sequence[Seen], pairs: Iterable[tuple[int, int]], matched: Matched = match_seen
) -> list[Shared]:
    """What the frames of each pair share."""
    return [Shared(i, j, matched(frames[i], frames[j])) for i, j in pairs]


def camera_share(shared: list[Shared]) -> float:
    """How much of the camera curve pictures show, 0 to 1.

    Before the curve, a difference of exposure is the same at every level; after it, less near white. For each share
    the slope of points' ratios over their level is tested against none; the mean over all shares, weighed with what
    finished pictures usually show.
    """
    against = (((_SHARES - _USUAL_SHARE) / _SHARE_SPREAD) ** 2) / 2
    for pair in shared:
        if not pair.plainly:
            continue
        against += [_slope_doubt(pair, float(share)) for share in _SHARES]
    chance = np.exp(against.min() - against)
    return float((chance * _SHARES).sum() / chance.sum())


def _slope_doubt(pair: Shared, share: float) -> float:
    """Half the squared t of the slope of ratios over level, without outliers: its mean over the channels."""
    one, other = (np.log2(scene_light(Linear(colours), share)).astype(np.float64) for colours in pair.match.sure)
    found = 0.0
    for ratio, level in zip((other - one).T, ((one + other) / 2).T, strict=True):
        middle = np.median(ratio)
        near = np.abs(ratio - middle) < 4 * np.median(np.abs(ratio - middle)) + 0.04
        off, at = ratio[near] - ratio[near].mean(), level[near] - level[near].mean()
        width = float((at**2).sum())
        if near.sum() < MIN_SHARED or width < 1e-3:
            continue
        slope = float((off * at).sum()) / width
        error = float(((off - slope * at) ** 2).sum()) / (len(off) - 2) / width
        found += slope**2 / (error + _SLOPE_FLOOR**2) / 6
    return found
