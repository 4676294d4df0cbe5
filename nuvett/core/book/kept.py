"""A look that is kept: what it does, the target it aims at, and which parts of both are in it."""

from typing import Any, Literal

from pydantic import Field, field_validator

from nuvett.core.errors import DocumentError
from nuvett.core.fields import number
from nuvett.core.look.look import AMOUNTS, Look, take_parts
from nuvett.core.look.trim import Trim
from nuvett.core.reading.palette import LARGEST, Edits, Held, Palette
from nuvett.core.reading.reading import Reading, Target, Weighed, blend
from nuvett.core.reading.regions import Sampling
from nuvett.core.steps.registry import REGISTRY
from nuvett.core.types import Document

AIM_TONE, AIM_COLOUR, AREAS, WHOLE, COMMON = "aim-tone", "aim-colour", "areas", "all", "common"
GEOMETRY, BRUSHED = "geometry", "brushed"
_BESIDE = {
    AREAS: "Areas",
    WHOLE: "Strength and pull",
    COMMON: "Trims in common",
    AIM_TONE: "The tone it aims at",
    AIM_COLOUR: "The colours it aims at",
    GEOMETRY: "This frame’s crop",
    BRUSHED: "This frame’s areas",
}
PARTS: dict[str, str] = {kind.name: kind.title for kind in REGISTRY} | _BESIDE
"""Parts of a kept look, in words."""

LEFT_OUT: dict[str, str] = {
    "exposure": "made for the light of this series",
    COMMON: "made for the light of this series",
    GEOMETRY: "made for one frame",
    BRUSHED: "made for one frame",
}
"""Parts that belong to the series they were made on, and are kept only when asked for; why."""

USUAL_PARTS = tuple(name for name in PARTS if name not in LEFT_OUT)


class MadeOn(Document):
    """What a look was made on: cameras by their names, and whether most frames were raw files."""

    cameras: tuple[str, ...] = ()
    raw: bool = False


class Kept(Document):
    """What is kept of a look. Parts that are not in it are left to the look that it is laid onto.

    made_on : the frames of the series that it was kept from, where that is known
    target : what it aims at, none for a look that aims at nothing, such as a table
    trim : of the frame that it was kept on, for those who ask for its geometry or its areas
    """

    schema_version: Literal[1] = 1
    look: Look
    target: Target | None = None
    trim: Trim | None = None
    made_on: MadeOn | None = None
    parts: tuple[str, ...] = Field(default=USUAL_PARTS, min_length=1)

    @field_validator("parts")
    @classmethod
    def _are_known(cls, parts: tuple[str, ...]) -> tuple[str, ...]:
        unknown = set(parts) - set(PARTS)
        if unknown:
            raise ValueError(f"a look has no part called {sorted(unknown)[0]}")
        return tuple(name for name in PARTS if name in parts)

    @property
    def aims(self) -> bool:
        """Whether it aims at something of its own."""
        return self.target is not None and bool({AIM_TONE, AIM_COLOUR} & set(self.parts))


class Use(Document):
    """How a kept look is used: at a strength in percent of its own, by all of its parts or by some."""

    strength: float = number(100, 0, 100, "Strength it is used at")
    parts: tuple[str, ...] | None = None


def bare_look() -> Look:
    """A look that does nothing, on which others are laid."""
    return Look.of(*(kind(on=False) for kind in REGISTRY), vivid=0)


def laid_onto(draft: Look, kept: Kept, use: Use) -> Look:
    """A look with the parts of a kept one in place of its own. Raises DocumentError for a part that is not in it."""
    parts = _used(kept, use)
    steps = frozenset(parts) & {kind.name for kind in REGISTRY}
    made = take_parts(draft, kept.look, steps)
    beside: dict[str, Any] = {}
    if AREAS in parts:
        beside["areas"] = kept.look.areas
    if COMMON in parts:
        beside["common"] = kept.look.common
    if WHOLE in parts:
        beside |= {name: getattr(kept.look, name) for name in AMOUNTS}
    made = made.model_copy(update=beside)
    return made.model_copy(update={"strength": round(made.strength * use.strength / 100, 1)})


def trim_onto(own: Trim, kept: Kept, use: Use) -> Trim:
    """A frame's trim with the geometry and areas of the one that was kept, where those are in it."""
    parts = _used(kept, use)
    if kept.trim is None:
        return own
    taken: dict[str, Any] = {}
    if GEOMETRY in parts:
        taken["geometry"] = kept.trim.geometry
    if BRUSHED in parts:
        taken["areas"] = kept.trim.areas
    return own.model_copy(update=taken)


def aim_onto(own: Target | None, kept: Kept, use: Use) -> Target | None:
    """What a look aims at with a kept one laid onto it: tone and colours of the kept target where those are in it.

    own : what it aimed at before. Raises DocumentError as `laid_onto`.
    """
    parts = _used(kept, use)
    tone, colour = AIM_TONE in parts, AIM_COLOUR in parts
    if kept.target is None or not (tone or colour):
        return own
    if (tone and colour) or own is None:
        return kept.target
    theirs, ours = (Weighed(reading=_reading(t), tone=0, colour=0) for t in (kept.target, own))
    pair = [
        theirs.model_copy(update={"tone": 100.0 * tone, "colour": 100.0 * colour}),
        ours.model_copy(update={"tone": 100.0 * (not tone), "colour": 100.0 * (not colour)}),
    ]
    return blend(pair)


def with_palette(target: Target, palette: Palette) -> Target:
    """A target whose colours are those of a palette; its tone and the spread of its colours stay."""
    held = tuple(Held(colour=(c.lightness, c.a, c.b), stands_for=(c.lightness, c.a, c.b)) for c in palette)
    return Target(palette=palette, statistics=target.statistics, edits=Edits(held=held[:LARGEST]))


def _used(kept: Kept, use: Use) -> tuple[str, ...]:
    if use.parts is None:
        return kept.parts
    if missing := set(use.parts) - set(kept.parts):
        name = sorted(missing)[0]
        raise DocumentError(f"{PARTS.get(name, name)} is not in this kept look.")
    return use.parts


def _reading(target: Target) -> Reading:
    sampling = Sampling(edits=target.edits)
    return Reading(sampling=sampling, share=1, palette=target.palette, statistics=target.statistics)
