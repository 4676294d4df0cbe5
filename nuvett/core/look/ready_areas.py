"""Areas that are ready made: what is done so often that one click brings it in, as numbers that can be changed."""

from dataclasses import dataclass

from nuvett.core.area.area import Area
from nuvett.core.area.brush import BrushPart
from nuvett.core.area.skin import SkinPart
from nuvett.core.look.local import Local
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.steps.finish import FinishStep
from nuvett.core.steps.regions import RegionStep

EVENED_SKIN = (
    Local(name="Evened skin", area=Area(parts=(SkinPart(of="all"),), edges=True, softness=0.4))
    .with_step(FinishStep(local=-40, fine=35))
    .with_step(RegionStep(highlights=-25))
)
"""Blotches of skin evened, its shine taken down: local contrast goes, and most of that of pores is given back."""

_FLOW = 12  # in percent: eight strokes over one place come to two thirds of the whole


def _brushed(name: str, exposure: float) -> Local:
    brush = Area(parts=(BrushPart(),), softness=0.2)
    return Local(name=name, area=brush).with_step(ExposureStep(exposure=exposure))


@dataclass(frozen=True)
class ReadyArea:
    """An area that is ready made; flow : in percent, of strokes that are brushed into it, none as it is set."""

    local: Local
    flow: float | None = None


READY_AREAS: dict[str, ReadyArea] = {
    "evened skin": ReadyArea(EVENED_SKIN),
    "dodge": ReadyArea(_brushed("Dodge", 1.0), _FLOW),
    "burn": ReadyArea(_brushed("Burn", -1.0), _FLOW),
}
"""Areas that are ready made, by what they are offered as. Strokes of a little flow build up where they cross."""
