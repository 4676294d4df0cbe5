"""Areas that are ready made: what is done so often that one click brings it in, as numbers that can be changed."""

from nuvett.core.area.area import Area
from nuvett.core.area.skin import SkinPart
from nuvett.core.look.local import Local
from nuvett.core.steps.finish import FinishStep
from nuvett.core.steps.regions import RegionStep

EVENED_SKIN = (
    Local(name="Evened skin", area=Area(parts=(SkinPart(of="all"),), edges=True, softness=0.4))
    .with_step(FinishStep(local=-40, fine=35))
    .with_step(RegionStep(highlights=-25))
)
"""Blotches of skin evened, its shine taken down: local contrast goes, and most of that of pores is given back."""

READY_AREAS: dict[str, Local] = {"evened skin": EVENED_SKIN}
"""Areas that are ready made, by what they are offered as."""
