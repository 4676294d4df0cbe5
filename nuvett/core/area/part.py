"""What every kind of part of an area has. To add a kind, see docs/adding.md."""

from abc import abstractmethod
from typing import Annotated, ClassVar, Literal, Self

from pydantic import Field

from nuvett.core.area.faces import SkinSeen
from nuvett.core.area.scene import Scene
from nuvett.core.fields import choice, choices_of, numbers_of
from nuvett.core.types import Document, Mask01

Place = Annotated[float, Field(ge=-2, le=3)]
"""A share of the width or height; handles may lie off the picture."""

JOINS = {"added": "added", "taken": "taken away", "within": "kept within"}
Join = Literal["added", "taken", "within"]
Begins = Literal["at once", "picked", "brushed", "grown"]

_PLACES = frozenset({"x", "y", "end_x", "end_y"})


class AreaPart(Document):
    """One part of an area: how it joins the parts before it, and whether it is turned inside out.

    A kind has a field `kind` of its own, a literal with a usual value, beside its numbers.

    title : how it is offered where a part is added
    travels : whether a look may carry it to other frames
    looks_at : what it needs to know of the frame beside its shape
    edges : whether an area that begins with it follows edges of the picture
    outline : what is drawn on the picture with its handles, by the numbers that `RoundPart` or `StraightPart` has
    begins : how it is made: at once, from a colour picked in the frame, by strokes of a brush, or as a thread grows;
        what grows is not offered by hand
    lacking : what is said of a frame in which it finds nothing
    sentence : how its numbers are told, their names in braces
    """

    title: ClassVar[str]
    travels: ClassVar[bool] = True
    looks_at: ClassVar[Literal["nothing", "colours", "subject"]] = "nothing"
    edges: ClassVar[bool] = False
    outline: ClassVar[Literal["", "round", "straight"]] = ""
    begins: ClassVar[Begins] = "at once"
    lacking: ClassVar[str] = ""
    sentence: ClassVar[str] = ""
    join: Join = choice("added", "joins", JOINS)
    inverted: bool = False

    @property
    def words(self) -> str:
        """It by what it is, not yet turned inside out."""
        return self.title

    @abstractmethod
    def weigh(self, scene: Scene) -> Mask01:
        """How much each place (h, w) of a frame belongs to it, 0 to 1, not yet turned inside out."""

    def told(self, faces: tuple[SkinSeen, ...]) -> Self:
        """It with the faces of a frame, where it asks for them."""
        return self

    def finds(self, scene: Scene, faces: tuple[SkinSeen, ...]) -> bool:
        """Whether a frame has what it looks for."""
        return True

    def changes(self, after: Self) -> list[str]:
        """How its numbers differ from those of another of its kind, in words."""
        numbers = numbers_of(type(self))
        said = [
            f"{words.label} {words.bare(getattr(self, name))} to {words.written(getattr(after, name))}"
            for name, words in numbers.items()
            if name not in _PLACES and getattr(self, name) != getattr(after, name)
        ]
        said += [
            f"{self.words} {words.words[getattr(after, name)]}"
            for name, words in choices_of(type(self)).items()
            if name != "join" and getattr(self, name) != getattr(after, name)
        ]
        if any(getattr(self, name) != getattr(after, name) for name in _PLACES & set(numbers)):
            said.append("moved")
        return said
