"""How well a look suits frames: how far it leaves them from what it aims at, and how much it bends their colours."""

from collections.abc import Sequence

import numpy as np
from pydantic import Field

from nuvett.core.measure.sampling import Sample
from nuvett.core.plan.apply import evened_by
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.framed import Seeing, framed
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.types import Document

_COLOURS = 512
_LITTLE, _MUCH = 1.0, 2.5
"""Bending, in hundredths of OKLab, below which colours keep their order and above which they plainly do not."""


class Suit(Document):
    """How a look suits frames, on average.

    drift : from what it aims at, none for a look that aims at nothing
    bending : hundredths of OKLab by which it departs from the nearest plain change
    """

    drift: float | None = Field(default=None, ge=0)
    bending: float = Field(ge=0)

    @property
    def cost(self) -> float:
        """Drift plus bending: the less the better it suits."""
        return (self.drift or 0) + self.bending

    @property
    def words(self) -> str:
        """The reason in words."""
        how = "evenly" if self.bending < _LITTLE else "fairly evenly" if self.bending < _MUCH else "unevenly"
        bent = f"changes colours {how} ({self.bending:.1f})"
        if self.drift is None:
            return f"has no target; {bent}"
        return f"lands {self.drift:.1f} from its target and {bent}"


def bending(plan: FramePlan, sample: Sample, seeing: Seeing) -> float:
    """Mean OKLab distance, times 100, of a finished frame from the nearest affine change of the evened one.

    An affine map of OKLab lightens, flattens, tints and saturates without tearing anything apart; what is left by
    least squares is how far a look goes beyond that.
    """
    view = framed(plan, sample, seeing, _COLOURS)
    came, made = linear_to_oklab(evened_by(plan, view.colours)), view.finished(plan)
    basis = np.hstack([came, np.ones((len(came), 1), dtype=np.float32)]).astype(np.float64)
    fitted, *_ = np.linalg.lstsq(basis, made.astype(np.float64), rcond=None)
    return float(np.linalg.norm(basis @ fitted - made, axis=1).mean() * 100)


def suit_of(drifts: Sequence[float], bends: Sequence[float]) -> Suit:
    """How a look suits several frames; without drifts it aims at nothing."""
    return Suit(drift=float(np.mean(drifts)) if drifts else None, bending=float(np.mean(bends)) if bends else 0)
