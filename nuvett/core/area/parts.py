"""Areas as documents: parts that are added, taken away or kept within, in order. Places belong to the thing seen.

Places are shares of the width and height of the upright, uncut original; lengths are percent of its long edge.
"""

from typing import Annotated, ClassVar, Literal

from pydantic import Field, field_validator

from nuvett.core.area.faces import SkinSeen
from nuvett.core.fields import choice, number
from nuvett.core.reading.family import Family
from nuvett.core.types import Document

MOST_PARTS, MOST_STROKES, MOST_POINTS = 12, 400, 4000
Place = Annotated[float, Field(ge=-2, le=3)]
"""A share of the width or height; handles may lie off the picture."""

JOINS = {"added": "added", "taken": "taken away", "within": "kept within"}
Join = Literal["added", "taken", "within"]


class AreaPart(Document):
    """One part of an area: how it joins the parts before it, and whether it is turned inside out.

    travels : whether a look may carry it to other frames
    looks_at : what it needs to know of the frame beside its shape
    sentence : how its numbers are told, their names in braces
    """

    travels: ClassVar[bool] = True
    looks_at: ClassVar[Literal["nothing", "colours", "subject"]] = "nothing"
    sentence: ClassVar[str] = ""
    join: Join = choice("added", "joins", JOINS)
    inverted: bool = False


class RoundPart(AreaPart):
    """Whole inside an ellipse, fading out beyond it by `soft` percent of its radii."""

    sentence: ClassVar[str] = "reaching {across} across and {down} down from {x}, {y}, turned {turn}, soft {soft}"
    kind: Literal["round"] = "round"
    x: float = number(0.5, -2, 3, "Middle, across", "", 0.005)
    y: float = number(0.5, -2, 3, "Middle, down", "", 0.005)
    across: float = number(15, 0.5, 150, "Reach across, of the long edge", "%", 0.5)
    down: float = number(15, 0.5, 150, "Reach down, of the long edge", "%", 0.5)
    turn: float = number(0, -180, 180, "Turned by", "°")
    soft: float = number(60, 0, 200, "Softness")


class StraightPart(AreaPart):
    """Whole on the far side of a line through x, y, faded out at one through end_x, end_y; square to the way there."""

    sentence: ClassVar[str] = "whole from {x}, {y}, faded out at {end_x}, {end_y}"
    kind: Literal["straight"] = "straight"
    x: float = number(0.5, -2, 3, "Whole from, across", "", 0.005)
    y: float = number(0.3, -2, 3, "Whole from, down", "", 0.005)
    end_x: float = number(0.5, -2, 3, "Faded out at, across", "", 0.005)
    end_y: float = number(0.5, -2, 3, "Faded out at, down", "", 0.005)


class Stroke(Document):
    """A stroke of a brush: points as x, y in shares and pressure 0 to 1; radius in percent of the long edge."""

    points: tuple[tuple[Place, Place, Annotated[float, Field(ge=0, le=1)]], ...] = Field(min_length=1)
    radius: float = number(4, 0.2, 40, "Radius of the brush, of the long edge", "%", 0.2)
    hardness: float = number(30, 0, 100, "Hardness of the brush")
    flow: float = number(100, 1, 100, "Flow of the brush")
    erases: bool = False

    @field_validator("points", mode="before")
    @classmethod
    def _not_endless(cls, points: object) -> object:
        if isinstance(points, list | tuple) and len(points) > MOST_POINTS:
            raise ValueError(f"a stroke holds at most {MOST_POINTS} points, this one has {len(points)}")
        return points


class BrushPart(AreaPart):
    """What strokes have covered, those that erase taken away in their turn."""

    travels: ClassVar[bool] = False
    kind: Literal["brush"] = "brush"
    strokes: tuple[Stroke, ...] = Field(default=(), max_length=MOST_STROKES)


class ColourPart(AreaPart):
    """Colours near one that was picked in the evened frame."""

    looks_at: ClassVar[Literal["nothing", "colours", "subject"]] = "colours"
    sentence: ClassVar[str] = "colours within {tolerance}"
    kind: Literal["colour"] = "colour"
    colour: tuple[float, float, float]
    tolerance: float = number(30, 0, 100, "Tolerance")

    @property
    def family(self) -> Family:
        """The family that belongs to it."""
        return Family(colour=self.colour, tolerance=self.tolerance)


class TonePart(AreaPart):
    """Tones of the evened frame from one CIE L* to another, fading out beyond each end."""

    looks_at: ClassVar[Literal["nothing", "colours", "subject"]] = "colours"
    sentence: ClassVar[str] = "from {low} to {high}, fading out over {soft_low} below and {soft_high} above"
    kind: Literal["tone"] = "tone"
    low: float = number(70, 0, 100, "Tones from", "L*")
    high: float = number(100, 0, 100, "Tones to", "L*")
    soft_low: float = number(15, 0, 100, "Fading out below over", "L*")
    soft_high: float = number(15, 0, 100, "Fading out above over", "L*")


class SubjectPart(AreaPart):
    """What stands out in the frame, found anew in every frame."""

    looks_at: ClassVar[Literal["nothing", "colours", "subject"]] = "subject"
    kind: Literal["subject"] = "subject"


class SkinPart(AreaPart):
    """Colours of the skin of faces, near those faces. `faces` are those of the frame, filled in when it is planned."""

    looks_at: ClassVar[Literal["nothing", "colours", "subject"]] = "colours"
    kind: Literal["skin"] = "skin"
    faces: tuple[SkinSeen, ...] = ()


Part = Annotated[
    RoundPart | StraightPart | BrushPart | ColourPart | TonePart | SubjectPart | SkinPart, Field(discriminator="kind")
]


class Area(Document):
    """Where something acts: parts in order. Without parts it is nowhere.

    density : weight of the whole; softness : blur of the whole
    edges : whether its border follows edges of the picture
    """

    parts: tuple[Part, ...] = Field(default=(), max_length=MOST_PARTS)
    density: float = number(100, 0, 100, "Density")
    softness: float = number(0, 0, 20, "Blur, of the long edge", "%", 0.1)
    edges: bool = False

    @property
    def travels(self) -> bool:
        """Whether a look may carry it to other frames."""
        return all(part.travels for part in self.parts)

    def with_faces(self, faces: tuple[SkinSeen, ...]) -> "Area":
        """The area with the faces of a frame told to the parts that look for skin."""
        if not any(isinstance(part, SkinPart) for part in self.parts):
            return self
        parts = (p.model_copy(update={"faces": faces}) if isinstance(p, SkinPart) else p for p in self.parts)
        return self.model_copy(update={"parts": tuple(parts)})

    @property
    def looks_at(self) -> frozenset[str]:
        """What its parts need to know of the frame beside their shapes."""
        return frozenset(part.looks_at for part in self.parts)
