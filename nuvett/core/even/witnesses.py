"""What is said of the light of two frames: by shared things, by colours as a whole, by the camera's record.

To add a kind of witness, see docs/adding.md.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from nuvett.core.even.axes import log_axes
from nuvett.core.even.camera import scene_light
from nuvett.core.even.clouds import Camera
from nuvett.core.even.overlay import overlay
from nuvett.core.even.shared import Seen, Shared
from nuvett.core.even.witness import Witness
from nuvett.core.types import Linear

_FLOOR = np.array([0.02, 0.01, 0.01])  # what points cannot know better: noise, eight bits
_SPAN = np.array([0.3, 0.1, 0.1])  # what a single point may be off by, log2
_TURNED = np.array([0.1, 0.03, 0.04])  # what all points together may be off by, seen from another place: they reflect
_OF_A_THING = np.array([0.25, 0.06, 0.06])  # what a thing may be off by: another side of it, another part of a room
_DARK = 1e-3  # linear light below which a colour says no ratio
_RECORD = 0.1  # EV: rounded numbers, shutters and diaphragms
# What overlays were off by at so much overlap, on pairs of crops and tiles of photographs under known gains; rounded
# up where rendered frames of other places did worse (docs/decisions/0007).
_OVERLAPS = (0.5, 0.6, 0.7, 0.75, 0.8, 0.85, 0.9, 0.95)
_OFF_EV = (2.0, 1.0, 0.7, 0.5, 0.3, 0.18, 0.10, 0.08)
_OFF_WHITE = (0.30, 0.20, 0.14, 0.12, 0.10, 0.07, 0.04, 0.03)
_RICH = 400.0  # bins below which clouds are so plain that they lie on each other whatever they show
_AGREES = np.array([0.12, 0.18])  # log2 of R-G and B-G within which points that look alike agree with an overlay
_MIN_ALIKE, _MIN_LIKELY, _FEW_AGREE = 50, 14, 0.15
_MAX_SCATTER, _LIKELY_FLOOR = 0.4, 0.12  # EV
_MODE_WIDTH, _MODE_ROUNDS = 0.25, 5
_TURNS = (0.2, 0.35, 0.5, 0.65, 0.8)  # of all pairs, that points are paired at random by
_APART = 2.5  # times that an overlay of frames that show different things is off by


_PLAIN = 0.05  # EV: what shared things tell so well that colours as a whole need not be asked


@dataclass(frozen=True)
class Hearing:
    """What witnesses look at: frames, what each pair of them shares, and the camera that saw them.

    heard : what those before have said
    """

    frames: Sequence[Seen]
    shared: list[Shared]
    camera: Camera
    heard: tuple[Witness, ...] = ()


def by_things(hearing: Hearing) -> list[Witness]:
    """What things say that a person pointed at: the ratio of their colours, each thing for itself.

    A thing may stand in shade in one of the frames; what most of them say counts.
    """
    said, frames, camera = [], hearing.frames, hearing.camera.share
    for pair in hearing.shared:
        first, second = (frames[place].things for place in (pair.first, pair.second))
        for name in first.keys() & second.keys():
            one, other = (
                log_axes(scene_light(Linear(np.array([colours[name]], dtype=np.float32).clip(_DARK)), camera))
                for colours in (first, second)
            )
            said.append(Witness(pair.first, pair.second, (one - other)[0], _OF_A_THING, "things"))
    return said


def by_points(hearing: Hearing) -> list[Witness]:
    """What plainly shared points say: the median of their ratios, by how they scatter and how many they are."""
    said, camera = [], hearing.camera.share
    for pair in hearing.shared:
        if not pair.plainly:
            continue
        one, other = (log_axes(scene_light(Linear(colours), camera)) for colours in pair.match.sure)
        ratios = one - other
        middle = np.median(ratios, axis=0)
        scatter = 1.25 * np.median(np.abs(ratios - middle), axis=0) / np.sqrt(len(ratios) / 3)
        spread = np.sqrt(_FLOOR**2 + scatter**2 + _SPAN**2 / len(ratios) + (pair.match.turned * _TURNED) ** 2)
        said.append(Witness(pair.first, pair.second, middle, spread, "points"))
    return said


def by_colours(hearing: Hearing) -> list[Witness]:
    """What colours as a whole say, and points that only look alike, of frames whose things have not told plainly.

    The shift of the best overlay counts by how much lies on each other there. Its white tells which of the points
    that look alike may be right; where many do, their exposures' mode is a witness of its own, and where hardly any
    does, the frames show different things and the overlay says little of exposure.
    """
    camera = hearing.camera.share
    told = {(w.first, w.second) for w in hearing.heard if w.spread[0] < _PLAIN}
    said = []
    for pair in hearing.shared:
        if (pair.first, pair.second) in told:
            continue
        first, second = (hearing.camera.cloud(hearing.frames[place]) for place in (pair.first, pair.second))
        found = overlay(first, second)
        ev, white = (float(np.exp(np.interp(found.overlap, _OVERLAPS, np.log(v)))) for v in (_OFF_EV, _OFF_WHITE))
        poor = max(1.0, _RICH / min(first.richness, second.richness)) ** 2
        likely = _likely(pair, found.shift, camera)
        apart = _APART if likely.share < _FEW_AGREE and not pair.plainly else 1.0
        spread = np.array([ev * apart, white, white]) * poor
        said.append(Witness(pair.first, pair.second, found.shift, spread, "clouds"))
        if likely.share >= _FEW_AGREE and likely.count >= _MIN_LIKELY and likely.scatter < _MAX_SCATTER:
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
    if len(one) < _MIN_ALIKE:
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
    if len(exposures) < _MIN_LIKELY:
        return _Likely(share, len(exposures))
    mode = float(np.median(exposures))
    for _ in range(_MODE_ROUNDS):
        weight = np.exp(-0.5 * ((exposures - mode) / _MODE_WIDTH) ** 2)
        mode = float((weight * exposures).sum() / weight.sum())
    return _Likely(share, len(exposures), mode, float(np.median(np.abs(exposures - mode))))


def by_record(hearing: Hearing) -> list[Witness]:
    """What the camera wrote down of frames that show the same view: more exposure in one is less light needed.

    Of frames that show different things it says nothing: the photographer metered each for what it shows.
    """
    said = []
    for pair in hearing.shared:
        one, other = hearing.frames[pair.first].exposure, hearing.frames[pair.second].exposure
        if pair.plainly and one is not None and other is not None:
            difference = np.array([one - other, 0.0, 0.0])
            spread = np.array([_RECORD, np.inf, np.inf])
            said.append(Witness(pair.first, pair.second, difference, spread, "record"))
    return said


@dataclass(frozen=True)
class WitnessKind:
    """One kind of witness: its name, how it is told ("by things shared with 3 frames"), and what it says."""

    name: str
    words: str
    hear: Callable[[Hearing], list[Witness]]


WITNESSES: tuple[WitnessKind, ...] = (
    WitnessKind("things", "by what you pointed at in it", by_things),
    WitnessKind("points", "by things shared with {0} frame{1}", by_points),
    WitnessKind("clouds", "by its colours as a whole", by_colours),
    WitnessKind("record", "by the camera's record", by_record),
)
"""Every kind, in the order in which they are heard."""


def heard(hearing: Hearing, kinds: tuple[WitnessKind, ...] = WITNESSES) -> list[Witness]:
    """What all kinds of witness say, one after the other."""
    for kind in kinds:
        hearing = replace(hearing, heard=(*hearing.heard, *kind.hear(hearing)))
    return list(hearing.heard)
