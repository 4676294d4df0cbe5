"""The frame plan: everything that will be done to one frame, as groups of operations in plain numbers."""

import hashlib
from dataclasses import replace
from functools import cached_property
from typing import Annotated, Any, Literal, Self, TypeVar

from pydantic import Field, model_validator

from nuvett.core.area.area import Area
from nuvett.core.geometry.geometry import Geometry, Placing, Size
from nuvett.core.geometry.lens import LensCorrection
from nuvett.core.geometry.spots import Spots
from nuvett.core.plan.by_hand import (
    CastsOperation,
    CurveOperation,
    EndsOperation,
    FilterOperation,
    GreyOperation,
    HuesOperation,
    OwnMovesOperation,
    PrimariesOperation,
    SaturateOperation,
    WashLayersOperation,
    WashOperation,
)
from nuvett.core.plan.earlier import from_first_schema, from_second_schema
from nuvett.core.plan.ends import EaseOperation, HoldOperation
from nuvett.core.plan.finish import (
    FineOperation,
    FinishOperation,
    GlowOperation,
    GrainOperation,
    HalationOperation,
    HazeOperation,
    LocalOperation,
    NoiseOperation,
    RegionsOperation,
    SharpenOperation,
    SoftColourOperation,
    SoftnessOperation,
    VignetteOperation,
)
from nuvett.core.plan.fitted import (
    ByLightness,
    KeepOperation,
    MovesOperation,
    SpreadOperation,
    TintOperation,
    ToneOperation,
    merged,
    steepest,
)
from nuvett.core.plan.light import ExposureOperation, GainsOperation, VeilOperation
from nuvett.core.plan.operation import ColourOperation, Operation
from nuvett.core.plan.tables import TableOperation
from nuvett.core.types import Document

PLAN_SCHEMA = 3
AnyOperation = Annotated[
    GainsOperation
    | ToneOperation
    | TintOperation
    | SpreadOperation
    | MovesOperation
    | KeepOperation
    | OwnMovesOperation
    | VeilOperation
    | ExposureOperation
    | CastsOperation
    | CurveOperation
    | EndsOperation
    | PrimariesOperation
    | SaturateOperation
    | HuesOperation
    | WashOperation
    | WashLayersOperation
    | FilterOperation
    | GreyOperation
    | TableOperation
    | EaseOperation
    | HoldOperation
    | SoftColourOperation
    | NoiseOperation
    | RegionsOperation
    | HazeOperation
    | LocalOperation
    | FineOperation
    | GlowOperation
    | HalationOperation
    | SoftnessOperation
    | SharpenOperation
    | VignetteOperation
    | GrainOperation,
    Field(discriminator="kind"),
]
"""Every kind of operation, told apart by `kind`."""

GroupName = Literal["light", "hand", "look", "trim"]
LOOK_GROUPS: tuple[GroupName, ...] = ("hand", "look")
"""Groups that a look does, in their order."""

_Kind = TypeVar("_Kind", bound=Operation)


class Group(Document):
    """Operations that are taken together, at a strength from 0 to 1.5, in the order in which they stand.

    Those that keep, ease or hold compare with what came into the group.
    """

    name: GroupName
    strength: float = Field(default=1, ge=0, le=1.5)
    operations: tuple[AnyOperation, ...] = ()

    @cached_property
    def colours(self) -> tuple[ColourOperation, ...]:
        """Those that are functions of colour alone."""
        return tuple(o for o in self.operations if isinstance(o, ColourOperation))

    @cached_property
    def compiled(self) -> tuple[ColourOperation | ByLightness, ...]:
        """Functions of colour alone, those of lightness at their head made one."""
        return tuple(merged(self.colours))

    @property
    def finish(self) -> tuple[FinishOperation, ...]:
        """Those that need more than a colour, as strong as the group is."""
        found = (o for o in self.operations if isinstance(o, FinishOperation) and o.amount * self.strength)
        return tuple(
            o.model_copy(update={"amount": min(1.0, o.amount * self.strength)}) if o.by_strength else o for o in found
        )


class Layer(Document):
    """Operations in an area, on the finished colours of what came before them.

    name : of the document and the place in it that it comes from, as "trim.0"
    look : strength that the look has in the area instead, 0 to 1.5; none for as everywhere
    """

    name: str = ""
    area: Area
    look: float | None = Field(default=None, ge=0, le=1.5)
    operations: tuple[AnyOperation, ...] = ()

    @cached_property
    def colours(self) -> Group:
        """Those that are functions of colour alone, to be taken together."""
        return Group(name="trim", operations=tuple(o for o in self.operations if isinstance(o, ColourOperation)))

    @cached_property
    def finish(self) -> tuple[FinishOperation, ...]:
        """Those that need more than a colour."""
        return tuple(o for o in self.operations if isinstance(o, FinishOperation) and o.amount)


class FramePlan(Document):
    """Plan of one frame; the same for preview, wall and delivery, whatever the size.

    spots : painted out of the frame before anything else
    lens : what the lens did, which is undone first; geometry : where what is seen comes from
    groups : even light, look and trim, in the order in which they act; what a look does by hand first, before it is
        fitted, is one of its own; layers : in areas, after all groups
    seed : of grain
    """

    schema_version: Literal[3] = 3
    spots: Spots = ()
    lens: LensCorrection | None = None
    geometry: Geometry = Geometry()
    groups: tuple[Group, ...] = ()
    layers: tuple[Layer, ...] = ()
    seed: int = 0

    @model_validator(mode="before")
    @classmethod
    def _from_earlier(cls, data: Any) -> Any:
        if isinstance(data, dict) and data.get("schema_version", 1) == 1 and "gains" in data:
            return from_first_schema(data)
        return from_second_schema(data) if isinstance(data, dict) and data.get("schema_version") == 2 else data

    @cached_property
    def key(self) -> str:
        """Names the plan by its content; equal plans render equal pixels."""
        return hashlib.sha256(self.model_dump_json().encode()).hexdigest()[:32]

    def group(self, name: GroupName) -> Group:
        """A group by its name; one without operations when the plan has none such."""
        return next((g for g in self.groups if g.name == name), Group(name=name))

    def with_group(self, group: Group) -> Self:
        """The plan with a group in place of its own of that name."""
        return self.model_copy(update={"groups": tuple(group if g.name == group.name else g for g in self.groups)})

    def with_layer(self, layer: Layer) -> Self:
        """The plan with a layer after all others."""
        return self.model_copy(update={"layers": (*self.layers, layer)})

    def without(self, name: GroupName) -> Self:
        """The plan without what a group does."""
        return self.model_copy(update={"groups": tuple(g for g in self.groups if g.name != name)})

    def nowhere(self) -> Self:
        """The plan without its geometry and without the places of its layers: what its tables depend on."""
        layers = tuple(layer.model_copy(update={"area": Area()}) for layer in self.layers)
        return self.model_copy(update={"spots": (), "lens": None, "geometry": Geometry(), "layers": layers})

    def through_lens(self, lens: LensCorrection | None) -> Self:
        """The plan with what a lens did undone first; as it is where there is none."""
        return self if lens is None else self.model_copy(update={"lens": lens})

    @property
    def is_placed(self) -> bool:
        """Whether anything lies elsewhere than in the file, or gets other light there."""
        return self.lens is not None or not self.geometry.is_none

    def placed(self, size: Size) -> Placing:
        """Where what is seen of a frame of a size comes from."""
        return replace(self.geometry.placed(size), lens=self.lens)

    def without_layers(self) -> Self:
        """The plan without what it does in areas."""
        return self.model_copy(update={"layers": ()})

    def with_look_at(self, strength: float) -> Self:
        """The plan with its look at another strength, 0 to 1.5."""
        made = self
        for name in LOOK_GROUPS:
            made = made.with_group(self.group(name).model_copy(update={"strength": strength}))
        return made

    def operations_of(self, name: str) -> tuple[AnyOperation, ...]:
        """Operations of the look, another group or a layer by its name; none where the plan has none such."""
        named: dict[str, tuple[AnyOperation, ...]] = {group.name: group.operations for group in self.groups}
        named["look"] = (*named.get("hand", ()), *named.get("look", ()))
        named |= {layer.name: layer.operations for layer in self.layers}
        return named.get(name, ())

    def find(self, kind: type[_Kind], name: str = "look") -> _Kind | None:
        """The first operation of a kind in a group or a layer."""
        return next((o for o in self.operations_of(name) if isinstance(o, kind)), None)

    @property
    def finish(self) -> tuple[FinishOperation, ...]:
        """What is done beside the colours, in order, as strong as its groups are."""
        return tuple(operation for group in self.groups for operation in group.finish)

    @property
    def holds_skin(self) -> bool:
        """Whether the look holds skin in this frame."""
        hold = self.find(HoldOperation)
        return hold is not None and hold.skin is not None

    @property
    def steepest_slope(self) -> float:
        """Largest slope of the fitted tone, at the strength of the look."""
        look = self.group("look")
        return 1 + (steepest(look.colours) - 1) * look.strength
