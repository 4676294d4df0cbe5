"""The look document: what is to be done to every frame, as fixed steps with plain numbers.

Percentages run from 0 to 100, lightness is CIE L*, hue in degrees. Steps act in the order in which they stand here.
"""

from typing import Literal

from pydantic import Field, ValidationError

from nuvett.core.errors import DocumentError
from nuvett.core.reading.family import Family
from nuvett.core.types import Document

LOOK_SCHEMA = 1


class EvenStep(Document):
    """Even light: exposure and white brought to the base of the frame's set-up."""

    on: bool = True
    amount: float = Field(default=100, ge=0, le=100)


class ToneStep(Document):
    """Tone toward the target: black and white aims are CIE L*, none for the target's own; steepest is a slope."""

    on: bool = True
    amount: float = Field(default=75, ge=0, le=100)
    black: float | None = Field(default=None, ge=0, le=60)
    white: float | None = Field(default=None, ge=40, le=100)
    steepest: float = Field(default=2.2, ge=1, le=4)


class ZoneStep(Document):
    """Zone tints toward the target's, by lightness; crossover is CIE L*, width in L* over which zones blend.

    shadow, midtone, highlight : percent of the tint that each zone takes
    """

    on: bool = True
    amount: float = Field(default=80, ge=0, le=100)
    shadow: float = Field(default=100, ge=0, le=150)
    midtone: float = Field(default=100, ge=0, le=150)
    highlight: float = Field(default=100, ge=0, le=150)
    crossover: float = Field(default=50, ge=10, le=90)
    width: float = Field(default=40, ge=5, le=100)


class SpreadStep(Document):
    """Colour spread toward the target's, about the zone tints."""

    on: bool = True
    amount: float = Field(default=60, ge=0, le=100)


class MoveStep(Document):
    """Colour moves by pairing palettes; reach in OKLab units times 100."""

    on: bool = True
    amount: float = Field(default=50, ge=0, le=100)
    reach: float = Field(default=9, ge=4, le=30)


class WhiteStep(Document):
    """White of the finished picture, in percent: warmth to yellow-orange, tint to magenta."""

    on: bool = True
    warmth: float = Field(default=0, ge=-60, le=60)
    tint: float = Field(default=0, ge=-40, le=40)


class ExposureStep(Document):
    """Exposure in EV and contrast in percent about a pivot in CIE L*."""

    on: bool = True
    exposure: float = Field(default=0, ge=-4, le=4)
    contrast: float = Field(default=0, ge=-80, le=100)
    pivot: float = Field(default=50, ge=5, le=95)


class SaturationStep(Document):
    """Saturation of all colours and vibrance, which moves quiet colours more, both in percent."""

    on: bool = True
    saturation: float = Field(default=0, ge=-100, le=100)
    vibrance: float = Field(default=0, ge=-100, le=100)


class HoldStep(Document):
    """Skin may move at most so far: hue in degrees, chroma in percent of its own, lightness in CIE L*."""

    on: bool = False
    hue: float = Field(default=8, ge=0, le=60)
    chroma: float = Field(default=25, ge=0, le=100)
    lightness: float = Field(default=12, ge=0, le=60)


class FamilyHold(Document):
    """A picked colour family that may move at most so far; limits as in `HoldStep`."""

    family: Family
    hue: float = Field(default=8, ge=0, le=60)
    chroma: float = Field(default=25, ge=0, le=100)
    lightness: float = Field(default=12, ge=0, le=60)


class Look(Document):
    """A whole look. `strength` weakens everything but even light; `tone` and `colour` weaken their steps alone.

    pull : percent; 0 gives every frame the same transform, 100 fits each frame by itself
    """

    schema_version: Literal[1] = 1
    strength: float = Field(default=100, ge=0, le=100)
    colour: float = Field(default=100, ge=0, le=100)
    pull: float = Field(default=60, ge=0, le=100)
    even: EvenStep = EvenStep()
    tone: ToneStep = ToneStep()
    zones: ZoneStep = ZoneStep()
    spread: SpreadStep = SpreadStep()
    moves: MoveStep = MoveStep()
    white: WhiteStep = WhiteStep()
    exposure: ExposureStep = ExposureStep()
    saturation: SaturationStep = SaturationStep()
    hold: HoldStep = HoldStep()
    kept: tuple[FamilyHold, ...] = Field(default=(), max_length=6)


class Trim(Document):
    """One frame's own departure, applied after the look: EV, percent, percent, percent; strength of the look here."""

    schema_version: Literal[1] = 1
    exposure: float = Field(default=0, ge=-4, le=4)
    warmth: float = Field(default=0, ge=-60, le=60)
    tint: float = Field(default=0, ge=-40, le=40)
    saturation: float = Field(default=0, ge=-100, le=100)
    strength: float = Field(default=100, ge=0, le=100)

    @property
    def is_none(self) -> bool:
        return self == Trim()


def parse_look(text: str | bytes) -> Look:
    """A look from JSON text. Raises DocumentError on damage, on a newer schema and on values out of range."""
    try:
        return Look.model_validate_json(text)
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(part) for part in first["loc"])
        if place == "schema_version":
            raise DocumentError(
                f"This look has schema {first['input']}; this version reads schema {LOOK_SCHEMA}. Nothing was changed."
            ) from error
        if not place:
            raise DocumentError("This is not a look document: the JSON is damaged.") from error
        raise DocumentError(f"This is not a usable look: {place}: {first['msg'].lower()}.") from error
