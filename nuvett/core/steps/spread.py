"""Colour spread toward the target's, about the tints by zone."""

from typing import ClassVar

import numpy as np

from nuvett.core.fields import number
from nuvett.core.fit.colour import zone_spreads
from nuvett.core.plan.fitted import SpreadOperation, TintOperation
from nuvett.core.steps.step import MAX, Ask, Step
from nuvett.core.types import Floats

_MIN = 0.2  # by which no direction of colour is drawn together further


def _upright(matrix: Floats, full: Floats) -> Floats:
    """Matrices (17, 2, 2) beyond full, those at full where beyond it would turn colours inside out."""
    least = np.linalg.svd(matrix, compute_uv=False)[:, -1] * np.sign(np.linalg.det(matrix))
    return np.asarray(np.where((least < _MIN)[:, None, None], full, matrix), dtype=np.float32)


class SpreadStep(Step):
    """Colour spread toward the target's, about the zone tints."""

    name: ClassVar[str] = "spread"
    title: ClassVar[str] = "Colour spread"
    fitted: ClassVar[bool] = True
    amount: float = number(45, 0, 150, "Colour spread", full=100)

    @property
    def _does_nothing(self) -> bool:
        return self.amount == 0

    @property
    def needs_target(self) -> bool:
        return True

    @property
    def sentence(self) -> str:
        return "goes {amount} of the way to the target’s"

    def resolve(self, ask: Ask) -> tuple[SpreadOperation, ...]:
        tinted = next((o for o in ask.so_far if isinstance(o, TintOperation)), None)
        full = zone_spreads(ask.frame, ask.aim.statistics, ask.tone)
        same = np.eye(2, dtype=np.float32)
        amount = min(self.amount / 100 * ask.colour, MAX)
        matrix = same + (full - same) * np.float32(amount)
        if amount > 1:
            matrix = _upright(matrix, full)
        about = np.asarray(ask.frame.zone_tint) if tinted is None else np.asarray(tinted.after)
        return (SpreadOperation(about=about, matrix=matrix.reshape(-1, 4)),)
