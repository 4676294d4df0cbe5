"""Even light of the frames of one set-up together, from all that is known of them."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from nuvett.core.even.axes import gains_of_axes, log_axes
from nuvett.core.even.clouds import Camera
from nuvett.core.even.even_light import UNSURE, EvenLight, described
from nuvett.core.even.key import asked_by_key
from nuvett.core.even.shared import Matched, Seen, Shared, camera_share, match_seen, shared_points
from nuvett.core.even.solve import Solution, solve
from nuvett.core.even.witness import Witness
from nuvett.core.even.witnesses import Hearing, heard
from nuvett.core.evenly import evenly
from nuvett.core.smooth import smooth_step

MAX_TOGETHER = 16  # frames solved jointly; the others of a larger set-up join those
_NEAREST, _ANCHORS = 4, 8  # of the jointly solved that a later frame is held against: the nearest, and in all
# Shares of what white could be off by that must be known: none of it below the first, all above the second.
_TOLD = 0.05  # EV that the key must ask for to be told
_TRUST_WHITE = (0.2, 0.6)

Anchors = Sequence[tuple[Seen, EvenLight]]
"""Frames whose light is known already."""


def even_setup(
    frames: Sequence[Seen], base: str, hero: int | None = None, matched: Matched = match_seen
) -> list[EvenLight]:
    """Even light of each frame of a set-up, in shooting order; a frame alone stays.

    hero : index of a frame that stays as it is, none when frames meet in their middle
    matched : what two frames share; a caller may know it from before
    """
    if len(frames) == 1:
        return [EvenLight(base=base)]
    chosen = _spread_out(len(frames), hero)
    some = [frames[i] for i in chosen]
    place = chosen.index(hero) if hero is not None else None
    shared = shared_points(some, list(combinations(range(len(some)), 2)), matched)
    seen_by = Camera(camera_share(shared))  # one camera shot them all
    solved = _solved(some, base, shared, seen_by, {} if place is None else {place: np.zeros(3)}, place)
    known = dict(zip(chosen, solved, strict=True))
    found = dict(known)
    for index in range(len(frames)):
        if index not in found:
            near = sorted(chosen, key=lambda other: abs(other - index))[:_NEAREST]
            held = sorted({*near, *chosen[:: max(1, len(chosen) // (_ANCHORS - _NEAREST))]})
            found[index] = even_against(frames[index], [(frames[i], known[i]) for i in held], base, matched, seen_by)
    return [found[i] for i in range(len(frames))]


def even_against(
    frame: Seen, anchors: Anchors, base: str, matched: Matched = match_seen, seen_by: Camera | None = None
) -> EvenLight:
    """Even light of one frame by frames whose light is known: a later one of a set-up, or by another set-up's base.

    seen_by : the camera where it is known; else it is told by what the frames share
    """
    pinned = {i + 1: log_axes(light.gains) for i, (_, light) in enumerate(anchors)}
    frames = [frame, *(seen for seen, _ in anchors)]
    shared = shared_points(frames, [(0, i) for i in pinned], matched)
    return _solved(frames, base, shared, seen_by or Camera(camera_share(shared)), pinned, None)[0]


def _spread_out(count: int, hero: int | None) -> list[int]:
    """At most MAX_TOGETHER of so many frames, evenly spaced, the hero among them."""
    chosen = list(evenly(range(count), MAX_TOGETHER))
    return chosen if hero is None or hero in chosen else sorted([*chosen, hero])


def _solved(
    frames: list[Seen],
    base: str,
    shared: list[Shared],
    camera: Camera,
    pinned: dict[int, NDArray[np.float64]],
    hero: int | None,
) -> list[EvenLight]:
    told = heard(Hearing(frames, shared, camera))
    expected = np.zeros((len(frames), 3))
    expected[:, 0] = asked_by_key([frame.sample for frame in frames], {i: float(v[0]) for i, v in pinned.items()})
    found = _Found(base, camera.share, shared, told, solve([], pinned, expected), solve(told, pinned, expected))
    return [EvenLight(base=base) if index == hero else found.light(index) for index in range(len(frames))]


@dataclass(frozen=True)
class _Found:
    """All that was found of a set-up: what was said, and what follows from nothing but the key, and from all of it."""

    base: str
    camera: float
    shared: list[Shared]
    told: list[Witness]
    nothing: Solution
    solution: Solution

    def light(self, index: int) -> EvenLight:
        """What is applied to a frame.

        Exposure is the likeliest of all that was said, the key among it. White is taken as far as little of it is in
        doubt: of two frames without anything in common one may show warm things.
        """
        doubt = self.solution.deviation[index]
        known = np.clip(1 - (doubt / self.nothing.deviation[index]) ** 2, 0, 1)
        trust = np.array([1.0, *(_rise(k, _TRUST_WHITE) for k in known[1:])])
        gains = gains_of_axes(self.solution.needed[index] * trust)
        by_key = abs(self.nothing.needed[index][0]) > _TOLD
        return EvenLight(
            gains=gains,
            **described(gains),
            camera=self.camera,
            confidence=float(known[0]),
            doubt=float(doubt[0]),
            base=self.base,
            rests=self._rests(index, 0) if known[0] > UNSURE else "key",
            white_rests=self._rests(index, 1) if trust[1:].max() > 0 else "nothing",
            shared=sum(pair.plainly for pair in self.shared if index in (pair.first, pair.second)),
            key=float(1 - known[0]) if by_key else 0.0,
        )

    def _rests(self, index: int, axis: int) -> str:
        """Which kind of witness says most of a frame on an axis, among those that the solution agrees with."""
        said: dict[str, float] = {}
        needed = self.solution.needed[:, axis]
        for witness in self.told:
            if index not in (witness.first, witness.second) or not np.isfinite(witness.spread[axis]):
                continue
            misfit = needed[witness.second] - needed[witness.first] - witness.difference[axis]
            precision = witness.spread[axis] ** -2.0
            counted = precision / (1 + misfit**2 * precision / 4)
            said[witness.kind] = max(said.get(witness.kind, 0.0), counted)
        return max(said.items(), key=lambda item: item[1])[0] if said else "nothing"


def _rise(known: float, between: tuple[float, float]) -> float:
    return float(smooth_step(np.array((known - between[0]) / (between[1] - between[0]), dtype=np.float32)))
