"""Saturation and vibrance."""

from typing import ClassVar

from nuvett.core.fields import Empty, number
from nuvett.core.plan.by_hand import SaturateOperation
from nuvett.core.steps.step import Ask, Step, taken, taken_below


class SaturationStep(Step):
    """Saturation of all colours and vibrance, which moves quiet colours more, both in percent.

    most : OKLCh chroma times 100 that colours near and never pass, none for any
    """

    name: ClassVar[str] = "saturation"
    title: ClassVar[str] = "Saturation"
    amount: float = number(100, 0, 100, "Saturation taken")
    saturation: float = number(0, -100, 100, "Saturation")
    vibrance: float = number(0, -100, 100, "Vibrance")
    most: float | None = number(None, 1, 40, "Chroma at most", "", 0.5, Empty("as it is", 20))

    @property
    def _does_nothing(self) -> bool:
        return self.amount == 0 or not (self.saturation or self.vibrance or self.most is not None)

    @property
    def sentence(self) -> str:
        most = "" if self.most is None else ", chroma at most {most}"
        return "{saturation} on all colours, {vibrance} on muted ones" + most + taken(self)

    @property
    def more(self) -> tuple[str, ...]:
        return (*(("Chroma at most {most}",) if self.most is None else ()), *taken_below(self))

    def resolve(self, ask: Ask) -> tuple[SaturateOperation, ...]:
        most = None if self.most is None else self.most / 100
        values = {"saturation": self.saturation / 100, "vibrance": self.vibrance / 100}
        return (SaturateOperation(**values, most=most, amount=self.amount / 100),)
