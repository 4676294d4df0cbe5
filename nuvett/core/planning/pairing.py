"""The pairing of palettes as a plan has it, for showing: what goes where, how far it gets, and what a pin decides."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nuvett.core.fit.moves import pair_moves
from nuvett.core.plan.apply import fitted_part, through
from nuvett.core.plan.fitted import MovesOperation
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.lacking import Unmatched, told_of
from nuvett.core.reading.palette import Palette, PaletteColour
from nuvett.core.steps.moves import Pin, fit_origins, pin_of
from nuvett.core.steps.step import Aim
from nuvett.core.types import OKLab


@dataclass(frozen=True)
class Paired:
    """Colours of an evened frame and where a plan takes them.

    source : the colours that moves start from, as they are before the fit, with their shares
    target : the palette that they are paired with
    shares : (K, M) of the frame, how much of each source is meant for each target colour
    landed : (K, 3) OKLab colours that the fit takes the sources to, at its amounts
    pins : the pin that speaks for each source, if any
    lacked : which colours of the target the finished frame has nowhere
    foreign : which sources end as a colour that the target has nowhere
    """

    source: Palette
    target: Palette
    shares: NDArray[np.float64]
    landed: OKLab
    pins: tuple[Pin | None, ...]
    lacked: tuple[bool, ...] = ()
    foreign: tuple[bool, ...] = ()


def paired(plan: FramePlan, aim: Aim, pins: tuple[Pin, ...], found: tuple[Unmatched, ...] = ()) -> Paired:
    """The pairing that a plan was made by, with what was `found` unmatched in the frame that it finishes.

    Nothing is paired while colour moves are off; what is lacked of the target is marked all the same.
    """
    targets = np.array([(c.lightness, c.a, c.b) for c in aim.palette], dtype=np.float32).reshape(-1, 3)
    lacked = told_of(found, "lacked", OKLab(targets))
    moved = plan.find(MovesOperation)
    if moved is None:
        nothing = OKLab(np.empty((0, 3), np.float32))
        return Paired((), aim.palette, np.empty((0, len(aim.palette))), nothing, (), lacked)
    # Moves were planned on colours that the stages before them had toned already.
    fit = fitted_part(plan)
    before = [operation for operation in fit if operation is not moved]
    moves = tuple(move for move in moved.moves if move.share)  # white, which stays, is in no palette
    origins = fit_origins(lambda lab: through(before, lab), [move.source for move in moves])
    source = tuple(
        PaletteColour(lightness=c[0], a=c[1], b=c[2], share=m.share) for c, m in zip(origins, moves, strict=True)
    )
    landed = through(fit, OKLab(np.array(origins, dtype=np.float32)))
    shares = pair_moves(moves, aim.palette)
    pinned, foreign = tuple(pin_of(pins, c) for c in origins), told_of(found, "foreign", landed)
    return Paired(source, aim.palette, shares, landed, pinned, lacked, foreign)
