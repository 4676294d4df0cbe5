"""The look document: what is to be done to every frame, as fixed steps with plain numbers.

Percentages run from 0 to 100, lightness is CIE L*, hue in degrees. Steps act in the order in which they stand here.
"""

from typing import Any, Literal

from pydantic import Field, ValidationError, model_validator

from nuvett.core.errors import DocumentError
from nuvett.core.look.steps import (
    MOST_HOLDS,
    CurveStep,
    EvenStep,
    ExposureStep,
    FamilyHold,
    FilterStep,
    FinishStep,
    HoldStep,
    MonoStep,
    MoveStep,
    SaturationStep,
    SpreadStep,
    ToneStep,
    WashStep,
    WhiteStep,
    ZoneStep,
)
from nuvett.core.types import Document

LOOK_SCHEMA = 3
STEPS = (
    "even",
    "tone",
    "zones",
    "spread",
    "moves",
    "white",
    "exposure",
    "curve",
    "saturation",
    "wash",
    "filter",
    "mono",
    "hold",
    "finish",
)
"""Names of the steps, in the order in which they act."""


_EARLIER: dict[str, dict[str, Any]] = {
    "tone": {"amount": 75},
    "zones": {"amount": 80, "whites": 100},
    "spread": {"amount": 60},
    "moves": {"amount": 50},
    "hold": {"on": False, "where": "everywhere"},
}
"""Usual values of schemas 1 and 2 that have changed since."""


class Look(Document):
    """A whole look. `strength` weakens everything but even light; `colour` weakens the fitted colour steps alone.

    vivid : percent of their chroma that strongly coloured things keep at least, whatever the fit asks
    pull : percent; 0 gives every frame the same transform, 100 fits each frame by itself
    """

    schema_version: Literal[3] = 3
    strength: float = Field(default=100, ge=0, le=100)
    colour: float = Field(default=100, ge=0, le=100)
    vivid: float = Field(default=70, ge=0, le=100)
    pull: float = Field(default=60, ge=0, le=100)
    even: EvenStep = EvenStep()
    tone: ToneStep = ToneStep()
    zones: ZoneStep = ZoneStep()
    spread: SpreadStep = SpreadStep()
    moves: MoveStep = MoveStep()
    white: WhiteStep = WhiteStep()
    exposure: ExposureStep = ExposureStep()
    curve: CurveStep = CurveStep()
    saturation: SaturationStep = SaturationStep()
    wash: WashStep = WashStep()
    filter: FilterStep = FilterStep()
    mono: MonoStep = MonoStep()
    hold: HoldStep = HoldStep()
    kept: tuple[FamilyHold, ...] = Field(default=(), max_length=MOST_HOLDS)
    finish: FinishStep = FinishStep()

    @model_validator(mode="before")
    @classmethod
    def _from_earlier(cls, data: Any) -> Any:
        """Schema 1 had fewer steps; before schema 3 usual amounts were others, and nothing kept its own colour."""
        if isinstance(data, dict) and data.get("schema_version") in (1, 2):
            steps = {
                name: {**was, **given}
                for name, was in _EARLIER.items()
                if isinstance(given := data.get(name, {}), dict)
            }
            return {"vivid": 0, **data, **steps, "schema_version": LOOK_SCHEMA}
        return data


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
        words = first["msg"].removeprefix("Value error, ")
        raise DocumentError(f"This is not a usable look: {place}: {words[0].lower()}{words[1:]}.") from error


def take_parts(onto: Look, source: Look, parts: frozenset[str]) -> Look:
    """A look with the named steps of another one. `hold` takes picked holds along, `all` the strength, colour and pull.

    Raises DocumentError for a part that is not there.
    """
    unknown = parts - {*STEPS, "all"}
    if unknown:
        raise DocumentError(f"A look has no part called {sorted(unknown)[0]}.")
    taken: dict[str, Any] = {name: getattr(source, name) for name in parts if name != "all"}
    if "hold" in parts:
        taken["kept"] = source.kept
    if "all" in parts:
        taken |= {name: getattr(source, name) for name in ("strength", "colour", "vivid", "pull")}
    return onto.model_copy(update=taken)
