"""What is said of the light of two frames: by shared things, by colours as a whole, by the camera's record."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nuvett.core.even.camera import scene_light
from nuvett.core.even.even_light import log_axes
from nuvett.core.even.overlay import light_cloud, overlay
from nuvett.core.even.shared import Seen, Shared
from nuvett.core.even.solve import Witness
from nuvett.core.types import Linear

_FLOOR = np.array([0.02, 0.01, 0.01])  # what points cannot know better: noise, eight bits
_SPAN = np.array([0.3, 0.1, 0.1])  # what a single point may be off by, log2
_TURNED = np.array([0.1, 0.03, 0.04])  # what all points together may be off by, seen from another place: they reflect
_RECORD = 0.1  # EV: rounded numbers, shutters and diaphragms
# What overlays were off by at so much overlap, on pairs of crops and tiles of photographs under known gains; rounded
# up where rendered frames of other places did worse (docs/decisions/0007).
_OVERLAPS = (0.5, 0.6, 0.7, 0.75, 0.8, 0.85, 0.9, 0.95)
_OFF_EV = (2.0, 1.0, 0.7, 0.5, 0.3, 0.18, 0.10, 0.08)
_OFF_WHITE = (0.30, 0.20, 0.14, 0.12, 0.10, 0.07, 0.04, 0.03)
_RICH = 400.0  # bins below which clouds are so plain that they lie on each other whatever they show
_AGREES = np.array([0.12, 0.18])  # log2 of R-G and B-G within which points that look alike agree with an overlay
_FEWEST_ALIKE, _FEWEST_LIKELY, _FEW_AGREE = 50, 14, 0.15
_MOST_SCATTER, _LIKELY_FLOOR = 0.4, 0.12  # EV
_MODE_WIDTH, _MODE_ROUNDS = 0.25, 5
_TURNS = (0.2, 0.35, 0.5, 0.65, 0.8)  # of all pairs, that points are paired at random by
_APART = 2.5  # times that an overlay of frames that show different things is off by


def by_points(shared: list[Shared], camera: float) -> list[Witness]:
    """What plainly shared points say: the median of their ratios, by how they scatter and how many they are."""
    said = []
    for pair in shared:
        if not pair.plainly:
            continue
        one, other = (log_axes(scene_light(Linear(colours), camera)) for colours in pair.match.sure)
        ratios = one - other
        middle = np.median(ratios, axis=0)
        scatter = 1.25 * np.median(np.abs(ratios - middle), axis=0) / np.sqrt(len(ratios) / 3)
        spread = np.sqrt(_FLOOR**2 + scatter**2 + _SPAN**2 / len(ratios) + (pair.match.turned * _TURNED) ** 2)
        said.append(Witness(pair.first, pair.second, middle, spread, "points"))
    return said


def by_colours(frames: Sequence[Seen], shared: list[Shared], camera: float) -> list[Witness]:
    """What colours as a whole say, and points that only look alike.

    The shift of the best overlay counts by how much lies on each other there. Its white tells which of the points
    that look alike may be right; where many do, their exposures' mode is a witness of its own, and where hardly any
    does, the frames show different things and the overlay says little of exposure.
    """
    clouds = [light_cloud(scene_light(Linear(np.clip(frame.sample, 0, 1)), camera)) for frame in frames]
    said = []
    for pair in shared:
        first, second = clouds[pair.first], clouds[pair.second]
        found = overlay(first, second)
        ev, white = (float(np.exp(np.interp(found.overlap, _OVERLAPS, np.log(v)))) for v in (_OFF_EV, _OFF_WHITE))
        poor = max(1.0, _RICH / min(first.richness, second.richness)) ** 2
        likely = _likely(pair, found.shift, camera)
        apart = _APART if likely.share < _FEW_AGREE and not pair.plainly else 1.0
        spread = np.array([ev * apart, white, white]) * poor
        said.append(Witness(pair.first, pair.second, found.shift, spread, "clouds"))
        if likely.share >= _FEW_AGREE and likely.count >= _FEWEST_LIKELY and likely.scatter < _MOST_SCATTER:
            difference = np.array([likely.exposure, 0.0, 0.0])
            spread = np.array([float(np.hypot(_LIKELY_FLOOR, likely.scatter)), np.inf, np.inf])
            said.append(Witness(pair.first, pair.second, difference, spread, "points"))
    return said


@dataclass(frozen=True)
class _Likely:
    """Points that look alike and whose colours agree under the overlay's white.

    share : of all that look alike, beyond what chance would have; 1 where there are too few to say
    exposure, scatter : mode of their ratios in EV, and the median deviation from it
    """

    share: float
    count: int = 0
    exposure: float = 0.0
    scatter: float = np.inf


def _likely(pair: Shared, shift: NDArray[np.float64], camera: float) -> _Likely:
    one, other = (log_axes(scene_light(Linear(colours), camera)) for colours in pair.match.likely)
    if len(one) < _FEWEST_ALIKE:
        return _Likely(1.0)
    ratios = one - other
    agree = (np.abs(ratios[:, 1:] - shift[1:]) < _AGREES).all(axis=1)
    # Where all is of much the same colour, wrong pairs agree, too: what points paired at random do is taken off.
    turns = [round(len(one) * turn) for turn in _TURNS]
    chance = [
        (np.abs((one - np.roll(other, t, axis=0))[:, 1:] - shift[1:]) < _AGREES).all(axis=1).mean() for t in turns
    ]
    share = float(agree.mean() - np.mean(chance))
    exposures = ratios[agree, 0]
    if len(exposures) < _FEWEST_LIKELY:
        return _Likely(share, len(exposures))
    mode = float(np.median(exposures))
    for _ in range(_MODE_ROUNDS):
        weight = np.exp(-0.5 * ((exposures - mode) / _MODE_WIDTH) ** 2)
        mode = float((weight * exposures).sum() / weight.sum())
    return _Likely(share, len(exposures), mode, float(np.median(np.abs(exposures - mode))))


def by_record(frames: Sequence[Seen], pairs: Iterable[tuple[int, int]]) -> list[Witness]:
    """What the camera wrote down: more exposure in one frame is less light needed, as long as the light is the same."""
    said = []
    for first, second in pairs:
        one, other = frames[first].exposure, frames[second].exposure
        if one is not None and other is not None:
            difference = np.array([one - other, 0.0, 0.0])
            said.append(Witness(first, second, difference, np.array([_RECORD, np.inf, np.inf]), "record"))
    return said
