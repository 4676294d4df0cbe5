"""Operations made by hand: colour moves, hue ranges, primaries, casts, curves, saturation, a wash and the like."""

from typing import Literal

import numpy as np
from pydantic import Field

from nuvett.core.fit.blend import BlendMode
from nuvett.core.fit.casts import without_casts
from nuvett.core.fit.chroma import saturated
from nuvett.core.fit.curves import STRAIGHT, Points, curved
from nuvett.core.fit.grey import GreyHue, greyed
from nuvett.core.fit.hues import HueBand, ranged
from nuvett.core.fit.moves import OwnMove, move_by_hand
from nuvett.core.fit.primaries import primaries_matrix
from nuvett.core.fit.wash import WashLayer, washed, washed_by_palette
from nuvett.core.plan.operation import ColourOperation
from nuvett.core.reading.palette import Colour
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear, oklch_to_oklab
from nuvett.core.spaces.rgb import Space
from nuvett.core.types import Linear, OKLab, OKLCh

Triple = tuple[float, float, float]
_GEL_CHROMA = 0.16  # of the tint filter at full density
_LUMINANCE = np.array([0.2126, 0.7152, 0.0722], dtype=np.float32)  # IEC 61966-2-1


class OwnMovesOperation(ColourOperation):
    """Colour moves made by hand."""

    kind: Literal["own-moves"] = "own-moves"
    moves: tuple[OwnMove, ...]

    def whole(self, lab: OKLab, came: OKLab, space: Space) -> OKLab:
        return move_by_hand(lab, self.moves)


class HuesOperation(ColourOperation):
    """Ranges of hues turned, richer or poorer, lighter or darker, and held below a chroma."""

    kind: Literal["hues"] = "hues"
    bands: tuple[HueBand, ...]

    def whole(self, lab: OKLab, came: OKLab, space: Space) -> OKLab:
        return ranged(lab, self.bands)


class PrimariesOperation(ColourOperation):
    """Light as if it were mixed of other primaries, with lightness kept.

    turns : degrees that red, green and blue are turned; richer : shares added to their distances from white
    """

    kind: Literal["primaries"] = "primaries"
    turns: Triple
    richer: Triple

    def whole(self, lab: OKLab, came: OKLab, space: Space) -> OKLab:
        matrix = primaries_matrix(np.array(self.turns), np.array(self.richer))
        out = linear_to_oklab(Linear(oklab_to_linear(lab) @ matrix.T))
        out[:, 0] = lab[:, 0]
        return out


class CastsOperation(ColourOperation):
    """OKLab a and b added to blacks, neutrals and whites."""

    kind: Literal["casts"] = "casts"
    shifts: tuple[tuple[float, float], tuple[float, float], tuple[float, float]]

    def whole(self, lab: OKLab, came: OKLab, space: Space) -> OKLab:
        return without_casts(lab, self.shifts)


class CurveOperation(ColourOperation):
    """Curves through points: master on L*, with blacks faded by L*; red, green and blue on encoded values."""

    kind: Literal["curve"] = "curve"
    faded: float = 0
    master: Points = STRAIGHT
    red: Points = STRAIGHT
    green: Points = STRAIGHT
    blue: Points = STRAIGHT

    def whole(self, lab: OKLab, came: OKLab, space: Space) -> OKLab:
        return curved(lab, self.master, self.faded, (self.red, self.green, self.blue))


class EndsOperation(ColourOperation):
    """Lightness stretched so that two ends land elsewhere, all OKLab lightness; beyond them it goes on as steeply."""

    kind: Literal["ends"] = "ends"
    low: float
    high: float
    to_low: float
    to_high: float

    def whole(self, lab: OKLab, came: OKLab, space: Space) -> OKLab:
        out = lab.copy()
        slope = (self.to_high - self.to_low) / max(self.high - self.low, 1e-3)
        out[:, 0] = self.to_low + (lab[:, 0] - np.float32(self.low)) * np.float32(slope)
        return OKLab(out)


class SaturateOperation(ColourOperation):
    """Chroma scaled by 1 + saturation, and by vibrance where it is low; hue is kept.

    most : OKLCh chroma that is neared and never passed, none for any
    """

    kind: Literal["saturate"] = "saturate"
    saturation: float = Field(default=0, ge=-1, le=1)
    vibrance: float = Field(default=0, ge=-1, le=1)
    most: float | None = Field(default=None, gt=0)

    def whole(self, lab: OKLab, came: OKLab, space: Space) -> OKLab:
        return saturated(lab, self.saturation, self.vibrance, self.most)


class WashOperation(ColourOperation):
    """The colour of a palette at each lightness, laid over and blended."""

    kind: Literal["wash"] = "wash"
    mode: BlendMode = "soft-light"
    colours: tuple[Colour, ...]

    def whole(self, lab: OKLab, came: OKLab, space: Space) -> OKLab:
        return washed_by_palette(lab, self.colours, self.mode)


class WashLayersOperation(ColourOperation):
    """Washes with stops of their own, one over the other."""

    kind: Literal["wash-layers"] = "wash-layers"
    layers: tuple[WashLayer, ...]

    def whole(self, lab: OKLab, came: OKLab, space: Space) -> OKLab:
        for layer in self.layers:
            lab = washed(lab, layer)
        return lab


class FilterOperation(ColourOperation):
    """Linear light through a gel of one hue, whose transmittance leaves grey's luminance as it is."""

    kind: Literal["filter"] = "filter"
    hue: float

    def whole(self, lab: OKLab, came: OKLab, space: Space) -> OKLab:
        gel = oklab_to_linear(oklch_to_oklab(OKLCh(np.array([0.75, _GEL_CHROMA, self.hue], dtype=np.float32))))
        gains = np.maximum(gel, 0.02) / float(_LUMINANCE @ np.maximum(gel, 0.02))
        return linear_to_oklab(Linear(oklab_to_linear(lab) * gains.astype(np.float32)))


class GreyOperation(ColourOperation):
    """Black-and-white, hues lighter or darker; toning : (17, 2) a and b by lightness, none for neutral greys.

    own : whether hues are those that came into the group: under a strong cast a lemon and a leaf are of one hue
    """

    kind: Literal["grey"] = "grey"
    hues: tuple[GreyHue, ...] = ()
    toning: tuple[tuple[float, float], ...] = ()
    own: bool = False

    def looked_at(self, lab: OKLab, came: OKLab) -> OKLab:
        if not self.own:
            return lab
        out = came.copy()
        out[:, 0] = lab[:, 0]
        return OKLab(out)

    def whole(self, lab: OKLab, came: OKLab, space: Space) -> OKLab:
        return greyed(self.looked_at(lab, came), self.hues, self.toning)
