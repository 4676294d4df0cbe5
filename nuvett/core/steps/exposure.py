"""Exposure, and contrast about a pivot."""

from typing import ClassVar

from nuvett.core.fields import clipping, number
from nuvett.core.fit.parts import Part
from nuvett.core.plan.light import ExposureOperation
from nuvett.core.steps.step import Ask, Step, part, taken, taken_below


class ExposureStep(Step):
    """Exposure in EV and contrast in percent about a pivot in CIE L*."""

    name: ClassVar[str] = "exposure"
    title: ClassVar[str] = "Exposure and contrast"
    amount: float = number(100, 0, 100, "Exposure taken")
    part: Part = part()
    exposure: float = clipping(number(0, -4, 4, "Exposure", "EV", 0.05))
    contrast: float = clipping(number(0, -80, 100, "Contrast"))
    pivot: float = number(50, 5, 95, "Pivot of contrast", "L*")

    @property
    def _does_nothing(self) -> bool:
        return self.amount == 0 or not (self.exposure or self.contrast)

    @property
    def sentence(self) -> str:
        about = " about {pivot}" if self.contrast else ""
        return f"{{exposure}}, contrast {{contrast}}{about}" + taken(self)

    @property
    def more(self) -> tuple[str, ...]:
        pivot = () if self.contrast else ("Contrast turns about {pivot}",)
        return (*pivot, *taken_below(self))

    def resolve(self, ask: Ask) -> tuple[ExposureOperation, ...]:
        values = {"exposure": self.exposure, "contrast": self.contrast / 100, "pivot": self.pivot}
        return (ExposureOperation(**values, amount=self.amount / 100, part=self.part),)
