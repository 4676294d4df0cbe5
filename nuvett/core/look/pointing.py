"""Pointing at a colour in the frame: what a colour that was picked adds to a look or a trim."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from nuvett.core.errors import InvalidChangeError
from nuvett.core.fit.casts import ZONES_OF_CAST, made_neutral
from nuvett.core.fit.hues import HueBand
from nuvett.core.fit.moves import OwnMove
from nuvett.core.look.colour_handles import Kept, with_band
from nuvett.core.look.with_steps import WithSteps
from nuvett.core.plan.by_hand import CastsOperation, HuesOperation, OwnMovesOperation
from nuvett.core.plan.operation import ColourOperation
from nuvett.core.reading.family import Family
from nuvett.core.reading.palette import Colour
from nuvett.core.steps.casts import CastStep
from nuvett.core.steps.hold import FamilyHold, HoldStep
from nuvett.core.steps.hues import HueStep
from nuvett.core.steps.moves import MAX_MOVES, MoveStep
from nuvett.core.types import OKLab

What = Literal["move", "hold", "hue", "neutral"]
"""What a colour is picked for: a move, a hold, a range of hues, or to become neutral."""

MIN_CHROMA = 0.012
"""OKLab chroma below which a colour has no hue that a range could be about."""

_HELD_TOLERANCE = 30.0


@dataclass(frozen=True)
class Pointing:
    """One thing that colours are picked for.

    kind : of the operation whose place decides as what the colour is seen; none for as it comes into the group
    standing : a document in which that operation surely acts, so that its place can be found
    """

    kind: type[ColourOperation] | None
    standing: Callable[[Any], Any]
    add: Callable[[Any, Colour, Colour], Any]


def _move(document: Kept, colour: Colour, came: Colour) -> Kept:
    step = document.step(MoveStep)
    if len(step.own) >= MAX_MOVES:
        raise InvalidChangeError(f"There are at most {MAX_MOVES} moves by hand; take one away first.")
    return document.with_step(step.model_copy(update={"own": (*step.own, OwnMove(source=colour, came=came))}))


def _hold(document: Kept, colour: Colour, _: Colour) -> Kept:
    step = document.step(HoldStep)
    held = FamilyHold(family=Family(colour=colour, tolerance=_HELD_TOLERANCE))
    return document.with_step(step.model_copy(update={"families": (*step.families, held)}))


def _hue(document: Kept, colour: Colour, _: Colour) -> Kept:
    if float(np.hypot(*colour[1:])) < MIN_CHROMA:
        raise InvalidChangeError("That is a grey: it has no hue. Pick a colour.")
    return with_band(document, HueBand(hue=round(float(np.degrees(np.arctan2(colour[2], colour[1])) % 360), 1)))


def _neutral(document: Kept, colour: Colour, _: Colour) -> Kept:
    step = document.step(CastStep)
    shifts = made_neutral(OKLab(np.array(colour, dtype=np.float32)), step.shifts)
    update = {
        f"{zone}_{way}": round(100 * value, 2)
        for zone, shift in zip(ZONES_OF_CAST, shifts, strict=True)
        for way, value in zip(("red", "yellow"), shift, strict=True)
    }
    return document.with_step(step.model_copy(update={"on": True, **update}))


def _standing_move(document: WithSteps) -> WithSteps:
    step = document.step(MoveStep)
    return document.with_step(step.model_copy(update={"on": True, "own": (OwnMove(source=(0.5, 0, 0)),)}))


def _standing_hue(document: WithSteps) -> WithSteps:
    return document.with_step(HueStep(bands=(HueBand(chroma=1),)))


def _standing_neutral(document: WithSteps) -> WithSteps:
    return document.with_step(CastStep(blacks_red=1))


POINTINGS: dict[What, Pointing] = {
    "move": Pointing(OwnMovesOperation, _standing_move, _move),
    "hold": Pointing(None, lambda document: document, _hold),
    "hue": Pointing(HuesOperation, _standing_hue, _hue),
    "neutral": Pointing(CastsOperation, _standing_neutral, _neutral),
}
"""All that colours are picked for."""
