"""Operations fitted to a target: tone, tints by zone, spread, colour moves, and what of a thing's own colour is kept.

Tints and spread are functions of the lightness that came into the group, before tone.
"""

from collections.abc import Sequence
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from nuvett.core import lanes
from nuvett.core.fit.keep import keep_own_colour, keep_softly
from nuvett.core.fit.moves import Move, apply_moves
from nuvett.core.fit.tone import TONE_GRID, TONE_KNOTS, apply_curve, steepest_slope
from nuvett.core.measure.statistics import interpolate_zones
from nuvett.core.plan.operation import ColourOperation, Stage
from nuvett.core.quick import joined, planes_of
from nuvett.core.spaces.rgb import Space
from nuvett.core.types import OKLab, StoredArray


class ToneOperation(ColourOperation):
    """Lightness through a curve: (129,) OKLab lightness out, on an even grid of lightness in."""

    kind: Literal["tone"] = "tone"
    stage: ClassVar[Stage] = Stage.FITTED
    curve: StoredArray

    def whole(self, lab: OKLab, came: OKLab, space: Space) -> OKLab:
        out = lab.copy()
        out[:, 0] = apply_curve(self.curve, lab[:, 0])
        return OKLab(out)


class TintOperation(ColourOperation):
    """Tints by zone: (17, 2) a and b before and after, by the lightness that came into the group.

    aims : a and b that shadow, midtone and highlight aim at, before amounts
    """

    kind: Literal["tint"] = "tint"
    stage: ClassVar[Stage] = Stage.FITTED
    before: StoredArray
    after: StoredArray
    aims: tuple[tuple[float, float], ...] = ()

    def whole(self, lab: OKLab, came: OKLab, space: Space) -> OKLab:
        out = lab.copy()
        out[:, 1:] += interpolate_zones(self.after - self.before, came[:, 0])
        return OKLab(out)


class SpreadOperation(ColourOperation):
    """Colour spread about tints: (17, 2) a and b, and (17, 4) rows of 2 by 2 matrices, by the lightness that came."""

    kind: Literal["spread"] = "spread"
    stage: ClassVar[Stage] = Stage.FITTED
    about: StoredArray
    matrix: StoredArray

    def whole(self, lab: OKLab, came: OKLab, space: Space) -> OKLab:
        at = interpolate_zones(np.concatenate([self.about, self.matrix], axis=1), came[:, 0])
        off_a, off_b = lab[:, 1] - at[:, 0], lab[:, 2] - at[:, 1]
        out = lab.copy()
        out[:, 1] = at[:, 0] + at[:, 2] * off_a + at[:, 3] * off_b
        out[:, 2] = at[:, 1] + at[:, 4] * off_a + at[:, 5] * off_b
        return OKLab(out)


class MovesOperation(ColourOperation):
    """Colour moves by pairing palettes, each at its own amount already."""

    kind: Literal["moves"] = "moves"
    stage: ClassVar[Stage] = Stage.FITTED
    moves: tuple[Move, ...]

    def whole(self, lab: OKLab, came: OKLab, space: Space) -> OKLab:
        return apply_moves(lab, self.moves)


class KeepOperation(ColourOperation):
    """vivid : share of its chroma that a strong colour keeps at least; whites : share of a tint that white takes.

    softly : whether soft colours are kept whole, as since the third computation
    """

    kind: Literal["keep"] = "keep"
    stage: ClassVar[Stage] = Stage.KEPT
    vivid: float = Field(default=0, ge=0, le=1)
    whites: float = Field(default=1, ge=0, le=1)
    softly: bool = False

    def whole(self, lab: OKLab, came: OKLab, space: Space) -> OKLab:
        if self.softly:
            return keep_softly(came, lab, self.vivid, self.whites)
        return keep_own_colour(came, lab, self.vivid, self.whites)


_BY_ZONE = (ToneOperation, TintOperation, SpreadOperation)


class ByLightness:
    """Tone, tints and spread that follow each other at the head of a group, as one look-up of seven columns.

    All three are functions of the lightness that came in, and affine in a and b: lightness out, two offsets, and a
    matrix. The same as one after the other but for what linear interpolation leaves between 129 grid points.
    """

    def __init__(self, operations: Sequence[ColourOperation]) -> None:
        grid = OKLab(np.zeros((3 * TONE_KNOTS, 3), dtype=np.float32))
        grid[:, 0] = np.tile(TONE_GRID, 3)
        lab = OKLab(grid.copy())
        lab[TONE_KNOTS : 2 * TONE_KNOTS, 1] = lab[2 * TONE_KNOTS :, 2] = 1
        for operation in operations:
            lab = operation.apply(lab, grid, Space.SRGB)
        none, along_a, along_b = np.split(lab, 3)
        columns = np.hstack([none, along_a[:, 1:] - none[:, 1:], along_b[:, 1:] - none[:, 1:]])
        self._table = joined([TONE_KNOTS], columns.T)

    def apply(self, lab: OKLab, came: OKLab, space: Space) -> OKLab:
        """OKLab colours (N, 3) after all of them; arguments as `ColourOperation.apply` has them."""
        return OKLab(lanes.by_lightness(planes_of(lab), planes_of(came), self._table).T)


def merged(operations: Sequence[ColourOperation]) -> list[ColourOperation | ByLightness]:
    """Operations of a group with those at its head that are functions of lightness made one."""
    count = 0
    while count < len(operations) and isinstance(operations[count], _BY_ZONE) and operations[count].part == "both":
        count += 1
    return [*([ByLightness(operations[:count])] if count else []), *operations[count:]]


def steepest(operations: Sequence[ColourOperation]) -> float:
    """Largest slope of all tone curves among operations together."""
    curve = TONE_GRID
    for operation in operations:
        if isinstance(operation, ToneOperation):
            curve = apply_curve(operation.curve, curve)
    return steepest_slope(curve)
