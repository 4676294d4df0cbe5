"""White of the finished picture."""

from typing import ClassVar

from nuvett.core.even.light import join_gains
from nuvett.core.fields import clipping, number
from nuvett.core.fit.parts import Part
from nuvett.core.plan.light import GainsOperation
from nuvett.core.steps.step import Ask, Step, part, taken, taken_below


class WhiteStep(Step):
    """White of the finished picture, in percent: warmth to yellow-orange, tint to magenta."""

    name: ClassVar[str] = "white"
    title: ClassVar[str] = "White"
    amount: float = number(100, 0, 100, "White taken")
    part: Part = part()
    warmth: float = clipping(number(0, -60, 60, "Warmth"))
    tint: float = number(0, -40, 40, "Tint")

    @property
    def _does_nothing(self) -> bool:
        return self.amount == 0 or not (self.warmth or self.tint)

    @property
    def sentence(self) -> str:
        return "warmer by {warmth}, pinker by {tint}" + taken(self)

    @property
    def more(self) -> tuple[str, ...]:
        return taken_below(self)

    def resolve(self, ask: Ask) -> tuple[GainsOperation, ...]:
        gains = join_gains(0, self.warmth, self.tint)
        triple = (float(gains[0]), float(gains[1]), float(gains[2]))
        return (GainsOperation(gains=triple, amount=self.amount / 100, part=self.part),)
