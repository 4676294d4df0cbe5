"""The steps of a look, each with plain numbers.

Percentages run from 0 to 100, lightness is CIE L*, chroma OKLCh chroma times 100, hue in degrees. Every step has
`on`; `part` lets it act on colour alone or on tone alone; `amount` says how much of it is taken.
"""

from itertools import pairwise
from typing import Annotated, Literal

from pydantic import Field, field_validator

from nuvett.core.fit.blend import BlendMode
from nuvett.core.reading.family import Family
from nuvett.core.reading.palette import Colour
from nuvett.core.types import Document

Part = Literal["both", "colour", "tone"]
Percent = Annotated[float, Field(ge=0, le=100)]
HUES = ("pink", "red", "orange", "yellow", "green", "teal", "blue", "violet")
"""Hue words that black-and-white weighs, with their OKLCh hues in HUE_PLACES."""
HUE_PLACES = (0.0, 28.0, 58.0, 105.0, 145.0, 195.0, 262.0, 310.0)
MOST_POINTS, MOST_MOVES, MOST_PINS, MOST_HOLDS = 16, 12, 24, 6
CurvePoint = tuple[float, float]
"""Value in and out, 0 to 100."""
STRAIGHT: tuple[CurvePoint, ...] = ((0.0, 0.0), (100.0, 100.0))


class EvenStep(Document):
    """Even light: exposure and white brought to the base of the frame's set-up."""

    on: bool = True
    amount: Percent = 100


class ToneStep(Document):
    """Tone toward the target: black and white aims are CIE L*, none for the target's own; steepest is a slope."""

    on: bool = True
    amount: Percent = 65
    black: float | None = Field(default=None, ge=0, le=60)
    white: float | None = Field(default=None, ge=40, le=100)
    steepest: float = Field(default=2.2, ge=1, le=4)


class ZoneStep(Document):
    """Zone tints toward the target's, by lightness; crossover is CIE L*, width in L* over which zones blend.

    shadow, midtone, highlight : percent of the tint that each zone takes
    whites : percent of the tint that white takes; greys below it more, dark ones all
    shadow_hue and the like : hue chosen for the zone, none for the target's
    shadow_chroma and the like : how strong a chosen tint is
    shadow_lightness and the like : how much lighter the zone becomes, in L*
    """

    on: bool = True
    amount: Percent = 55
    part: Part = "both"
    shadow: float = Field(default=100, ge=0, le=150)
    midtone: float = Field(default=100, ge=0, le=150)
    highlight: float = Field(default=100, ge=0, le=150)
    whites: Percent = 20
    shadow_hue: float | None = Field(default=None, ge=0, le=360)
    midtone_hue: float | None = Field(default=None, ge=0, le=360)
    highlight_hue: float | None = Field(default=None, ge=0, le=360)
    shadow_chroma: float = Field(default=4, ge=0, le=20)
    midtone_chroma: float = Field(default=2, ge=0, le=20)
    highlight_chroma: float = Field(default=4, ge=0, le=20)
    shadow_lightness: float = Field(default=0, ge=-20, le=20)
    midtone_lightness: float = Field(default=0, ge=-20, le=20)
    highlight_lightness: float = Field(default=0, ge=-20, le=20)
    crossover: float = Field(default=50, ge=10, le=90)
    width: float = Field(default=40, ge=5, le=100)


class SpreadStep(Document):
    """Colour spread toward the target's, about the zone tints."""

    on: bool = True
    amount: Percent = 45


class Pin(Document):
    """A decision about the pairing of palettes: what happens to frame colours near `source`.

    to : where they go instead of where the pairing sends them, none for there
    amount : percent of the way; 0 leaves them where they are
    """

    source: Colour
    to: Colour | None = None
    amount: float = Field(default=100, ge=0, le=150)


class OwnMove(Document):
    """A colour move made by hand: from a colour by a turn of hue in degrees, a share of chroma and L*, within a reach.

    chroma : percent added; reach : OKLab distance times 100, one standard deviation
    """

    source: Colour
    hue: float = Field(default=0, ge=-180, le=180)
    chroma: float = Field(default=0, ge=-100, le=150)
    lightness: float = Field(default=0, ge=-40, le=40)
    reach: float = Field(default=8, ge=2, le=30)


class MoveStep(Document):
    """Colour moves: by pairing palettes (amount, reach in OKLab units times 100, pins), and made by hand."""

    on: bool = True
    amount: Percent = 35
    part: Part = "both"
    reach: float = Field(default=9, ge=4, le=30)
    pins: tuple[Pin, ...] = Field(default=(), max_length=MOST_PINS)
    own: tuple[OwnMove, ...] = Field(default=(), max_length=MOST_MOVES)


class WhiteStep(Document):
    """White of the finished picture, in percent: warmth to yellow-orange, tint to magenta."""

    on: bool = True
    amount: Percent = 100
    part: Part = "both"
    warmth: float = Field(default=0, ge=-60, le=60)
    tint: float = Field(default=0, ge=-40, le=40)


class ExposureStep(Document):
    """Exposure in EV and contrast in percent about a pivot in CIE L*."""

    on: bool = True
    amount: Percent = 100
    part: Part = "both"
    exposure: float = Field(default=0, ge=-4, le=4)
    contrast: float = Field(default=0, ge=-80, le=100)
    pivot: float = Field(default=50, ge=5, le=95)


class CurveStep(Document):
    """Tone curves through points: master on L*, red, green and blue on encoded values; blacks faded by L*."""

    on: bool = True
    amount: Percent = 100
    part: Part = "both"
    faded: float = Field(default=0, ge=0, le=24)
    master: tuple[CurvePoint, ...] = STRAIGHT
    red: tuple[CurvePoint, ...] = STRAIGHT
    green: tuple[CurvePoint, ...] = STRAIGHT
    blue: tuple[CurvePoint, ...] = STRAIGHT

    @field_validator("master", "red", "green", "blue")
    @classmethod
    def _rising(cls, points: tuple[CurvePoint, ...]) -> tuple[CurvePoint, ...]:
        if not 2 <= len(points) <= MOST_POINTS:
            raise ValueError(f"a curve has 2 to {MOST_POINTS} points")
        if any(not 0 <= v <= 100 for point in points for v in point):
            raise ValueError("points of a curve lie within 0 to 100")
        if any(b[0] - a[0] < 0.499 or b[1] < a[1] for a, b in pairwise(points)):
            raise ValueError("a curve rises from left to right, its points at least half a step apart")
        return points

    @property
    def is_straight(self) -> bool:
        curves = (self.master, self.red, self.green, self.blue)
        return self.faded == 0 and all(y == x for curve in curves for x, y in curve)


class SaturationStep(Document):
    """Saturation of all colours and vibrance, which moves quiet colours more, both in percent."""

    on: bool = True
    amount: Percent = 100
    saturation: float = Field(default=0, ge=-100, le=100)
    vibrance: float = Field(default=0, ge=-100, le=100)


class WashStep(Document):
    """A palette laid over the picture by lightness and blended; no colours for the target's palette."""

    on: bool = False
    amount: Percent = 30
    part: Part = "both"
    mode: BlendMode = "soft-light"
    colours: tuple[Colour, ...] = Field(default=(), max_length=12)


class FilterStep(Document):
    """A tint filter before the lens, which leaves grey as light as it was."""

    on: bool = False
    amount: Percent = 30
    part: Part = "both"
    hue: float = Field(default=70, ge=0, le=360)


class MonoStep(Document):
    """Black-and-white, how light each hue becomes weighed in percent.

    toned : percent of the target's own tints, by lightness, that the greys are given
    """

    on: bool = False
    amount: Percent = 100
    toned: Percent = 0
    pink: float = Field(default=0, ge=-100, le=100)
    red: float = Field(default=0, ge=-100, le=100)
    orange: float = Field(default=0, ge=-100, le=100)
    yellow: float = Field(default=0, ge=-100, le=100)
    green: float = Field(default=0, ge=-100, le=100)
    teal: float = Field(default=0, ge=-100, le=100)
    blue: float = Field(default=0, ge=-100, le=100)
    violet: float = Field(default=0, ge=-100, le=100)


class HoldStep(Document):
    """Skin may move at most so far: hue in degrees, chroma in percent of its own, lightness in CIE L*.

    where : in frames with a face only, or in every frame, whatever has the colour of skin
    """

    on: bool = True
    where: Literal["faces", "everywhere"] = "faces"
    hue: float = Field(default=8, ge=0, le=60)
    chroma: float = Field(default=25, ge=0, le=100)
    lightness: float = Field(default=12, ge=0, le=60)


class FamilyHold(Document):
    """A picked colour family that may move at most so far; limits as in `HoldStep`."""

    family: Family
    hue: float = Field(default=8, ge=0, le=60)
    chroma: float = Field(default=25, ge=0, le=100)
    lightness: float = Field(default=12, ge=0, le=60)


class FinishStep(Document):
    """Finish, sized relative to the frame.

    vignette : EV times 100 at the corners; grain_size : cells along the long edge, as 1 for 3000
    local : local contrast; haze : taken away above 0, added below; masking : how much flat areas are spared sharpening
    """

    on: bool = True
    amount: Percent = 100
    noise: Percent = 0
    local: float = Field(default=0, ge=-100, le=100)
    haze: float = Field(default=0, ge=-100, le=100)
    softness: Percent = 0
    sharpening: Percent = 0
    masking: Percent = 40
    vignette: float = Field(default=0, ge=-200, le=200)
    grain: Percent = 0
    grain_size: float = Field(default=1, ge=0.5, le=4)

    @property
    def is_none(self) -> bool:
        """Whether nothing is done to the picture."""
        values = (self.noise, self.local, self.haze, self.softness, self.sharpening, self.vignette, self.grain)
        return not self.on or self.amount == 0 or not any(values)
