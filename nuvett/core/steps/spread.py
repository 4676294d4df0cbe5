"""Colour spread toward the target's, about the tints by zone."""

from typing import ClassVar

import numpy as np

from nuvett.core.fields import number
from nuvett.core.fit.colour import zone_spreads
from nuvett.core.plan.fitted import SpreadOperation, TintOperation
from nuvett.core.steps.step import Ask, Step


class SpreadStep(Step):
    """Colour spread toward the target's, about the zone tints."""

    name: ClassVar[str] = "spread"
    title: ClassVar[str] = "Colour spread"
    fitted: ClassVar[bool] = True
    amount: float = number(45, 0, 100, "Colour spread")

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
        matrix = same + (full - same) * np.float32(self.amount / 100 * ask.colour)
        about = np.asarray(ask.frame.zone_tint) if tinted is None else np.asarray(tinted.after)
        return (SpreadOperation(about=about, matrix=matrix.reshape(-1, 4)),)
