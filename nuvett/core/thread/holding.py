"""Things held to the colour that they should have: the smallest smooth moves of colours that bring them within limits.

Each thing is an anchor that moves, other colours of the frame are anchors that stay, and between them colours go
smoothly. A change is made no larger than the frame bears: what lies near each other is not pulled apart.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from nuvett.core.area.area import Area
from nuvett.core.area.outline import OutlinePart, Ring
from nuvett.core.fit.moves import Move, apply_moves
from nuvett.core.measure.statistics import thin
from nuvett.core.plan.fitted import MovesOperation
from nuvett.core.plan.frame_plan import FramePlan, Layer
from nuvett.core.reading.palette import FINE, find_palette
from nuvett.core.thread.colours import distance
from nuvett.core.types import Floats, OKLab

WITHIN = 1.5
"""CIEDE2000 within which a thing is held unless something else is asked for."""
MAX_HELD = 12
_FARTHEST = 0.10  # OKLab that a colour is moved at most
_REACH = 0.055  # OKLab, one standard deviation
_WIDE = 0.12  # OKLab: in its outline, so that its shades go with it and what is printed on it does not
_STAYS, _APART = 12, 0.11  # other colours of the frame that stay, and how far they are from things that move
_BACKGROUND = 1.1  # what a move of one anchor has to be asked for more, since some weight is for staying
_GAIN = 1.3  # times as far from each other as before that near colours may come
_STEP = 0.01  # OKLab between near colours
_ROUNDS = 4
_COLOURS = 600


@dataclass(frozen=True)
class Anchor:
    """A thing that is held: OKLab colours (3,) as it is seen and as it should be, and CIEDE2000 that it may be off."""

    colour: OKLab
    goal: OKLab
    within: float


def held_moves(anchors: Sequence[Anchor], cloud: OKLab) -> tuple[Move, ...]:
    """Moves of colours that bring things nearer to what they should be; none where all are within their limits.

    cloud : (N, 3) colours of the frame as it is seen
    """
    off = [distance(one.colour, one.goal) for one in anchors]
    if all(away <= one.within for one, away in zip(anchors, off, strict=True)):
        return ()
    by = np.array([_asked(one, away) for one, away in zip(anchors, off, strict=True)], dtype=np.float32)
    sources = np.array([one.colour for one in anchors], dtype=np.float32)
    some = OKLab(thin(cloud, _COLOURS))
    staying = _staying(some, sources)
    share = 1.0
    for _ in range(_ROUNDS):
        moves = _moves(sources, by * np.float32(share), staying)
        gain = stretch(moves, some)
        if gain <= _GAIN:
            break
        share *= max(0.25, (_GAIN - 1) / (gain - 1) * 0.95)
    else:
        moves = _moves(sources, by * np.float32(share), staying)
    return moves


def held_in_area(anchor: Anchor, rings: tuple[Ring, ...], seen: Callable[[Layer], OKLab | None]) -> Layer | None:
    """The layer that brings a thing within its limit inside its outline; none where it is, or cannot be seen.

    seen : the thing's colour (3,) under a layer, which says how far its weights and the limit of sRGB let it go
    """
    off = distance(anchor.colour, anchor.goal)
    asked = _asked(anchor, off)
    if off <= anchor.within:
        return None
    wanted, by = anchor.colour + asked, asked * np.float32(_BACKGROUND)
    for _ in range(_ROUNDS):
        found = seen(_layer(anchor, rings, by))
        if found is None:
            return None
        by = by + (wanted - found)
        by *= min(1.0, _FARTHEST * _BACKGROUND / max(float(np.linalg.norm(by)), 1e-6))
    return _layer(anchor, rings, by)


def _layer(anchor: Anchor, rings: tuple[Ring, ...], by: Floats) -> Layer:
    area = Area(parts=(OutlinePart(rings=rings),), edges=True)
    move = Move(source=_triple(anchor.colour), by=_triple(by), reach=_WIDE)
    return Layer(name="held", area=area, operations=(MovesOperation(moves=(move,)),))


def _asked(anchor: Anchor, off: float) -> Floats:
    """How a thing's colour has to move (3,) to come within its limit, no farther than is allowed."""
    if off <= anchor.within:
        return np.zeros(3, dtype=np.float32)
    way = (anchor.goal - anchor.colour) * np.float32(1 - anchor.within / off)
    return np.asarray(way * min(1.0, _FARTHEST / max(float(np.linalg.norm(way)), 1e-6)), dtype=np.float32)


def _staying(cloud: OKLab, sources: Floats) -> Floats:
    """Main colours (K, 3) of a frame that are none of the things."""
    palette = find_palette(cloud, _STAYS, FINE)
    colours = np.array([(c.lightness, c.a, c.b) for c in palette], dtype=np.float32).reshape(-1, 3)
    near = np.linalg.norm(colours[:, None] - sources[None], axis=-1).min(axis=1)
    return np.asarray(colours[near > _APART], dtype=np.float32)


def _moves(sources: Floats, by: Floats, staying: Floats) -> tuple[Move, ...]:
    moved = [
        Move(source=_triple(source), by=_triple(way * np.float32(_BACKGROUND)), reach=_REACH)
        for source, way in zip(sources, by, strict=True)
    ]
    return (*moved, *(Move(source=_triple(colour), by=(0.0, 0.0, 0.0), reach=_REACH) for colour in staying))


def _triple(values: Floats) -> tuple[float, float, float]:
    first, second, third = (round(float(value), 6) for value in values)
    return first, second, third


def stretch(moves: tuple[Move, ...], cloud: OKLab) -> float:
    """Times as far apart as before that near colours come under moves: of 99 % of a cloud (N, 3), the worst axis."""
    most = np.zeros(len(cloud), dtype=np.float32)
    for axis in range(3):
        step = np.zeros(3, dtype=np.float32)
        step[axis] = _STEP / 2
        ends = [apply_moves(OKLab(cloud + sign * step), moves) for sign in (-1, 1)]
        most = np.maximum(most, np.linalg.norm(ends[1] - ends[0], axis=1) / _STEP)
    return float(np.quantile(most, 0.99)) if len(most) else 1.0


def with_moves(plan: FramePlan, moves: tuple[Move, ...]) -> FramePlan:
    """A plan with moves at the end of what is done to its frame alone."""
    if not moves:
        return plan
    group = plan.group("trim")
    made = group.model_copy(update={"operations": (*group.operations, MovesOperation(moves=moves))})
    if any(own.name == "trim" for own in plan.groups):
        return plan.with_group(made)
    return plan.model_copy(update={"groups": (*plan.groups, made)})
