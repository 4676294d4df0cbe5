"""View models of the instruments that follow a sheet: chart, curves, greys, pairing, tone, drift and notes."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from nuvett.core.fit.curves import Points, curve_through, master_table
from nuvett.core.fit.grey import grey_lightness
from nuvett.core.fit.holds import hold_bounds
from nuvett.core.fit.hue_families import hue_families
from nuvett.core.fit.moves import landings
from nuvett.core.look.with_steps import WithSteps
from nuvett.core.plan.by_hand import GreyOperation, OwnMovesOperation
from nuvett.core.plan.ends import HoldOperation
from nuvett.core.plan.fitted import TintOperation
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.lacking import Unmatched
from nuvett.core.planning.pairing import Paired, paired
from nuvett.core.reading.palette import Palette
from nuvett.core.reading.reading import Reading, Target
from nuvett.core.spaces.cielab import lightness_of_oklab
from nuvett.core.steps.casts import CastStep
from nuvett.core.steps.curve import CHANNELS, CurveStep
from nuvett.core.steps.hues import HueStep
from nuvett.core.steps.moves import MoveStep
from nuvett.core.steps.primaries import PrimariesStep
from nuvett.core.steps.zones import ZONES, ZoneStep
from nuvett.core.types import OKLab
from nuvett.services.references import kept_references
from nuvett.web.context import Context
from nuvett.web.views.colour_views import band_views, cast_views, family_views, primary_views
from nuvett.web.views.easel import Easel, plan_on
from nuvett.web.views.instruments import (
    CHART_CHROMA,
    HUE_MARKS,
    chart_cloud,
    chart_palette,
    pairing_view,
    place_of,
    tone_side,
)
from nuvett.web.views.sheet import Coloured, coloured

_CURVE_DOTS = 60
_APART = 21.0  # between handles on the chart
_NOTHING_PAIRED = Paired((), (), np.empty((0, 0)), OKLab(np.empty((0, 3), np.float32)), ())


@dataclass(frozen=True)
class Arrow:
    """A colour move by hand on the chart: from a disc to a square."""

    index: int
    x: float
    y: float
    to_x: float
    to_y: float
    hex: str
    to_hex: str
    name: str


@dataclass(frozen=True)
class ZoneHandle:
    """The tint of a zone on the chart; chosen, or as the target has it. Its handle gives way to others."""

    zone: str
    x: float
    y: float
    chosen: bool
    handle_x: float
    handle_y: float


@dataclass(frozen=True)
class Ring:
    """The ring around a held family, that its colours may not leave: a polygon on the chart, and its handle."""

    index: int
    name: str
    points: str
    x: float
    y: float


@dataclass(frozen=True)
class Grey:
    """A colour of the frame on the grey column: where it came in and the grey it becomes, CIE L*."""

    lab: tuple[float, float, float]
    name: str
    hex: str
    came: float
    lightness: float
    share: float


def _arrows(plan: FramePlan, easel: Easel) -> list[Arrow]:
    moved = plan.find(OwnMovesOperation, easel.where)
    found = []
    for index, (move, landed) in enumerate(
        zip(moved.moves, landings(moved.moves, moved.part), strict=True) if moved else ()
    ):
        lightness, a, b = (float(v) for v in landed)
        start, end = coloured(move.source), coloured((lightness, a, b))
        found.append(Arrow(index, *place_of(*move.source[1:]), *place_of(a, b), start.hex, end.hex, start.name))
    return found


def _zone_handles(step: ZoneStep, plan: FramePlan, easel: Easel) -> list[ZoneHandle]:
    tinted = plan.find(TintOperation, easel.where)
    found: list[ZoneHandle] = []
    for zone, aim in zip(ZONES, tinted.aims, strict=True) if tinted else ():
        x, y = place_of(*aim)
        beside = x
        while any(abs(beside - z.handle_x) < _APART and abs(y - z.handle_y) < _APART for z in found):
            beside += _APART
        found.append(ZoneHandle(zone, x, y, getattr(step, f"{zone}_hue") is not None, beside, y))
    return found


def _rings(plan: FramePlan, easel: Easel) -> list[Ring]:
    held = plan.find(HoldOperation, easel.where)
    found = []
    for index, hold in enumerate(held.families if held else ()):
        corners = [place_of(float(a), float(b)) for a, b in hold_bounds(hold)]
        points = " ".join(f"{x:.1f},{y:.1f}" for x, y in corners)
        found.append(Ring(index, coloured(hold.family.colour).name, points, *corners[0]))
    return found


def _greys(plan: FramePlan, easel: Easel, palette: Palette) -> list[Grey]:
    """The frame's own palette as black-and-white makes it."""
    operation = plan.find(GreyOperation, easel.where)
    if operation is None or not palette:
        return []
    lab = OKLab(np.array([(c.lightness, c.a, c.b) for c in palette], dtype=np.float32))
    came, made = (lightness_of_oklab(np.clip(v, 0, 1)) for v in (lab[:, 0], grey_lightness(lab, operation.hues)))
    return [
        Grey((c.lightness, c.a, c.b), c.name, c.hex, float(before), float(after), c.share)
        for c, before, after in zip(palette, came, made, strict=True)
    ]


def curve_paths(curve: CurveStep) -> dict[str, str]:
    """Curves as SVG paths in a field of 100 by 100, up is light; the master with its faded blacks."""
    at = np.linspace(0, 100, _CURVE_DOTS + 1, dtype=np.float32)
    table = master_table(curve.master, curve.faded)
    lightness = lightness_of_oklab(np.linspace(0, 1, len(table), dtype=np.float32))
    drawn = {"master": np.interp(at, lightness, lightness_of_oklab(table))}
    for name in CHANNELS[1:]:
        points: Points = getattr(curve, name)
        drawn[name] = curve_through(points, at).astype(np.float64)
    return {
        name: "M" + "L".join(f"{x:.1f} {100 - float(y):.2f}" for x, y in zip(at, values, strict=True))
        for name, values in drawn.items()
    }


@dataclass(frozen=True)
class UnmatchedView:
    """A colour that the frame lacks, or has beside the target; `at` names it for the veil that leaves it open."""

    words: str
    advice: str
    hex: str
    at: str


def _unmatched_view(one: Unmatched) -> UnmatchedView:
    at = ",".join(f"{value:.4f}" for value in one.colour) if one.kind == "foreign" else ""
    return UnmatchedView(one.words, one.advice, coloured(one.colour).hex, at)


def _coloured_palette(palette: Palette) -> list[Coloured]:
    return [coloured((c.lightness, c.a, c.b)) for c in palette]


def instruments(context: Context, easel: Easel, document: WithSteps) -> dict[str, Any]:
    """Values for the parts that follow a draft."""
    bench, aimed = context.studio.bench, easel.aimed.on(easel.frame) if easel.aimed else None
    plan = plan_on(bench, easel)
    original = bench.measures.summary(easel.frame, bench.planner.as_came(easel.frame), aimed)
    finished = bench.measures.summary(easel.frame, plan, aimed)
    curve, moves = document.step(CurveStep), document.step(MoveStep)
    pairing = _NOTHING_PAIRED
    aim = bench.planner.aim(aimed) if aimed is not None else None
    unmatched = bench.measures.unmatched(easel.frame, plan, aimed) if aimed is not None else ()
    if easel.where == "look" and aim is not None:
        pairing = paired(plan, aim, moves.pins, unmatched)
    beside: Reading | Target | None = aimed.target if aimed else None
    if easel.reference is not None:
        with context.session() as session:
            beside = kept_references.kept_reading(session, easel.reference.id)
    return {
        "reference_tone": tone_side(np.asarray(beside.statistics.lightness)) if beside else None,
        "frame_tone": tone_side(finished.tone),
        "original_tone": tone_side(original.tone),
        "tone_drags": easel.where == "look",
        "pairing": pairing_view(pairing),
        "pairing_sources": _coloured_palette(pairing.source),
        "pairing_targets": _coloured_palette(pairing.target),
        "drift": finished.drift,
        "drift_before": original.drift,
        "unmatched": [_unmatched_view(one) for one in unmatched],
        "slope": plan.steepest_slope,
        "notes": bench.measures.notes(easel.frame, plan, aimed) if aimed else (),
        "dots": chart_palette(finished.palette),
        "cloud": chart_cloud(bench.measures.cloud(easel.frame, plan)),
        "arrows": _arrows(plan, easel),
        "zone_handles": _zone_handles(document.step(ZoneStep), plan, easel),
        "rings": _rings(plan, easel),
        "bands": band_views(document.step(HueStep)),
        "primaries": primary_views(document.step(PrimariesStep)),
        "casts": cast_views(document.step(CastStep), _APART),
        "families": family_views(bench.measures.families(easel.frame, plan, easel.where)),
        "target_families": family_views(hue_families(OKLab(np.asarray(aim.statistics.cloud)))) if aim else [],
        "greys": _greys(plan, easel, bench.measures.before_greys(easel.frame, plan, easel.where)),
        "curve": curve.model_dump(mode="json"),
        "curves": curve_paths(curve),
        "hue_marks": HUE_MARKS,
    }


def chart_place(x: float, y: float) -> tuple[float, float]:
    """OKLab a and b of a place on the colour chart."""
    return x * CHART_CHROMA / 100, -y * CHART_CHROMA / 100
