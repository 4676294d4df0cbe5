"""Ends of tone: where the frame's own black and white land."""

from typing import ClassVar

import numpy as np

from nuvett.core.fields import Empty, clipping, number
from nuvett.core.plan.by_hand import EndsOperation
from nuvett.core.spaces.cielab import neutral_oklab
from nuvett.core.steps.step import Ask, Step, taken, taken_below
from nuvett.core.types import OKLab


class EndsStep(Step):
    """Where the darkest and the lightest share of a frame land, CIE L*; none for where they lie.

    black_share, white_share : percent of the frame that may lie beyond its black and beyond its white
    """

    name: ClassVar[str] = "ends"
    title: ClassVar[str] = "Ends of tone"
    fitted: ClassVar[bool] = True
    amount: float = number(100, 0, 100, "Ends of tone taken")
    black: float | None = clipping(number(None, 0, 45, "Black lands at", "L*", 0.5, Empty("where it lies", 5)))
    white: float | None = clipping(number(None, 55, 100, "White lands at", "L*", 0.5, Empty("where it lies", 96)))

    black_share: float = clipping(number(0.5, 0, 10, "Share darker than black", "%", 0.1))
    white_share: float = clipping(number(0.5, 0, 10, "Share lighter than white", "%", 0.1))

    @property
    def _does_nothing(self) -> bool:
        return self.amount == 0 or (self.black is None and self.white is None)

    @property
    def sentence(self) -> str:
        return "black {black}, white {white}" + taken(self)

    @property
    def more(self) -> tuple[str, ...]:
        return (
            "{black_share} of the frame may be darker than black, {white_share} lighter than white",
            *taken_below(self),
        )

    def resolve(self, ask: Ask) -> tuple[EndsOperation, ...]:
        lightness = ask.through(OKLab(np.asarray(ask.frame.cloud)))[:, 0]
        low, high = (float(v) for v in np.quantile(lightness, [self.black_share / 100, 1 - self.white_share / 100]))
        to_low = low if self.black is None else neutral_oklab(self.black)
        to_high = high if self.white is None else neutral_oklab(self.white)
        if high - low < 0.05:  # a frame of one tone has no ends
            return ()
        return (EndsOperation(low=low, high=high, to_low=to_low, to_high=to_high, amount=self.amount / 100),)
