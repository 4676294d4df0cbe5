"""Soft colour: haze, sky, skin and blur keep the fine grain of colour that they came with."""

from typing import ClassVar

from nuvett.core.fields import number
from nuvett.core.plan.finish import SoftColourOperation
from nuvett.core.plan.operation import Stage
from nuvett.core.steps.step import Ask, Step


class SoftColourStep(Step):
    """How far fine differences of colour in soft places stay the frame's own, in percent."""

    name: ClassVar[str] = "soft_colour"
    title: ClassVar[str] = "Soft colour"
    guards: ClassVar[bool] = True
    in_trims: ClassVar[bool] = False
    in_areas: ClassVar[bool] = False
    amount: float = number(100, 0, 100, "Soft colour kept whole")

    @property
    def _does_nothing(self) -> bool:
        return self.amount == 0

    @property
    def sentence(self) -> str:
        return "is kept whole, {amount}"

    @property
    def more(self) -> tuple[str, ...]:
        return ("Noise of colour in haze, sky, skin and blur grows no larger than it came",)

    def resolve(self, ask: Ask) -> tuple[SoftColourOperation, ...]:
        # Where nothing of the look changes colours, nothing of it tears them.
        if not any(operation.stage in (Stage.FITTED, Stage.BY_HAND) for operation in ask.so_far):
            return ()
        return (SoftColourOperation(amount=self.amount / 100),)
