"""Tone toward the target's distribution of lightness."""

from typing import ClassVar

import numpy as np

from nuvett.core.fields import Empty, number
from nuvett.core.fit.tone import TONE_GRID, aim_ends, fit_tone
from nuvett.core.plan.fitted import ToneOperation
from nuvett.core.spaces.cielab import neutral_oklab
from nuvett.core.steps.step import Ask, Step


class ToneStep(Step):
    """Tone toward the target: black and white aims are CIE L*, none for the target's own; steepest is a slope."""

    name: ClassVar[str] = "tone"
    title: ClassVar[str] = "Tone"
    fitted: ClassVar[bool] = True
    amount: float = number(65, 0, 100, "Tone")
    black: float | None = number(None, 0, 60, "Black point", "L*", 0.5, Empty("the target’s", 4))
    white: float | None = number(None, 40, 100, "White point", "L*", 0.5, Empty("the target’s", 96))
    steepest: float = number(2.2, 1, 4, "Contrast rises at most", "times", 0.05)

    @property
    def _does_nothing(self) -> bool:
        return self.amount == 0

    @property
    def sentence(self) -> str:
        ends = "" if self.black is None and self.white is None else f". {_ENDS}"
        return f"goes {{amount}} of the way to the target{ends}"

    @property
    def more(self) -> tuple[str, ...]:
        steepest = "Contrast rises at most {steepest}"
        return (_ENDS, steepest) if self.black is None and self.white is None else (steepest,)

    def resolve(self, ask: Ask) -> tuple[ToneOperation, ...]:
        black, white = (None if aim is None else neutral_oklab(aim) for aim in (self.black, self.white))
        full = fit_tone(ask.frame.lightness, aim_ends(ask.aim.statistics.lightness, black, white), self.steepest)
        curve = TONE_GRID + (full - TONE_GRID) * np.float32(self.amount / 100)
        return (ToneOperation(curve=np.asarray(curve)),)


_ENDS = "Blacks rest at {black}, whites at {white}"
