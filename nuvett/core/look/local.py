"""Steps in an area: what looks and trims do in a part of the frame."""

from typing import TYPE_CHECKING

from pydantic import Field

from nuvett.core.area.area import Area
from nuvett.core.area.words import area_changes, area_words
from nuvett.core.fields import number, numbers_of
from nuvett.core.look.with_steps import WithSteps, with_steps
from nuvett.core.steps.registry import REGISTRY
from nuvett.core.steps.step import changed

MAX_AREAS, MAX_NAME = 12, 60


class WholeLocal(WithSteps):
    """What stands beside the steps of an area.

    key : by which the area is known where a trim speaks of one of its look
    name : given by a person, empty for what the area is
    strength : of the look in the area, in percent of what it is everywhere else
    aim, toward : key of a named part of a reference that the area is brought to, and by how much
    """

    on: bool = True
    key: str = Field(default="", max_length=16)
    name: str = Field(default="", max_length=MAX_NAME)
    area: Area = Area()
    strength: float = number(100, 0, 150, "Strength of the look here")
    aim: str = Field(default="", max_length=64)
    toward: float = number(100, 0, 150, "Toward the part", full=100)


_IN_AREAS = tuple(kind for kind in REGISTRY if kind.in_areas)

if TYPE_CHECKING:
    _LocalSteps = WholeLocal
else:
    _LocalSteps = with_steps(WholeLocal, _IN_AREAS, only_brought_in=True)


class Local(_LocalSteps):
    """An area of a frame, how much of the look it takes, and steps that act in it alone."""

    @property
    def title(self) -> str:
        """Its name, or what its area is."""
        words = self.name.strip() or area_words(self.area)
        return words[:1].upper() + words[1:]

    @property
    def aims(self) -> bool:
        """Whether it is brought to a part of a reference."""
        return bool(self.aim) and self.toward > 0

    @property
    def is_idle(self) -> bool:
        """Whether it does nothing."""
        nowhere = not self.area.parts or self.area.density == 0
        still = self.strength == 100 and not self.aims and all(step.is_idle for step in self.steps)
        return not self.on or nowhere or still


Locals = tuple[Local, ...]


def locals_changed(before: Locals, after: Locals) -> list[str]:
    """What changed between the areas of two states of a document, in words."""
    if len(after) > len(before):
        return [f"Area: {_odd(after, before).title}"]
    if len(after) < len(before):
        return [f"Area taken out: {_odd(before, after).title}"]
    said = []
    for old, new in zip(before, after, strict=True):
        said += [f"{new.title}: {text}" for text in _changes(old, new)]
    return said


def _odd(longer: Locals, shorter: Locals) -> Local:
    return next((one for i, one in enumerate(longer) if i >= len(shorter) or shorter[i] != one), longer[-1])


def _changes(old: Local, new: Local) -> list[str]:
    said: list[str] = []
    if old.on != new.on:
        said.append("on" if new.on else "off")
    if old.name != new.name:
        said.append("named" if new.name else "no longer named")
    said += area_changes(old.area, new.area)
    words = numbers_of(WholeLocal)["strength"]
    if old.strength != new.strength:
        said.append(f"{words.label} {words.bare(old.strength)} to {words.written(new.strength)}")
    if old.aim != new.aim:
        said.append("brought to a part of a reference" if new.aim else "brought to no part any more")
    toward = numbers_of(WholeLocal)["toward"]
    if old.toward != new.toward:
        said.append(f"{toward.label} {toward.bare(old.toward)} to {toward.written(new.toward)}")
    for kind in _IN_AREAS:
        said += changed(getattr(old, kind.name), getattr(new, kind.name))
    return said
