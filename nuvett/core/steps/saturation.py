"""Saturation and vibrance."""

from typing import ClassVar

from nuvett.core.fields import number
from nuvett.core.plan.by_hand import SaturateOperation
from nuvett.core.steps.step import Ask, Step, taken, taken_below


class SaturationStep(Step):
    """Saturation of all colours and vibrance, which moves quiet colours more, both in percent."""

    name: ClassVar[str] = "saturation"
    title: ClassVar[str] = "Saturation"
    amount: float = number(100, 0, 100, "Saturation taken")
    saturation: float = number(0, -100, 100, "Saturation")
    vibrance: float = number(0, -100, 100, "Vibrance")

    @property
    def _does_nothing(self) -> bool:
        return self.amount == 0 or not (self.saturation or self.vibrance)

    @property
    def sentence(self) -> str:
        return "{saturation} on all colours, {vibrance} on muted ones" + taken(self)

    @property
    def more(self) -> tuple[str, ...]:
        return taken_below(self)

    def resolve(self, ask: Ask) -> tuple[SaturateOperation, ...]:
        values = {"saturation": self.saturation / 100, "vibrance": self.vibrance / 100}
        return (SaturateOperation(**values, amount=self.amount / 100),)
