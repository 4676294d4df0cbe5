"""The look document: what is to be done to every frame, as steps with plain numbers.

Percentages run from 0 to 100, lightness is CIE L*, hue in degrees. Steps act in the order in which they stand here.
"""

from typing import TYPE_CHECKING, Any, Literal

from pydantic import Field, ValidationError, field_validator, model_validator

from nuvett.core.errors import DocumentError
from nuvett.core.fields import choice, number
from nuvett.core.look.common import Common
from nuvett.core.look.earlier import look_from_earlier
from nuvett.core.look.local import MAX_AREAS, Local
from nuvett.core.look.refusals import what_is_wrong
from nuvett.core.look.ways import MAX_SETUPS, WAYS, OfSetup, Way
from nuvett.core.look.with_steps import WithSteps, with_steps
from nuvett.core.steps.registry import REGISTRY

LOOK_SCHEMA = 5
SEEN = {"frame": "whole frames", "crop": "what crops leave"}


class WholeLook(WithSteps):
    """What a look says beside its steps, in percent.

    strength : weakens everything but even light; colour : weakens the fitted colour steps alone
    vivid : of their chroma that strongly coloured things keep at least, whatever the fit asks
    pull : 0 gives every frame the same transform, 100 fits each frame by itself
    seen : what of a frame it is fitted by, all of it or what its crop leaves
    way : in which it arrives, where it has both a target and what was made by hand
    areas : given by rules or shapes, so that they are found anew in every frame
    setups : what it does otherwise in some set-ups; they belong to a series and do not travel
    common : what all trims begin from
    """

    schema_version: Literal[5] = 5
    strength: float = number(100, 0, 150, "Strength of the look", full=100)
    colour: float = number(100, 0, 150, "Colour", full=100)
    vivid: float = number(70, 0, 100, "Strong colours keep at least")
    pull: float = number(60, 0, 100, "Pull")
    way: Way = choice("fit", "Arrives by", dict(WAYS))
    seen: Literal["frame", "crop"] = choice("frame", "Fitted by", SEEN)
    areas: tuple[Local, ...] = Field(default=(), max_length=MAX_AREAS)
    common: Common = Common()
    setups: tuple[OfSetup, ...] = Field(default=(), max_length=MAX_SETUPS)

    @field_validator("areas")
    @classmethod
    def _travel(cls, areas: tuple[Local, ...]) -> tuple[Local, ...]:
        if not all(one.area.travels for one in areas):
            raise ValueError("a brushed area belongs to its frame and cannot travel with a look")
        return areas

    @model_validator(mode="before")
    @classmethod
    def _from_earlier(cls, data: Any) -> Any:
        return look_from_earlier(data, LOOK_SCHEMA) if isinstance(data, dict) else data


if TYPE_CHECKING:
    _LookSteps = WholeLook
else:
    _LookSteps = with_steps(WholeLook, REGISTRY)


class Look(_LookSteps):
    """A whole look: the steps of the registry, and how much of them is taken."""

    def of_setup(self, setup: str) -> OfSetup:
        """What it does otherwise in a set-up."""
        return next((one for one in self.setups if one.setup == setup), OfSetup(setup=setup))

    def with_setup(self, own: OfSetup) -> "Look":
        """The look with what it does otherwise in one set-up."""
        others = tuple(one for one in self.setups if one.setup != own.setup)
        said = (own,) if own.way or own.aim else ()
        return self.model_copy(update={"setups": (*others, *said)})

    def arriving(self, way: Way) -> "Look":
        """The look in one way in all set-ups, which keep what they aim at."""
        aiming = tuple(one.model_copy(update={"way": None}) for one in self.setups if one.aim)
        return self.model_copy(update={"way": way, "setups": aiming})

    def everywhere(self) -> "Look":
        """The look without what it does otherwise in some set-ups, which belong to a series and do not travel."""
        return self.model_copy(update={"setups": ()})

    def in_setup(self, setup: str) -> "Look":
        """The look as it is in one set-up."""
        way = self.of_setup(setup).way or self.way
        return self.model_copy(update={"way": way, "setups": ()}) if self.setups else self


def parse_look(text: str | bytes) -> Look:
    """A look from JSON text. Raises DocumentError on damage, on a newer schema and on values out of range."""
    try:
        return Look.model_validate_json(text)
    except ValidationError as error:
        raise DocumentError(what_is_wrong(error, "look", LOOK_SCHEMA)) from error


AMOUNTS = ("strength", "colour", "vivid", "pull", "way", "seen")
"""What says how much of a look is taken, and how it arrives."""


def take_parts(onto: Look, source: Look, parts: frozenset[str]) -> Look:
    """A look with the named steps of another one; `all` takes what stands beside the steps along.

    Raises DocumentError for a part that is not there.
    """
    unknown = parts - {kind.name for kind in REGISTRY} - {"all"}
    if unknown:
        raise DocumentError(f"A look has no part called {sorted(unknown)[0]}.")
    names = {*parts - {"all"}, *((*AMOUNTS, "areas", "common") if "all" in parts else ())}
    taken = {name: getattr(source, name) for name in names}
    return onto.model_copy(update=taken)
