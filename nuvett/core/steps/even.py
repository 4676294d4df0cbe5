"""Even light: exposure and white brought to the base of the frame's set-up."""

from typing import ClassVar

import numpy as np

from nuvett.core.even.even_light import EvenLight
from nuvett.core.fields import number
from nuvett.core.plan.frame_plan import GroupName
from nuvett.core.plan.light import GainsOperation
from nuvett.core.steps.step import Ask, Step


class EvenStep(Step):
    """Even light: exposure and white brought to the base of the frame's set-up."""

    name: ClassVar[str] = "even"
    title: ClassVar[str] = "Even light"
    in_trims: ClassVar[bool] = False
    in_areas: ClassVar[bool] = False
    group: ClassVar[GroupName] = "light"
    amount: float = number(100, 0, 100, "Even light")

    @property
    def _does_nothing(self) -> bool:
        return self.amount == 0

    @property
    def sentence(self) -> str:
        return "takes exposure and white {amount} of the way to the base of each set-up"

    def resolve(self, ask: Ask) -> tuple[GainsOperation, ...]:
        return (self.gains_of(ask.light),)

    def gains_of(self, light: EvenLight) -> GainsOperation:
        """The gains of a frame's even light, as strong as the step asks."""
        share = 0.0 if self.is_idle else self.amount / 100
        weak = np.asarray(light.gains, dtype=np.float64) ** share
        return GainsOperation(gains=(float(weak[0]), float(weak[1]), float(weak[2])), camera=light.camera)
