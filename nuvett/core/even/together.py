"""Even light of the frames of one set-up together, from all that is known of them."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from nuvett.core.even.even_light import EvenLight, Rests, described, gains_of_axes, log_axes
from nuvett.core.even.shared import Seen, Shared, camera_share, shared_points
from nuvett.core.even.solve import Kind, Solution, Witness, solve
from nuvett.core.even.witnesses import by_colours, by_points, by_record
from nuvett.core.smooth import smooth_step

MOST_TOGETHER = 16  # frames solved jointly; the others of a larger set-up join those
_NEAREST, _ANCHORS = 4, 8  # of the jointly solved that a later frame is held against: the nearest, and in all
# Shares of what a frame could be off by that must be known: none of a correction below the first, all above the second.
_TRUST_EXPOSURE, _TRUST_WHITE = (0.55, 0.85), (0.2, 0.6)

_PLAIN = 0.05  # EV: what shared things tell so well that colours as a whole need not be asked

Anchors = Sequence[tuple[Seen, EvenLight]]
"""Frames whose light is known already."""


def even_setup(frames: Sequence[Seen], base: str, hero: int | None = None) -> list[EvenLight]:
    """Even light of each frame of a set-up, in shooting order; a frame alone stays.

    hero : index of a frame that stays as it is, none when frames meet in their middle
    """
    if len(frames) == 1:
        return [EvenLight(base=base)]
    chosen = _spread_out(len(frames), hero)
    some = [frames[i] for i in chosen]
    place = chosen.index(hero) if hero is not None else None
    solved = _solved(some, base, {} if place is None else {place: np.zeros(3)}, place)
    known = dict(zip(chosen, solved, strict=True))
    found = dict(known)
    for index in range(len(frames)):
        if index not in found:
            near = sorted(chosen, key=lambda other: abs(other - index))[:_NEAREST]
            held = sorted({*near, *chosen[:: max(1, len(chosen) // (_ANCHORS - _NEAREST))]})
            found[index] = even_against(frames[index], [(frames[i], known[i]) for i in held], base)
    return [found[i] for i in range(len(frames))]


def even_against(frame: Seen, anchors: Anchors, base: str) -> EvenLight:
    """Even light of one frame by frames whose light is known: a later one of a set-up, or by another set-up's base."""
    pinned = {i + 1: log_axes(light.gains) for i, (_, light) in enumerate(anchors)}
    return _solved([frame, *(seen for seen, _ in anchors)], base, pinned, None)[0]


def _spread_out(count: int, hero: int | None) -> list[int]:
    """At most MOST_TOGETHER of so many frames, evenly spaced, the hero among them."""
    chosen = list(range(0, count, -(-count // MOST_TOGETHER)))
    return chosen if hero is None or hero in chosen else sorted([*chosen, hero])


def _solved(frames: list[Seen], base: str, pinned: dict[int, NDArray[np.float64]], hero: int | None) -> list[EvenLight]:
    pairs = [pair for pair in combinations(range(len(frames)), 2) if not (pair[0] in pinned and pair[1] in pinned)]
    shared = shared_points(frames, pairs)
    camera = camera_share(shared)
    told = by_points(shared, camera)
    plain = {(w.first, w.second) for w in told if w.spread[0] < _PLAIN}
    told += by_colours(frames, [pair for pair in shared if (pair.first, pair.second) not in plain], camera)
    told += by_record(frames, pairs)
    found = _Found(base, camera, shared, told, solve(len(frames), [], pinned), solve(len(frames), told, pinned))
    return [EvenLight(base=base) if index == hero else found.light(index) for index in range(len(frames))]


@dataclass(frozen=True)
class _Found:
    """All that was found of a set-up: what was said, and what follows from nothing and from all of it."""

    base: str
    camera: float
    shared: list[Shared]
    told: list[Witness]
    nothing: Solution
    solution: Solution

    def light(self, index: int) -> EvenLight:
        """What is applied to a frame: what was found, as far as its doubt is small against what it could be off by."""
        doubt = self.solution.deviation[index]
        known = np.clip(1 - (doubt / self.nothing.deviation[index]) ** 2, 0, 1)
        trust = np.array([_rise(known[0], _TRUST_EXPOSURE), *(_rise(k, _TRUST_WHITE) for k in known[1:])])
        gains = gains_of_axes(self.solution.needed[index] * trust)
        return EvenLight(
            gains=gains,
            **described(gains),
            camera=self.camera,
            confidence=float(known[0]),
            doubt=float(doubt[0]),
            base=self.base,
            rests=_rests([w for w in self.told if index in (w.first, w.second)], self.solution),
            shared=sum(pair.plainly for pair in self.shared if index in (pair.first, pair.second)),
        )


def _rise(known: float, between: tuple[float, float]) -> float:
    return float(smooth_step(np.array((known - between[0]) / (between[1] - between[0]), dtype=np.float32)))


def _rests(own: list[Witness], solution: Solution) -> Rests:
    """Which kind of witness says most of a frame's exposure, among those that the solution agrees with."""
    said: dict[Kind, float] = {}
    for witness in own:
        misfit = solution.needed[witness.second, 0] - solution.needed[witness.first, 0] - witness.difference[0]
        precision = witness.spread[0] ** -2.0
        counted = precision / (1 + misfit**2 * precision / 4)
        said[witness.kind] = max(said.get(witness.kind, 0.0), counted)
    return max(said.items(), key=lambda item: item[1])[0] if said else "nothing"
