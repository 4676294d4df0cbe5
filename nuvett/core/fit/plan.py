"""The frame plan: everything that will be done to one frame, as plain numbers."""

import hashlib
from dataclasses import dataclass
from typing import Literal

import numpy as np

from nuvett.core.even.light import apply_gains, join_gains
from nuvett.core.fit.colour import zone_matches
from nuvett.core.fit.holds import Centre, family_membership, hold_colours, skin_centres, skin_membership
from nuvett.core.fit.moves import CLUSTERS, FINE, Move, apply_moves, fit_moves
from nuvett.core.fit.statistics import ZONE_LIGHTNESS, Statistics, interpolate_zones, thin
from nuvett.core.fit.tone import TONE_GRID, aim_ends, apply_curve, fit_tone, steepest_slope
from nuvett.core.look.look import ExposureStep, FamilyHold, HoldStep, Look, SaturationStep, Trim, WhiteStep, ZoneStep
from nuvett.core.reading.palette import Edits, Palette, find_palette
from nuvett.core.reading.reading import Target
from nuvett.core.spaces.cielab import lightness_of_oklab, neutral_oklab
from nuvett.core.spaces.gamut import ease_outward
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear
from nuvett.core.spaces.rgb import Space
from nuvett.core.types import Document, Floats, Linear, OKLab, StoredArray

_PLANNING_CLOUD = 1024  # colours that the moves are planned on


class FramePlan(Document):
    """Plan of one frame; the same for preview, wall and delivery, whatever the size.

    gains : linear RGB gains of even light, at their strength
    tone : (129,) OKLab lightness out, on an even grid of lightness in
    zone_from, zone_to : (17, 2) tints by zone before and after
    zone_matrix : (17, 4) spread about the tint, rows of a 2 by 2 matrix
    moves : colour moves at full amount; move_amount 0 to 1
    skin : centres of the skin of faces found in the frame; none for skin in general
    hand steps : white, exposure, saturation act after the fit; strength 0 to 1 weakens fit and hand steps
    """

    schema_version: Literal[1] = 1
    gains: tuple[float, float, float]
    tone: StoredArray
    zone_from: StoredArray
    zone_to: StoredArray
    zone_matrix: StoredArray
    moves: tuple[Move, ...]
    white: WhiteStep
    exposure: ExposureStep
    saturation: SaturationStep
    hold: HoldStep
    kept: tuple[FamilyHold, ...] = ()
    skin: tuple[Centre, ...] = ()
    strength: float
    trim: Trim

    @property
    def key(self) -> str:
        """Names the plan by its content; equal plans render equal pixels."""
        return hashlib.sha256(self.model_dump_json().encode()).hexdigest()[:32]

    @property
    def steepest_slope(self) -> float:
        return 1 + (steepest_slope(self.tone) - 1) * self.strength


@dataclass(frozen=True)
class Aim:
    """A target made ready for planning: its statistics and the palette that colour moves go to."""

    statistics: Statistics
    palette: Palette

    @classmethod
    def of(cls, target: Target) -> "Aim":
        return cls.of_statistics(target.statistics, target.edits)

    @classmethod
    def of_statistics(cls, statistics: Statistics, edits: Edits | None = None) -> "Aim":
        return cls(statistics, find_palette(thin(statistics.cloud, _PLANNING_CLOUD), CLUSTERS, FINE, edits))


IDENTITY_ZONES: Floats = np.zeros((len(ZONE_LIGHTNESS), 2), dtype=np.float32)
_IDENTITY_MATRIX: Floats = np.tile(np.eye(2, dtype=np.float32).reshape(4), (len(ZONE_LIGHTNESS), 1))


def even_only(gains: Floats, trim: Trim | None = None) -> FramePlan:
    """The plan that only evens the light."""
    return FramePlan(
        gains=(float(gains[0]), float(gains[1]), float(gains[2])),
        tone=TONE_GRID,
        zone_from=IDENTITY_ZONES,
        zone_to=IDENTITY_ZONES,
        zone_matrix=_IDENTITY_MATRIX,
        moves=(),
        white=WhiteStep(),
        exposure=ExposureStep(),
        saturation=SaturationStep(),
        hold=HoldStep(),
        strength=0,
        trim=trim or Trim(),
    )


def zone_amounts(step: ZoneStep) -> Floats:
    """(17,) amount 0 to 1.5 by zone: shadow, midtone and highlight weights that cross over smoothly.

    Shadow and highlight part at the crossover; the midtone is where both have faded, within the width.
    """
    lightness = lightness_of_oklab(ZONE_LIGHTNESS)
    half = step.width / 2
    shadow = _fade((step.crossover - lightness) / half)
    highlight = _fade((lightness - step.crossover) / half)
    middle = 1 - shadow - highlight
    mixed = shadow * step.shadow + middle * step.midtone + highlight * step.highlight
    return np.asarray(mixed * step.amount / 1e4, dtype=np.float32)


def _fade(t: Floats) -> Floats:
    """0 below 0, 1 above 1, smooth between."""
    s = np.clip(t, 0, 1)
    return np.asarray(s * s * (3 - 2 * s))


def _fit_curve(frame: Statistics, target: Statistics, look: Look) -> Floats:
    if not look.tone.on or look.tone.amount == 0:
        return TONE_GRID
    black, white = (None if aim is None else neutral_oklab(aim) for aim in (look.tone.black, look.tone.white))
    full = fit_tone(frame.lightness, aim_ends(target.lightness, black, white), look.tone.steepest)
    return np.asarray(TONE_GRID + (full - TONE_GRID) * np.float32(look.tone.amount / 100))


def plan_frame(
    frame: Statistics,
    aim: Aim,
    look: Look,
    gains: Floats | None = None,
    trim: Trim | None = None,
    faces: Linear | None = None,
) -> FramePlan:
    """Plan one frame.

    frame : statistics of the evened frame, pooled as the pull asks
    gains : (3,) even light gains at full strength, none for no change
    faces : (F, 3) linear colours of faces in the frame as it came, none for no faces
    """
    trim = trim or Trim()
    curve = _fit_curve(frame, aim.statistics, look)
    colour = look.colour / 100
    tint_from, tint_to, matrix = zone_matches(frame, aim.statistics, curve)
    if look.zones.on:
        tint_to = tint_from + (tint_to - tint_from) * (zone_amounts(look.zones) * np.float32(colour))[:, None]
    else:
        tint_to = tint_from
    spread = look.spread.amount / 100 * colour if look.spread.on else 0.0
    matrix = np.eye(2, dtype=np.float32) + (matrix - np.eye(2, dtype=np.float32)) * np.float32(spread)
    moves: tuple[Move, ...] = ()
    plan = FramePlan(
        gains=even_gains(gains, look),
        tone=curve,
        zone_from=tint_from,
        zone_to=tint_to,
        zone_matrix=matrix.reshape(-1, 4),
        moves=(),
        white=look.white if look.white.on else WhiteStep(),
        exposure=look.exposure if look.exposure.on else ExposureStep(),
        saturation=look.saturation if look.saturation.on else SaturationStep(),
        hold=look.hold,
        kept=look.kept,
        skin=_skin(faces, even_gains(gains, look)),
        strength=look.strength / 100 * trim.strength / 100,
        trim=trim,
    )
    amount = look.moves.amount / 100 * colour if look.moves.on else 0.0
    if amount > 0:
        moves = fit_moves(apply_fit(plan, thin(frame.cloud, _PLANNING_CLOUD)), aim.palette, look.moves.reach / 100)
        scaled = tuple(m.model_copy(update={"by": tuple(v * amount for v in m.by)}) for m in moves)
        plan = plan.model_copy(update={"moves": scaled})
    return plan


def _skin(faces: Linear | None, gains: tuple[float, float, float]) -> tuple[Centre, ...]:
    if faces is None or len(faces) == 0:
        return ()
    return skin_centres(linear_to_oklab(apply_gains(faces, np.array(gains, dtype=np.float32))))


def even_gains(gains: Floats | None, look: Look) -> tuple[float, float, float]:
    """Even light gains at the look's strength."""
    if gains is None or not look.even.on:
        return (1.0, 1.0, 1.0)
    weak = np.asarray(gains, dtype=np.float64) ** (look.even.amount / 100)
    return (float(weak[0]), float(weak[1]), float(weak[2]))


def apply_fit(plan: FramePlan, lab: OKLab) -> OKLab:
    """The fitted stages on evened OKLab colours (N, 3): tone, zone tints, spread, moves."""
    zones = np.concatenate([plan.zone_from, plan.zone_to, plan.zone_matrix], axis=1)
    at = interpolate_zones(zones, lab[:, 0])
    off_a, off_b = lab[:, 1] - at[:, 0], lab[:, 2] - at[:, 1]
    out = np.empty_like(lab)
    out[:, 0] = apply_curve(plan.tone, lab[:, 0])
    out[:, 1] = at[:, 2] + at[:, 4] * off_a + at[:, 5] * off_b
    out[:, 2] = at[:, 3] + at[:, 6] * off_a + at[:, 7] * off_b
    return apply_moves(out, plan.moves)


def apply_by_hand(plan: FramePlan, lab: OKLab) -> OKLab:
    """The hand-made global steps on OKLab colours (N, 3): white and exposure, contrast, saturation and vibrance."""
    white, exposure, saturation = plan.white, plan.exposure, plan.saturation
    gains = join_gains(exposure.exposure, white.warmth, white.tint)
    if not np.allclose(gains, 1, atol=1e-6):
        lab = linear_to_oklab(apply_gains(oklab_to_linear(lab), gains))
    if exposure.contrast:
        lab = lab.copy()
        lab[:, 0] = _contrast(lab[:, 0], exposure.contrast / 100, neutral_oklab(exposure.pivot))
    return saturate(lab, saturation.saturation / 100, saturation.vibrance / 100)


def _contrast(lightness: Floats, amount: float, pivot: float) -> Floats:
    """Contrast about a pivot: slope 1 + amount there, black and white kept (power curve on each side)."""
    gamma = 1 + amount
    x = np.clip(lightness, 0, 1)
    below = pivot * (np.minimum(x, pivot) / pivot) ** gamma
    above = 1 - (1 - pivot) * ((1 - np.maximum(x, pivot)) / (1 - pivot)) ** gamma
    return np.asarray(np.where(x < pivot, below, above) + (lightness - x), dtype=np.float32)


def saturate(lab: OKLab, saturation: float, vibrance: float) -> OKLab:
    """Chroma of OKLab colours (N, 3) scaled by 1 + saturation, and by vibrance where it is low; hue is kept."""
    if saturation == 0 and vibrance == 0:
        return lab
    chroma = np.hypot(lab[:, 1], lab[:, 2])
    factor = (1 + saturation) * (1 + vibrance * np.exp(-((chroma / 0.12) ** 2)))
    out = lab.copy()
    out[:, 1:] *= np.maximum(factor, 0)[:, None]
    return out


def apply_plan(plan: FramePlan, linear: Linear, space: Space = Space.SRGB) -> OKLab:
    """Everything a plan does to colours: linear light (N, 3) in, OKLab (N, 3) out, not yet mapped to a gamut.

    space : where the picture goes; colours are eased before its boundary
    """
    evened = linear_to_oklab(apply_gains(linear, np.array(plan.gains, dtype=np.float32)))
    out = evened
    if plan.strength > 0:
        looked = ease_outward(evened, apply_by_hand(plan, apply_fit(plan, evened)), space)
        if plan.hold.on:
            looked = hold_colours(evened, looked, skin_membership(evened, plan.skin), plan.hold)
        for kept in plan.kept:
            looked = hold_colours(evened, looked, family_membership(evened, kept.family), kept)
        out = evened + np.float32(plan.strength) * (looked - evened)
    trim = plan.trim
    if trim.exposure or trim.warmth or trim.tint:
        out = linear_to_oklab(apply_gains(oklab_to_linear(out), join_gains(trim.exposure, trim.warmth, trim.tint)))
    return saturate(out, trim.saturation / 100, 0)
