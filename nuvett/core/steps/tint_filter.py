"""A tint filter before the lens."""

from typing import ClassVar

from nuvett.core.fields import number
from nuvett.core.fit.parts import Part
from nuvett.core.plan.by_hand import FilterOperation
from nuvett.core.steps.step import Ask, Step, part


class FilterStep(Step):
    """A tint filter before the lens, which leaves grey as light as it was."""

    name: ClassVar[str] = "filter"
    title: ClassVar[str] = "Tint filter"
    on: bool = False
    amount: float = number(30, 0, 100, "Tint filter")
    part: Part = part()
    hue: float = number(70, 0, 360, "Hue of the tint filter", "°")

    @property
    def _does_nothing(self) -> bool:
        return self.amount == 0

    @property
    def sentence(self) -> str:
        return "a colour filter of hue {hue}, density {amount}"

    @property
    def more(self) -> tuple[str, ...]:
        return ("Acts on {part}",)

    def resolve(self, ask: Ask) -> tuple[FilterOperation, ...]:
        return (FilterOperation(hue=self.hue, amount=self.amount / 100, part=self.part),)
