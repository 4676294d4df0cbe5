"""The colour under the pointer: as it came, as it is now, and what of the target lies nearest."""

from dataclasses import dataclass

import numpy as np

from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.planning import UNTOUCHED
from nuvett.core.reading.palette import Colour, Palette, nearest_colour
from nuvett.core.types import OKLab
from nuvett.services.engine.facts import FrameFacts
from nuvett.services.engine.workbench import Workbench


@dataclass(frozen=True)
class Readout:
    """Colours at one place of a frame, OKLab; `near` is the target's nearest, `apart` its distance times 100."""

    came: Colour
    now: Colour
    near: Colour | None = None
    apart: float = 0


def read_out(
    bench: Workbench, frame: FrameFacts, plan: FramePlan | None, target: Palette, place: tuple[float, float]
) -> Readout:
    """What lies at a place (x, y in shares) of a frame under a plan. Raises InvalidChangeError outside the picture."""
    came = bench.pictures.colour_under(frame, UNTOUCHED, place)
    now = bench.pictures.colour_under(frame, plan or UNTOUCHED, place)
    if not target:
        return Readout(came, now)
    near, apart = nearest_colour(target, OKLab(np.array(now, dtype=np.float32)))
    return Readout(came, now, (near.lightness, near.a, near.b), 100 * apart)
