"""Tone toward the target's distribution of lightness."""

from typing import ClassVar

import numpy as np

from nuvett.core.fields import Empty, clipping, number
from nuvett.core.fit.tone import (
    TONE_GRID,
    aim_ends,
    fit_tone,
    has_faded_blacks,
    has_faded_whites,
    keep_ends,
    tonality,
    within_slopes,
)
from nuvett.core.plan.fitted import ToneOperation
from nuvett.core.spaces.cielab import neutral_oklab
from nuvett.core.steps.step import Ask, Step
from nuvett.core.types import Quantiles


class ToneStep(Step):
    """Tone toward the target: black and white aims are CIE L*, none for the target's own; steepest is a slope."""

    name: ClassVar[str] = "tone"
    title: ClassVar[str] = "Tone"
    fitted: ClassVar[bool] = True
    amount: float = number(65, 0, 150, "Tone", full=100)
    black: float | None = clipping(number(None, 0, 60, "Black point", "L*", 0.5, Empty("the target’s", 4)))
    white: float | None = clipping(number(None, 40, 100, "White point", "L*", 0.5, Empty("the target’s", 96)))
    steepest: float = number(2.2, 1, 4, "Contrast rises at most", "times", 0.05)
    whites: float | None = number(None, 0, 100, "Whites follow the target", empty=Empty("if it is faded", 0))
    blacks: float | None = number(None, 0, 100, "Blacks follow the target", empty=Empty("if it is faded", 0))

    @property
    def _does_nothing(self) -> bool:
        return self.amount == 0

    @property
    def needs_target(self) -> bool:
        return self.black is None and self.white is None

    @property
    def sentence(self) -> str:
        ends = "" if self.black is None and self.white is None else f". {_ENDS}"
        return f"goes {{amount}} of the way to the target{ends}"

    @property
    def more(self) -> tuple[str, ...]:
        others = (_FOLLOW, "Contrast rises at most {steepest}")
        return (_ENDS, *others) if self.black is None and self.white is None else others

    def resolve(self, ask: Ask) -> tuple[ToneOperation, ...]:
        black, white = (None if aim is None else neutral_oklab(aim) for aim in (self.black, self.white))
        target = ask.aim.statistics.lightness
        goal = aim_ends(tonality(ask.frame.lightness, target), black, white)
        full = keep_ends(fit_tone(ask.frame.lightness, goal, self.steepest), *self._followed(target))
        curve = TONE_GRID + (full - TONE_GRID) * np.float32(self.amount / 100)
        if self.amount > 100:
            curve = within_slopes(curve, self.steepest)
        return (ToneOperation(curve=np.asarray(curve)),)

    def _followed(self, target: Quantiles) -> tuple[float, float]:
        """Shares of whites and of blacks that follow a target (65,): as asked, else whether it has faded ones."""
        whites = 100.0 * (self.white is not None or has_faded_whites(target)) if self.whites is None else self.whites
        blacks = 100.0 * (self.black is not None or has_faded_blacks(target)) if self.blacks is None else self.blacks
        return whites / 100, blacks / 100


_FOLLOW = "Whites follow the target {whites}, blacks {blacks}"
_ENDS = "Blacks rest at {black}, whites at {white}"
