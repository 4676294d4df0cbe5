"""What lookup tables leave out of a look, and where they take colours elsewhere than it does."""

from collections.abc import Sequence

import numpy as np

from nuvett.core.area.faces import FaceSeen
from nuvett.core.plan.apply import apply_plan, evened_by
from nuvett.core.plan.finish import SoftColourOperation
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.spaces.cielab import difference
from nuvett.core.spaces.gamut import map_to_gamut
from nuvett.core.types import Linear

_ASTRAY = 4.0  # CIEDE2000 by which skin must land elsewhere before that is said
_SHIFTED = 1e-3  # linear light by which a grey must be moved to count as evened


def evens(plan: FramePlan) -> bool:
    """Whether a plan evens its frame's light."""
    grey = Linear(np.full((1, 3), 0.2, dtype=np.float32))
    return bool(np.abs(evened_by(plan, grey) - grey).max() > _SHIFTED)


def finishes(plans: Sequence[FramePlan]) -> tuple[str, ...]:
    """Kinds of what the finish does under some plans, each once; that soft colour stays whole goes without saying."""
    return tuple(
        dict.fromkeys(
            operation.kind  # type: ignore[attr-defined]
            for plan in plans
            for operation in plan.finish
            if not isinstance(operation, SoftColourOperation)
        )
    )


def skin_astray(plan: FramePlan, shared: FramePlan, faces: Sequence[FaceSeen]) -> float:
    """By how much CIEDE2000 at most a shared table takes the skin of a frame's faces elsewhere than its plan.

    Nothing where it is little. A trim is nothing that a shared table is asked for.
    """
    most = 0.0
    for face in faces:
        evened = evened_by(plan, Linear(np.array([face.colour], dtype=np.float32)))
        own, by_table = (apply_plan(one.without("light"), evened) for one in (plan.without("trim"), shared))
        off = difference(*(Linear(map_to_gamut(lab)) for lab in (own, by_table)))
        most = max(most, float(off[0]))
    return most if most > _ASTRAY else 0.0
