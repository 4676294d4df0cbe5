"""A palette laid over the picture."""

from typing import ClassVar, Self, get_args

from pydantic import Field

from nuvett.core.fields import choice, number
from nuvett.core.fit.blend import BlendMode
from nuvett.core.fit.parts import Part
from nuvett.core.plan.by_hand import WashOperation
from nuvett.core.reading.palette import Colour
from nuvett.core.steps.step import Ask, Step, part


class WashStep(Step):
    """A palette laid over the picture by lightness and blended; no colours for the target's palette."""

    name: ClassVar[str] = "wash"
    title: ClassVar[str] = "Palette wash"
    on: bool = False
    amount: float = number(30, 0, 100, "Palette wash")
    part: Part = part()
    mode: BlendMode = choice("soft-light", "blended as", {mode: mode for mode in get_args(BlendMode)})
    colours: tuple[Colour, ...] = Field(default=(), max_length=12)

    @property
    def _does_nothing(self) -> bool:
        return self.amount == 0

    @property
    def needs_target(self) -> bool:
        return not self.colours

    @property
    def sentence(self) -> str:
        return "lays a palette over by lightness, blended as {mode}, opacity {amount}"

    @property
    def more(self) -> tuple[str, ...]:
        return ("Acts on {part}",)

    def resolve(self, ask: Ask) -> tuple[WashOperation, ...]:
        target = tuple((c.lightness, c.a, c.b) for c in ask.aim.shown or ask.aim.palette)
        colours = self.colours or target
        if not colours:
            return ()
        return (WashOperation(mode=self.mode, colours=colours, amount=self.amount / 100, part=self.part),)

    def changes(self, after: Self) -> list[str]:
        if self.colours == after.colours:
            return []
        return ["Wash with another palette" if after.colours else "Wash with the target's palette"]
