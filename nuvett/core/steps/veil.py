"""A veil of light taken off: what glass, haze of one distance or a lens against the light adds to everything."""

from typing import ClassVar, Self

import numpy as np

from nuvett.core.fields import clipping, number
from nuvett.core.plan.light import VeilOperation
from nuvett.core.spaces.cielab import neutral_cielab, neutral_oklab
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear
from nuvett.core.steps.step import Ask, Step, taken, taken_below
from nuvett.core.types import Linear, OKLab

_MAX_TINT = 10


class VeilStep(Step):
    """A veil by its lightness, CIE L*, and its tint, OKLab a (red above 0) and b (yellow above 0) times 100."""

    name: ClassVar[str] = "veil"
    title: ClassVar[str] = "Veil"
    amount: float = number(100, 0, 100, "Veil taken off")
    light: float = clipping(number(0, 0, 40, "Veil", "L*", 0.5))
    red: float = number(0, -_MAX_TINT, _MAX_TINT, "Veil toward red", "", 0.1)
    yellow: float = number(0, -_MAX_TINT, _MAX_TINT, "Veil toward yellow", "", 0.1)

    @property
    def colour(self) -> OKLab:
        """It as a colour (3,)."""
        return OKLab(np.array([neutral_oklab(self.light), self.red / 100, self.yellow / 100], dtype=np.float32))

    @property
    def _does_nothing(self) -> bool:
        return self.amount == 0 or self.light == 0

    @property
    def sentence(self) -> str:
        return "of {light} taken off" + taken(self)

    @property
    def more(self) -> tuple[str, ...]:
        return ("It is {red} toward red and {yellow} toward yellow", *taken_below(self))

    def resolve(self, ask: Ask) -> tuple[VeilOperation, ...]:
        light, a, b = (float(value) for value in self.colour)
        return (VeilOperation(veil=(light, a, b), amount=self.amount / 100),)

    def thicker(self, veil: tuple[float, float, float]) -> Self:
        """It with the light of another veil, OKLab, that is still there under it."""
        own, more = (oklab_to_linear(OKLab(np.array([c], dtype=np.float32))) for c in (self.colour, veil))
        taken_off = self.amount / 100 if self.on else 0.0
        light, a, b = linear_to_oklab(Linear(own * np.float32(taken_off) + more * (1 - taken_off * own[:, 1:2])))[0]
        tint = {"red": float(100 * a), "yellow": float(100 * b)}
        rounded = {name: round(min(_MAX_TINT, max(-_MAX_TINT, value)), 1) for name, value in tint.items()}
        lightness = min(40.0, round(2 * neutral_cielab(float(light))) / 2)
        return self.model_copy(update={"on": True, "amount": 100.0, "light": lightness, **rounded})
