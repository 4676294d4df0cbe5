"""The frame plan: everything that will be done to one frame, as plain numbers."""

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, Literal, Self

import numpy as np
from pydantic import model_validator

from nuvett.core.even.even_light import EvenLight
from nuvett.core.even.light import apply_gains, join_gains
from nuvett.core.fit.colour import zone_matches
from nuvett.core.fit.hand import HandMade, apply_by_hand, palette_for_wash, saturate
from nuvett.core.fit.holds import Centre, hold_colours, near_family, near_skin, skin_centres
from nuvett.core.fit.keep import NOTHING_KEPT, Keeps, keep_own_colour, keeps_of
from nuvett.core.fit.moves import CLUSTERS, FINE, Move, apply_moves, fit_moves
from nuvett.core.fit.statistics import ZONE_LIGHTNESS, Statistics, interpolate_zones, thin
from nuvett.core.fit.tone import TONE_GRID, aim_ends, apply_curve, fit_tone, steepest_slope
from nuvett.core.fit.zones import asked_tints, lightened, zone_aims, zone_amounts
from nuvett.core.look.look import Look, Trim
from nuvett.core.look.steps import (
    ExposureStep,
    FamilyHold,
    FinishStep,
    HoldStep,
    Pin,
    SaturationStep,
    WhiteStep,
)
from nuvett.core.reading.palette import Colour, Edits, Palette, find_palette
from nuvett.core.reading.reading import Target
from nuvett.core.spaces.cielab import neutral_oklab
from nuvett.core.spaces.gamut import ease_outward
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear
from nuvett.core.spaces.rgb import Space
from nuvett.core.types import Document, Floats, Linear, OKLab, StoredArray

_PLANNING_CLOUD = 1024  # colours that the moves are planned on


class FramePlan(Document):
    """Plan of one frame; the same for preview, wall and delivery, whatever the size.

    gains : linear RGB gains of even light, at their strength; camera : share of a camera curve that they pass through
    tone : (129,) OKLab lightness out, on an even grid of lightness in
    zone_from, zone_to : (17, 2) tints by zone before and after
    zone_matrix : (17, 4) spread about the tint, rows of a 2 by 2 matrix
    zone_aims : a and b that shadow, midtone and highlight aim at, before amounts
    moves : colour moves, at their amounts
    keeps : what the fitted stages leave whites and strongly coloured things of their own colour
    skin : centres of the skin of faces found in the frame; none for skin in general
    white, exposure, saturation, made : hand-made steps, which act after the fit
    finish : what is done to the picture beside its colours; seed : of its grain
    strength : 0 to 1, weakens fit, hand-made steps and finish
    """

    schema_version: Literal[1] = 1
    gains: tuple[float, float, float]
    camera: float = 0.0
    tone: StoredArray
    zone_from: StoredArray
    zone_to: StoredArray
    zone_matrix: StoredArray
    zone_aims: tuple[tuple[float, float], ...] = ()
    moves: tuple[Move, ...]
    keeps: Keeps = NOTHING_KEPT
    white: WhiteStep
    exposure: ExposureStep
    saturation: SaturationStep
    made: HandMade = HandMade()
    hold: HoldStep
    kept: tuple[FamilyHold, ...] = ()
    skin: tuple[Centre, ...] = ()
    strength: float
    trim: Trim
    finish: FinishStep = FinishStep()
    seed: int = 0

    @model_validator(mode="before")
    @classmethod
    def _from_earlier(cls, data: Any) -> Any:
        """Plans were kept before holds said where they act; those acted everywhere."""
        if isinstance(data, dict) and isinstance(data.get("hold"), dict) and "where" not in data["hold"]:
            return {**data, "hold": {**data["hold"], "where": "everywhere"}}
        return data

    @cached_property
    def key(self) -> str:
        """Names the plan by its content; equal plans render equal pixels."""
        return hashlib.sha256(self.model_dump_json().encode()).hexdigest()[:32]

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """A copy with other values, which has a name of its own."""
        made = super().model_copy(update=update, deep=deep)
        made.__dict__.pop("key", None)
        return made

    @property
    def holds_skin(self) -> bool:
        """Whether skin is held in this frame."""
        return self.hold.on and (self.hold.where == "everywhere" or bool(self.skin))

    @property
    def steepest_slope(self) -> float:
        return 1 + (steepest_slope(self.tone) - 1) * self.strength


@dataclass(frozen=True)
class Aim:
    """A target made ready for planning: its statistics, the palette that colour moves go to, and the one shown."""

    statistics: Statistics
    palette: Palette
    shown: Palette = ()

    @classmethod
    def of(cls, target: Target) -> "Aim":
        return replace(cls.of_statistics(target.statistics, target.edits), shown=target.palette)

    @classmethod
    def of_statistics(cls, statistics: Statistics, edits: Edits | None = None) -> "Aim":
        return cls(statistics, find_palette(thin(statistics.cloud, _PLANNING_CLOUD), CLUSTERS, FINE, edits))


IDENTITY_ZONES: Floats = np.zeros((len(ZONE_LIGHTNESS), 2), dtype=np.float32)
_IDENTITY_MATRIX: Floats = np.tile(np.eye(2, dtype=np.float32).reshape(4), (len(ZONE_LIGHTNESS), 1))


def even_only(gains: Floats, trim: Trim | None = None, camera: float = 0.0) -> FramePlan:
    """The plan that only evens the light."""
    return FramePlan(
        gains=(float(gains[0]), float(gains[1]), float(gains[2])),
        camera=camera,
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
    light: EvenLight | None = None,
    trim: Trim | None = None,
    faces: Linear | None = None,
) -> FramePlan:
    """Plan one frame.

    frame : statistics of the evened frame, pooled as the pull asks
    light : the frame's even light, none for no change
    faces : (F, 3) linear colours of faces in the frame as it came, none for no faces
    """
    trim, light = trim or Trim(), light or EvenLight()
    curve = _fit_curve(frame, aim.statistics, look)
    colour = look.colour / 100
    tint_from, tint_to, matrix = zone_matches(frame, aim.statistics, curve, look.zones.crossover)
    aims = zone_aims(look.zones, tint_to, np.asarray(frame.zone_share))
    if look.zones.on and look.zones.part != "tone":
        away = asked_tints(look.zones, tint_to) - tint_from
        tint_to = tint_from + away * (zone_amounts(look.zones) * np.float32(colour))[:, None]
    else:
        tint_to = tint_from
    spread = look.spread.amount / 100 * colour if look.spread.on else 0.0
    matrix = np.eye(2, dtype=np.float32) + (matrix - np.eye(2, dtype=np.float32)) * np.float32(spread)
    plan = FramePlan(
        gains=even_gains(light, look),
        camera=light.camera,
        tone=lightened(look.zones, curve),
        zone_from=tint_from,
        zone_to=tint_to,
        zone_matrix=matrix.reshape(-1, 4),
        zone_aims=aims,
        moves=(),
        keeps=keeps_of(look),
        white=look.white if look.white.on else WhiteStep(),
        exposure=look.exposure if look.exposure.on else ExposureStep(),
        saturation=look.saturation if look.saturation.on else SaturationStep(),
        made=_made(look, aim),
        hold=look.hold,
        kept=look.kept,
        skin=_skin(faces, light, look),
        strength=look.strength / 100 * trim.strength / 100,
        trim=trim,
        finish=look.finish if look.finish.on else FinishStep(),
    )
    moves = _paired_moves(plan, frame, aim, look)
    return plan.model_copy(update={"moves": moves}) if moves else plan


def _made(look: Look, aim: Aim) -> HandMade:
    target = tuple((c.lightness, c.a, c.b) for c in aim.shown or aim.palette)
    return HandMade(
        own=look.moves.own if look.moves.on else (),
        own_part=look.moves.part,
        curve=look.curve,
        wash=palette_for_wash(look.wash, target),
        tint_filter=look.filter,
        mono=look.mono,
        toning=_toning(look, aim),
    )


def _toning(look: Look, aim: Aim) -> tuple[tuple[float, float], ...]:
    """The target's tints by zone, as strong as black-and-white is toned with them."""
    if not look.mono.on or look.mono.toned == 0:
        return ()
    return tuple((float(a), float(b)) for a, b in np.asarray(aim.statistics.zone_tint) * look.mono.toned / 100)


def _paired_moves(plan: FramePlan, frame: Statistics, aim: Aim, look: Look) -> tuple[Move, ...]:
    """Moves by pairing, at their amounts, some of them as pins have it."""
    amount = look.moves.amount / 100 * look.colour / 100 if look.moves.on else 0.0
    if amount == 0:
        return ()
    found = fit_moves(apply_fit(plan, thin(frame.cloud, _PLANNING_CLOUD)), aim.palette, look.moves.reach / 100)
    origins = fit_origins(plan, [m.source for m in found]) if look.moves.pins else []
    moves = []
    for index, move in enumerate(found):
        by = tuple(v * amount for v in move.by)
        pin = pin_of(look.moves.pins, origins[index]) if origins else None
        if pin is not None:
            away = move.by if pin.to is None else tuple(np.subtract(pin.to, move.source))
            by = tuple(float(v) * pin.amount / 100 for v in away)
        if look.moves.part != "both":
            by = (by[0], 0.0, 0.0) if look.moves.part == "tone" else (0.0, by[1], by[2])
        moves.append(move.model_copy(update={"by": by}))
    return tuple(moves)


def fit_origins(plan: FramePlan, toned: list[Colour]) -> list[Colour]:
    """Colours of the evened frame that the fit so far took to these ones, nearly: its shift there undone."""
    lab = np.array(toned, dtype=np.float32)
    found = lab.copy()
    for _ in range(4):
        found += lab - apply_fit(plan, found)
    return [(float(c[0]), float(c[1]), float(c[2])) for c in found]


_PIN_REACH = 0.1  # OKLab distance within which a pin speaks for a colour of the frame


def pin_of(pins: tuple[Pin, ...], colour: Colour) -> Pin | None:
    """The pin nearest to a colour of the frame, if one is near."""
    gaps = [float(np.linalg.norm(np.subtract(pin.source, colour))) for pin in pins]
    nearest = min(range(len(pins)), key=gaps.__getitem__, default=None)
    return None if nearest is None or gaps[nearest] > _PIN_REACH else pins[nearest]


def _skin(faces: Linear | None, light: EvenLight, look: Look) -> tuple[Centre, ...]:
    if faces is None or len(faces) == 0:
        return ()
    return skin_centres(linear_to_oklab(evened(faces, light, look)))


def even_gains(light: EvenLight, look: Look) -> tuple[float, float, float]:
    """Even light gains at the look's strength."""
    if not look.even.on:
        return (1.0, 1.0, 1.0)
    weak = np.asarray(light.gains, dtype=np.float64) ** (look.even.amount / 100)
    return (float(weak[0]), float(weak[1]), float(weak[2]))


def evened(linear: Linear, light: EvenLight, look: Look) -> Linear:
    """Linear light (..., 3) evened as strongly as a look asks."""
    return apply_gains(linear, np.array(even_gains(light, look), dtype=np.float32), light.camera)


def evened_by(plan: FramePlan, linear: Linear) -> Linear:
    """Linear light (..., 3) after a plan's even light."""
    return apply_gains(linear, np.array(plan.gains, dtype=np.float32), plan.camera)


def apply_fit(plan: FramePlan, lab: OKLab) -> OKLab:
    """The fitted stages on evened OKLab colours (N, 3): tone, zone tints, spread, moves."""
    zones = np.concatenate([plan.zone_from, plan.zone_to, plan.zone_matrix], axis=1)
    at = interpolate_zones(zones, lab[:, 0])
    off_a, off_b = lab[:, 1] - at[:, 0], lab[:, 2] - at[:, 1]
    out = np.empty_like(lab)
    out[:, 0] = apply_curve(plan.tone, lab[:, 0])
    out[:, 1] = at[:, 2] + at[:, 4] * off_a + at[:, 5] * off_b
    out[:, 2] = at[:, 3] + at[:, 6] * off_a + at[:, 7] * off_b
    return keep_own_colour(lab, apply_moves(out, plan.moves), plan.keeps)


def _held(plan: FramePlan, before: OKLab, looked: OKLab) -> OKLab:
    """OKLab colours (N, 3) after the plan's holds; what black-and-white has taken, no hold gives back."""
    held = looked
    if plan.holds_skin:
        held = hold_colours(before, held, near_skin(before, plan.skin), plan.hold)
    for kept in plan.kept:
        held = hold_colours(before, held, near_family(before, kept.family), kept)
    mono = plan.made.mono
    if mono.on and held is not looked:
        held[:, 1:] = looked[:, 1:] + np.float32(1 - mono.amount / 100) * (held[:, 1:] - looked[:, 1:])
    return held


def apply_plan(plan: FramePlan, linear: Linear, space: Space = Space.SRGB) -> OKLab:
    """Everything a plan does to colours: linear light (N, 3) in, OKLab (N, 3) out, not yet mapped to a gamut.

    space : where the picture goes; colours are eased before its boundary
    """
    before = linear_to_oklab(evened_by(plan, linear))
    out = before
    if plan.strength > 0:
        fitted = apply_fit(plan, before)
        looked = apply_by_hand(fitted, plan.white, plan.exposure, plan.saturation, plan.made)
        looked = ease_outward(before, looked, space)
        looked = _held(plan, before, looked)
        out = before + np.float32(plan.strength) * (looked - before)
    trim = plan.trim
    if trim.exposure or trim.warmth or trim.tint:
        out = linear_to_oklab(apply_gains(oklab_to_linear(out), join_gains(trim.exposure, trim.warmth, trim.tint)))
    return saturate(out, trim.saturation / 100, 0)
