"""Even light: exposure and white brought to the base of the frame's set-up."""

from typing import ClassVar

from nuvett.core.even.even_light import EvenLight
from nuvett.core.fields import Empty, number
from nuvett.core.plan.frame_plan import GroupName
from nuvett.core.plan.light import GainsOperation
from nuvett.core.steps.step import Ask, Step


class EvenStep(Step):
    """Even light: exposure and white brought to the base of the frame's set-up."""

    name: ClassVar[str] = "even"
    title: ClassVar[str] = "Even light"
    guards: ClassVar[bool] = True
    in_trims: ClassVar[bool] = False
    in_areas: ClassVar[bool] = False
    group: ClassVar[GroupName] = "light"
    amount: float = number(100, 0, 100, "Even light")
    white: float | None = number(None, 0, 100, "White evened", empty=Empty("as much", 100))

    @property
    def _does_nothing(self) -> bool:
        return self.amount == 0 and not self.white

    @property
    def sentence(self) -> str:
        return "takes exposure {amount} and white {white} of the way to the base of each set-up"

    def resolve(self, ask: Ask) -> tuple[GainsOperation, ...]:
        return (self.gains_of(ask.light),)

    def gains_of(self, light: EvenLight) -> GainsOperation:
        """The gains of a frame's even light, as strong as the step asks."""
        if self.is_idle:
            return GainsOperation(camera=light.camera)
        gains = light.at(self.amount / 100, None if self.white is None else self.white / 100)
        return GainsOperation(gains=gains, camera=light.camera)
