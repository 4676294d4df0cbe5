"""A palette laid over the picture."""

from typing import ClassVar, Self

from pydantic import Field

from nuvett.core.fields import choice, number
from nuvett.core.fit.blend import BlendMode
from nuvett.core.fit.parts import Part
from nuvett.core.fit.wash import MAX_LAYERS, MODES, WashLayer
from nuvett.core.plan.by_hand import WashLayersOperation, WashOperation
from nuvett.core.reading.palette import Colour
from nuvett.core.steps.step import Ask, Step, part


class WashStep(Step):
    """A palette laid over the picture by lightness and blended; no colours for the target's palette.

    layers : further washes over it, each with its own stops, range, opacity and blend mode
    """

    name: ClassVar[str] = "wash"
    title: ClassVar[str] = "Palette wash"
    on: bool = False
    amount: float = number(30, 0, 100, "Palette wash")
    part: Part = part()
    mode: BlendMode = choice("soft-light", "blended as", MODES)
    colours: tuple[Colour, ...] = Field(default=(), max_length=12)
    layers: tuple[WashLayer, ...] = Field(default=(), max_length=MAX_LAYERS)

    @property
    def _does_nothing(self) -> bool:
        return self.amount == 0 and not self._acting

    @property
    def _acting(self) -> int:
        """How many of the further washes act."""
        return sum(not layer.is_idle for layer in self.layers)

    @property
    def needs_target(self) -> bool:
        return not (self.amount and self.colours) and not self._acting

    @property
    def sentence(self) -> str:
        over = f"; {self._acting} over it" if self._acting else ""
        return "lays a palette over by lightness, blended as {mode}, opacity {amount}" + over

    @property
    def more(self) -> tuple[str, ...]:
        return ("Acts on {part}",)

    def resolve(self, ask: Ask) -> tuple[WashOperation | WashLayersOperation, ...]:
        target = tuple((c.lightness, c.a, c.b) for c in ask.aim.shown or ask.aim.palette) if ask.aimed else ()
        colours = self.colours or target
        found: list[WashOperation | WashLayersOperation] = []
        if colours and self.amount:
            found.append(WashOperation(mode=self.mode, colours=colours, amount=self.amount / 100, part=self.part))
        if self._acting:
            found.append(WashLayersOperation(layers=self.layers, part=self.part))
        return tuple(found)

    def changes(self, after: Self) -> list[str]:
        said = []
        if self.colours != after.colours:
            said.append("Wash with another palette" if after.colours else "Wash with the target's palette")
        old, new = self.layers, after.layers
        if len(old) != len(new):
            said.append("A wash more" if len(new) > len(old) else "A wash less")
        elif old != new:
            moved = sorted(old, key=repr) == sorted(new, key=repr)
            said.append("Washes in another order" if moved else "A wash changed")
        return said
