"""What colour a thing has in each frame, what it should have, and how far it is from that."""

from collections.abc import Sequence
from typing import Literal

import numpy as np
from pydantic import model_validator

from nuvett.core.reading.palette import Colour
from nuvett.core.spaces.cielab import ciede2000, linear_to_cielab
from nuvett.core.spaces.gamut import map_to_gamut
from nuvett.core.types import CIELab, Document, Linear, OKLab

GoalKind = Literal["hero", "frames", "setup", "given"]
GOALS: dict[GoalKind, str] = {
    "hero": "as on the hero",
    "frames": "the middle of its frames",
    "setup": "the middle of its set-up",
    "given": "a colour as given",
}
"""What a thing's colour should be, in words."""

STANDS_OUT = 3.0
"""CIEDE2000 from which a frame is named for how its thing is off, where most others are nearer."""
_PLAIN = 1.0  # CIELAB by which a difference is plain enough for a word


class Goal(Document):
    """What a thing's colour should be; `colour` where that is given, in OKLab."""

    kind: GoalKind = "hero"
    colour: Colour | None = None

    @model_validator(mode="after")
    def _is_given(self) -> "Goal":
        if (self.kind == "given") != (self.colour is not None):
            raise ValueError("a given colour, and no other goal, names a colour")
        return self


def middle(colours: Sequence[OKLab]) -> OKLab:
    """The middle of OKLab colours (3,), each axis by itself."""
    return OKLab(np.median(np.stack(colours), axis=0).astype(np.float32))


def goals(
    goal: Goal, colours: Sequence[OKLab | None], setups: Sequence[object], hero: int | None
) -> list[OKLab | None]:
    """What the colour of each frame (3,) should be; none where there is nothing to tell it by.

    colours : of the frames that the thing is seen in, none for others; setups : that frames belong to
    hero : which of them is the hero; where the thing is not seen in it, the middle of its frames stands in
    """
    known = [colour for colour in colours if colour is not None]
    if not known:
        return [None] * len(colours)
    if goal.colour is not None:
        return [OKLab(np.array(goal.colour, dtype=np.float32))] * len(colours)
    if goal.kind == "setup":
        return [_middle_of(setup, colours, setups) for setup in setups]
    on_hero = colours[hero] if goal.kind == "hero" and hero is not None else None
    return [middle(known) if on_hero is None else on_hero] * len(colours)


def _middle_of(setup: object, colours: Sequence[OKLab | None], setups: Sequence[object]) -> OKLab | None:
    own = [colour for colour, other in zip(colours, setups, strict=True) if other == setup and colour is not None]
    return middle(own) if own else None


def _cielab(colour: OKLab) -> CIELab:
    return CIELab(linear_to_cielab(Linear(map_to_gamut(OKLab(colour[None]))))[0])


def distance(colour: OKLab, goal: OKLab) -> float:
    """CIEDE2000 between two OKLab colours (3,), as screens show them in sRGB."""
    return float(ciede2000(_cielab(colour), _cielab(goal)))


def spread(colours: Sequence[OKLab]) -> float:
    """Mean CIEDE2000 of OKLab colours (3,) to their middle; 0 for one."""
    return float(np.mean([distance(colour, middle(colours)) for colour in colours])) if colours else 0.0


def way_off(colour: OKLab, goal: OKLab) -> str:
    """How an OKLab colour (3,) is off what it should be, in a word for the plainest way; empty where none is plain.

    What is neither lighter nor richer first of all is off towards red, green, yellow or blue.
    """
    own, other = _cielab(colour), _cielab(goal)
    lighter, a, b = (float(value) for value in own - other)
    richer = float(np.hypot(*own[1:]) - np.hypot(*other[1:]))
    turned = float(np.sqrt(max(a * a + b * b - richer * richer, 0.0)))
    more, less, along = ("redder", "greener", a) if abs(a) > abs(b) else ("yellower", "bluer", b)
    ways = (
        (abs(lighter), "lighter" if lighter > 0 else "darker"),
        (abs(richer), "richer" if richer > 0 else "duller"),
        (turned, more if along > 0 else less),
    )
    amount, word = max(ways)
    return word if amount >= _PLAIN else ""
