"""Holds: skin, and picked colour families, that may move only so far."""

from typing import ClassVar, Literal, Self

from pydantic import Field

from nuvett.core.fields import choice, number
from nuvett.core.fit.holds import HeldFamily, HoldLimits
from nuvett.core.plan.by_hand import GreyOperation
from nuvett.core.plan.ends import HoldOperation
from nuvett.core.reading.family import Family
from nuvett.core.steps.step import Ask, Instrument, Step, colour_word, part_switched
from nuvett.core.types import Document

MAX_HOLDS = 6
HELD_WHERE = {"faces": "where a face is found", "everywhere": "in every frame", "nowhere": "nowhere"}


class FamilyHold(Document):
    """A picked colour family that may move at most so far; limits as in `HoldStep`."""

    on: bool = True
    family: Family
    hue: float = number(8, 0, 60, "hue held within", "°")
    chroma: float = number(25, 0, 100, "chroma held within")
    lightness: float = number(12, 0, 60, "lightness held within", "L*")

    @property
    def called(self) -> str:
        """The family's colour in words."""
        return colour_word(self.family.colour)


class HoldStep(Step):
    """Skin may move at most so far: hue in degrees, chroma in percent of its own, lightness in CIE L*.

    where : in frames with a face only, in every frame, whatever has the colour of skin, or nowhere
    families : picked colours that are held, each within limits of its own
    """

    name: ClassVar[str] = "hold"
    title: ClassVar[str] = "Holds"
    guards: ClassVar[bool] = True
    in_areas: ClassVar[bool] = False
    instrument: ClassVar[Instrument | None] = "chart"
    where: Literal["faces", "everywhere", "nowhere"] = choice("faces", "skin is held", HELD_WHERE)
    hue: float = number(8, 0, 60, "Skin hue held within", "°")
    chroma: float = number(25, 0, 100, "Skin chroma held within")
    lightness: float = number(12, 0, 60, "Skin lightness held within", "L*")
    families: tuple[FamilyHold, ...] = Field(default=(), max_length=MAX_HOLDS)

    @property
    def _does_nothing(self) -> bool:
        return self.where == "nowhere" and not any(hold.on for hold in self.families)

    @property
    def sentence(self) -> str:
        names = ", ".join(hold.called for hold in self.families if hold.on)
        return "keep skin near its own colour {where}" + (f", and {names}" if names else "")

    @property
    def more(self) -> tuple[str, ...]:
        return ("Skin keeps its hue within {hue}, its chroma within {chroma}, its lightness within {lightness}",)

    def resolve(self, ask: Ask) -> tuple[HoldOperation, ...]:
        everywhere, here = self.where == "everywhere", self.where == "faces" and bool(ask.centres)
        limits = HoldLimits(hue=self.hue, chroma=self.chroma, lightness=self.lightness)
        families = tuple(HeldFamily.model_validate(hold.model_dump()) for hold in self.families)
        if not (everywhere or here or families):
            return ()
        grey = next((o.amount for o in ask.so_far if isinstance(o, GreyOperation)), 0.0)
        skin = limits if everywhere or here else None
        return (HoldOperation(skin=skin, centres=ask.centres, families=families, grey=grey),)

    def changes(self, after: Self) -> list[str]:
        old, new = self.families, after.families
        if len(new) > len(old):
            return [f"Hold {new[-1].called}"]
        if len(new) < len(old):
            gone = next(h for i, h in enumerate(old) if i >= len(new) or new[i] != h)
            return [f"No longer hold {gone.called}"]
        return [f"Hold of {b.called}{part_switched(a, b)}" for a, b in zip(old, new, strict=True) if a != b]
