"""All kinds of parts, in the order in which they are offered. To add one, see docs/adding.md."""

from functools import reduce
from operator import or_
from typing import TYPE_CHECKING, Annotated, Any

from pydantic import Field

from nuvett.core.area.brush import BrushPart
from nuvett.core.area.colour import ColourPart
from nuvett.core.area.outline import OutlinePart
from nuvett.core.area.part import AreaPart
from nuvett.core.area.person import PersonPart
from nuvett.core.area.round import RoundPart
from nuvett.core.area.skin import SkinPart
from nuvett.core.area.sky import SkyPart
from nuvett.core.area.straight import StraightPart
from nuvett.core.area.subject import SubjectPart
from nuvett.core.area.tone import TonePart

AREA_KINDS: tuple[type[AreaPart], ...] = (
    RoundPart,
    StraightPart,
    BrushPart,
    ColourPart,
    TonePart,
    SubjectPart,
    SkinPart,
    PersonPart,
    SkyPart,
    OutlinePart,
)
"""Every kind of part."""


def kind_name(kind: type[AreaPart]) -> str:
    """What a kind of part is called in documents."""
    return str(kind.model_fields["kind"].default)


def any_of(kinds: tuple[type[AreaPart], ...]) -> Any:
    """The type of a part that may be of any of some kinds, told apart by `kind`."""
    return Annotated[reduce(or_, kinds), Field(discriminator="kind")]


if TYPE_CHECKING:
    Part = AreaPart
else:
    Part = any_of(AREA_KINDS)
