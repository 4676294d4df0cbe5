"""Tone by region: highlights, shadows, whites and blacks as four numbers that keep local contrast."""

from typing import ClassVar

from nuvett.core.fields import clipping, number
from nuvett.core.fit.regions import REGIONS
from nuvett.core.plan.finish import RegionsOperation
from nuvett.core.steps.step import Ask, Step, taken, taken_below


class RegionStep(Step):
    """Broad light of highlights and shadows, and where whites and blacks end, lighter above 0 and darker below."""

    name: ClassVar[str] = "regions"
    title: ClassVar[str] = "Tone by region"
    amount: float = number(100, 0, 100, "Tone by region taken")
    highlights: float = clipping(number(0, -100, 100, "Highlights"))
    shadows: float = clipping(number(0, -100, 100, "Shadows"))
    whites: float = clipping(number(0, -100, 100, "Whites"))
    blacks: float = clipping(number(0, -100, 100, "Blacks"))

    @property
    def _does_nothing(self) -> bool:
        return self.amount == 0 or not any(getattr(self, name) for name in REGIONS)

    @property
    def sentence(self) -> str:
        return "highlights {highlights}, shadows {shadows}, whites {whites}, blacks {blacks}" + taken(self)

    @property
    def more(self) -> tuple[str, ...]:
        return taken_below(self)

    def resolve(self, ask: Ask) -> tuple[RegionsOperation, ...]:
        values = {name: getattr(self, name) / 100 for name in REGIONS}
        return (RegionsOperation(amount=self.amount / 100, **values),)
