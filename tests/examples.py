"""Every step at a strength that is plainly seen, and every kind of area: what laws are tried on. New ones join here."""

import numpy as np

from nuvett.core.area.brush import BrushPart, Stroke
from nuvett.core.area.colour import ColourPart
from nuvett.core.area.faces import SkinSeen
from nuvett.core.area.outline import OutlinePart
from nuvett.core.area.part import AreaPart
from nuvett.core.area.person import PersonPart
from nuvett.core.area.round import RoundPart
from nuvett.core.area.skin import SkinPart
from nuvett.core.area.sky import SkyPart
from nuvett.core.area.straight import StraightPart
from nuvett.core.area.subject import SubjectPart
from nuvett.core.area.tone import TonePart
from nuvett.core.fit.grey import GreyHue
from nuvett.core.fit.hues import HueBand
from nuvett.core.fit.moves import OwnMove
from nuvett.core.fit.wash import WashLayer, WashStop
from nuvett.core.reading.family import Family
from nuvett.core.steps.casts import CastStep
from nuvett.core.steps.curve import CurveStep
from nuvett.core.steps.ends import EndsStep
from nuvett.core.steps.even import EvenStep
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.steps.finish import FinishStep
from nuvett.core.steps.hold import FamilyHold, HoldStep
from nuvett.core.steps.hues import HueStep
from nuvett.core.steps.lookup import TableStep
from nuvett.core.steps.mono import MonoStep
from nuvett.core.steps.moves import MoveStep
from nuvett.core.steps.primaries import PrimariesStep
from nuvett.core.steps.regions import RegionStep
from nuvett.core.steps.saturation import SaturationStep
from nuvett.core.steps.soft_colour import SoftColourStep
from nuvett.core.steps.spread import SpreadStep
from nuvett.core.steps.step import Step
from nuvett.core.steps.tint_filter import FilterStep
from nuvett.core.steps.tone import ToneStep
from nuvett.core.steps.veil import VeilStep
from nuvett.core.steps.wash import WashStep
from nuvett.core.steps.white import WhiteStep
from nuvett.core.steps.zones import ZoneStep
from nuvett.core.table.held import HeldTable
from nuvett.core.table.table import grid

TABLE = HeldTable.of((0.02 + 0.96 * grid(17) ** np.array([1.25, 1.2, 1.1])).astype(np.float32))
WASH = ((0.2, 0.0, -0.05), (0.8, 0.03, 0.08))
_STOPS = (WashStop(at=10, colour=(0.4, 0.1, 0)), WashStop(at=90, colour=(0.8, 0, 0.1)))
_OVER = WashLayer(amount=60, low=20, stops=_STOPS)
EXAMPLES: tuple[Step, ...] = (
    EvenStep(),
    ToneStep(amount=100, black=10, white=90),
    ZoneStep(amount=100, whites=60, shadow_hue=260, midtone_hue=150, highlight_hue=60),
    SpreadStep(amount=100),
    MoveStep(amount=100, own=(OwnMove(source=(0.6, 0.1, 0.05), hue=40, chroma=40, lightness=-8),)),
    WhiteStep(warmth=30, tint=-12),
    ExposureStep(exposure=0.5, contrast=30, pivot=45),
    VeilStep(light=18, red=1, yellow=-2),
    CastStep(blacks_red=2, blacks_yellow=-2, neutrals_red=-1, neutrals_yellow=2, whites_red=1, whites_yellow=3),
    CurveStep(master=((0, 0), (30, 20), (70, 85), (100, 100)), faded=8),
    EndsStep(black=16, white=86),
    PrimariesStep(red_turn=12, red_richer=-20, green_turn=-8, green_richer=20, blue_turn=9, blue_richer=30),
    SaturationStep(saturation=40, vibrance=-30),
    HueStep(bands=(HueBand(hue=55, turn=20, chroma=40), HueBand(hue=250, after=60, lightness=-12, most=6))),
    WashStep(on=True, amount=80, colours=WASH, layers=(_OVER, _OVER.model_copy(update={"mode": "multiply"}))),
    FilterStep(on=True, amount=80, hue=70),
    MonoStep(on=True, toned=60, hues=(GreyHue(hue=262, lighter=-60), GreyHue(hue=28, lighter=80))),
    TableStep(on=True, amount=100, table=TABLE, called="evening"),
    HoldStep(where="everywhere", families=(FamilyHold(family=Family(colour=(0.6, -0.1, 0.05))),)),
    SoftColourStep(),
    RegionStep(highlights=-60, shadows=50, whites=20, blacks=-20),
    FinishStep(
        noise=40, local=40, fine=20, haze=30, softness=30, glow=20, halation=20, sharpening=40, vignette=80, grain=30
    ),
)
AREA_EXAMPLES: tuple[AreaPart, ...] = (
    RoundPart(x=0.4, y=0.5, across=20, down=12, turn=20),
    StraightPart(x=0.5, y=0.2, end_x=0.5, end_y=0.8),
    BrushPart(strokes=(Stroke(points=((0.2, 0.3, 1.0), (0.7, 0.6, 0.6))),)),
    ColourPart(colour=(0.6, 0.1, 0.05), tolerance=40),
    TonePart(low=50, high=80),
    SubjectPart(),
    SkinPart(faces=(SkinSeen(box=(0.3, 0.2, 0.3, 0.5), centre=(0.58, 0.08, 0.9)),)),
    PersonPart(of="clothes", faces=(SkinSeen(box=(0.3, 0.1, 0.2, 0.2), centre=(0.58, 0.08, 0.9)),)),
    SkyPart(),
    OutlinePart(rings=(((0.3, 0.2), (0.7, 0.25), (0.6, 0.8), (0.35, 0.7)),)),
)
