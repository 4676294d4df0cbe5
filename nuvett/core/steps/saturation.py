"""Saturation and vibrance."""

from typing import ClassVar

from nuvett.core.fields import number
from nuvett.core.plan.by_hand import SaturateOperation
from nuvett.core.steps.step import Ask, Step


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
        return "{saturation} on all colours, {vibrance} on quiet ones" + self._rest

    @property
    def _rest(self) -> str:
        return "" if self.amount == 100 else "; {amount} of that"

    @property
    def more(self) -> tuple[str, ...]:
        return () if self._rest else ("{amount} of that",)

    def resolve(self, ask: Ask) -> tuple[SaturateOperation, ...]:
        values = {"saturation": self.saturation / 100, "vibrance": self.vibrance / 100}
        return (SaturateOperation(**values, amount=self.amount / 100),)
