"""The pairing of palettes as a plan has it, for showing: what goes where, how far it gets, and what a pin decides."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nuvett.core.fit.moves import pair_moves
from nuvett.core.plan.apply import fitted_part, through
from nuvett.core.plan.fitted import MovesOperation
from nuvett.core.plan.frame_plan import FramePlan
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
    """

    source: Palette
    target: Palette
    shares: NDArray[np.float64]
    landed: OKLab
    pins: tuple[Pin | None, ...]


def paired(plan: FramePlan, aim: Aim, pins: tuple[Pin, ...]) -> Paired:
    """The pairing that a plan was made by; nothing is paired while colour moves are off."""
    moved = plan.find(MovesOperation)
    if moved is None:
        nothing = OKLab(np.empty((0, 3), np.float32))
        return Paired((), aim.palette, np.empty((0, len(aim.palette))), nothing, ())
    # Moves were planned on colours that the stages before them had toned already.
    fit = fitted_part(plan)
    before = [operation for operation in fit if operation is not moved]
    origins = fit_origins(lambda lab: through(before, lab), [move.source for move in moved.moves])
    source = tuple(
        PaletteColour(lightness=c[0], a=c[1], b=c[2], share=m.share) for c, m in zip(origins, moved.moves, strict=True)
    )
    landed = through(fit, OKLab(np.array(origins, dtype=np.float32)))
    shares = pair_moves(moved.moves, aim.palette)
    return Paired(source, aim.palette, shares, landed, tuple(pin_of(pins, c) for c in origins))
