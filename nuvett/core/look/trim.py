"""The trim document: one frame's own departure from the look."""

from typing import TYPE_CHECKING, Any, Literal

from pydantic import Field, ValidationError, field_validator, model_validator

from nuvett.core.errors import DocumentError
from nuvett.core.fields import number
from nuvett.core.geometry.geometry import Geometry
from nuvett.core.geometry.spots import MAX_SPOTS, Spots
from nuvett.core.look.earlier import trim_from_earlier
from nuvett.core.look.local import MAX_AREAS, Local
from nuvett.core.look.refusals import what_is_wrong
from nuvett.core.look.with_steps import WithSteps, with_steps
from nuvett.core.steps.registry import REGISTRY

TRIM_SCHEMA = 3


class WholeTrim(WithSteps):
    """What a trim says beside its steps: strength of the look here, in percent, geometry, and steps in areas.

    spots : that are painted out by what is around them
    without : keys of areas of the look that are left out in this frame
    """

    schema_version: Literal[3] = 3
    strength: float = number(100, 0, 100, "Strength of the look")
    geometry: Geometry = Geometry()
    spots: Spots = Field(default=(), max_length=MAX_SPOTS)
    areas: tuple[Local, ...] = Field(default=(), max_length=MAX_AREAS)
    without: tuple[str, ...] = Field(default=(), max_length=MAX_AREAS)

    @field_validator("geometry")
    @classmethod
    def _is_cut(cls, geometry: Geometry) -> Geometry:
        return geometry.model_copy(update={"uncut": False})

    @model_validator(mode="before")
    @classmethod
    def _from_earlier(cls, data: Any) -> Any:
        return trim_from_earlier(data, TRIM_SCHEMA) if isinstance(data, dict) else data


_IN_TRIMS = tuple(kind for kind in REGISTRY if kind.in_trims)


if TYPE_CHECKING:
    _TrimSteps = WholeTrim
else:
    _TrimSteps = with_steps(WholeTrim, _IN_TRIMS, only_brought_in=True)


class Trim(_TrimSteps):
    """One frame's own departure, applied after the look: how much of the look it takes, and steps brought in."""

    @property
    def is_none(self) -> bool:
        """Whether there is nothing in it."""
        return (
            self.strength == 100
            and not self.steps
            and not self.areas
            and not self.without
            and not self.spots
            and self.geometry == Geometry()
        )

    @property
    def acts(self) -> bool:
        """Whether it changes the frame; steps brought in may still be idle."""
        acting = any(not step.is_idle for step in self.steps) or any(not area.is_idle for area in self.areas)
        placed = not self.geometry.is_none or any(spot.on for spot in self.spots)
        return self.strength != 100 or acting or bool(self.without) or placed


TRIM_PARTS = ("strength", "geometry", "spots", "areas", "without", *(kind.name for kind in _IN_TRIMS))
"""Parts of a trim by which it can be copied."""


def filled_parts(trim: Trim) -> tuple[str, ...]:
    """Parts of a trim that there is something in."""
    empty = Trim()
    return tuple(name for name in TRIM_PARTS if getattr(trim, name) != getattr(empty, name))


def take_trim_parts(onto: Trim, source: Trim, parts: frozenset[str], replace_areas: bool = True) -> Trim:
    """A trim with the named parts of another one; areas are added to its own where they are not to replace them.

    Raises DocumentError for a part that is not there, and for too many areas.
    """
    unknown = parts - set(TRIM_PARTS)
    if unknown:
        raise DocumentError(f"A trim has no part called {sorted(unknown)[0]}.")
    taken = {name: getattr(source, name) for name in parts}
    if "areas" in parts and not replace_areas:
        taken["areas"] = (*onto.areas, *(area for area in source.areas if area not in onto.areas))
        if len(taken["areas"]) > MAX_AREAS:
            raise DocumentError(f"A trim holds at most {MAX_AREAS} areas; take some away first.")
    return onto.model_copy(update=taken)


def lost_parts(before: Trim, after: Trim) -> tuple[str, ...]:
    """Parts of a trim that are not there any more as they were: replaced, or taken away."""
    kept = set(after.areas)
    return tuple(
        name
        for name in filled_parts(before)
        if getattr(after, name) != getattr(before, name) and not (name == "areas" and kept >= set(before.areas))
    )


def parse_trim(text: str | bytes) -> Trim:
    """A trim from JSON text. Raises DocumentError on damage, on a newer schema and on values out of range."""
    try:
        return Trim.model_validate_json(text)
    except ValidationError as error:
        raise DocumentError(what_is_wrong(error, "trim", TRIM_SCHEMA)) from error
