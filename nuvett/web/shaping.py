"""View models of Shape: the frame in work, the instruments that follow the draft, the sheet, proofs and history."""

import uuid
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from nuvett.core.fit.hand import curve_through, landings, master_table
from nuvett.core.fit.holds import hold_bounds
from nuvett.core.fit.pairing import paired
from nuvett.core.fit.plan import FramePlan
from nuvett.core.fit.zones import ZONES
from nuvett.core.look.look import STEPS, Look
from nuvett.core.look.steps import HUES, CurveStep, FamilyHold
from nuvett.core.look.words import (
    HELD_WHERE,
    LOOK_VALUES,
    MOVE_VALUES,
    PART_WORDS,
    family_name,
    held_words,
    point_words,
)
from nuvett.core.reading.palette import Palette
from nuvett.core.reading.reading import Reading, Target
from nuvett.core.spaces.cielab import lightness_of_oklab
from nuvett.core.spaces.names import colour_name
from nuvett.services import looks, sampling
from nuvett.services.catalogue import find_series, list_series, look_of, ready_frames
from nuvett.services.facts import Aimed, Facts, FrameFacts
from nuvett.services.history import redo_words, steps, undo_words
from nuvett.services.palettes import palette_of, saved_palettes
from nuvett.services.wall import Show, WallItem, choose_proofs, shown_plan
from nuvett.web.context import Context
from nuvett.web.instruments import (
    CHART_CHROMA,
    HUE_MARKS,
    chart_cloud,
    chart_palette,
    hexes,
    pairing_view,
    place_of,
    tone_side,
)
from nuvett.web.tiles import Labels, picture_address, tile_of

EDGE = 1280
BLEND_MODES = (
    "normal", "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn", "hard-light",
    "soft-light", "difference", "exclusion", "hue", "saturation", "color", "luminosity",
)  # fmt: skip
_CURVE_DOTS = 60
_APART = 21.0  # between handles on the chart


@dataclass(frozen=True)
class Choice:
    """A frame or reference that can be chosen."""

    id: str
    name: str


@dataclass(frozen=True)
class Coloured:
    """A colour in words, with its OKLab numbers for what is asked about it."""

    name: str
    hex: str
    lab: tuple[float, float, float]


@dataclass(frozen=True)
class Easel:
    """The frame in work and all that is shown with it."""

    slug: str
    facts: Facts
    index: int
    aimed: Aimed
    labels: dict[uuid.UUID, Labels]
    reference: Any
    proofs: tuple[uuid.UUID, ...]

    @property
    def frame(self) -> FrameFacts:
        return self.facts[self.index]

    def with_look(self, look: Look) -> "Easel":
        """The same easel with another look on it."""
        aimed = replace(self.aimed, look=look)
        return Easel(self.slug, self.facts, self.index, aimed, self.labels, self.reference, self.proofs)


def easel_of(session: Session, slug: str, frame: uuid.UUID | None, reference: uuid.UUID | None) -> Easel | None:
    """The easel of a series; none while there is no measured frame or no target."""
    series = find_series(session, slug)
    frames, aimed = ready_frames(session, series.id), looks.draft_of(session, series)
    facts = Facts(looks.facts_of(frame) for frame in frames)
    if not facts or aimed is None:
        return None
    wanted = frame or series.hero_id
    index = next((i for i, f in enumerate(facts) if f.id == wanted), 0)
    ready = sampling.ready_references(session, series.id, readings=False)
    heaviest = max(ready, key=lambda r: r.tone_weight + r.colour_weight, default=None)
    chosen = next((r for r in ready if r.id == reference), heaviest)
    labels = {f.id: Labels(f.name, f.id == series.hero_id, "") for f in frames}
    proofs = (look_of(session, series).proofs or {}).get("frames", [])
    return Easel(slug, facts, index, aimed, labels, chosen, tuple(uuid.UUID(p) for p in proofs))


def coloured(lab: tuple[float, float, float]) -> Coloured:
    """A colour in words."""
    array = np.array(lab, dtype=np.float32)
    return Coloured(colour_name(array), hexes(array[None])[0], lab)


def _coloured_palette(palette: Palette) -> list[Coloured]:
    return [coloured((c.lightness, c.a, c.b)) for c in palette]


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


def _arrows(plan: FramePlan) -> list[Arrow]:
    found = []
    for index, (move, landed) in enumerate(zip(plan.made.own, landings(plan.made), strict=True)):
        lightness, a, b = (float(v) for v in landed)
        start, end = coloured(move.source), coloured((lightness, a, b))
        found.append(Arrow(index, *place_of(*move.source[1:]), *place_of(a, b), start.hex, end.hex, start.name))
    return found


def _zone_handles(look: Look, plan: FramePlan) -> list[ZoneHandle]:
    found: list[ZoneHandle] = []
    for zone, aim in zip(ZONES, plan.zone_aims, strict=True):
        x, y = place_of(*aim)
        beside = x
        while any(abs(beside - z.handle_x) < _APART and abs(y - z.handle_y) < _APART for z in found):
            beside += _APART
        found.append(ZoneHandle(zone, x, y, getattr(look.zones, f"{zone}_hue") is not None, beside, y))
    return found


@dataclass(frozen=True)
class Ring:
    """The ring around a held family, that its colours may not leave: a polygon on the chart, and its handle."""

    index: int
    name: str
    points: str
    x: float
    y: float


def _ring(index: int, hold: FamilyHold) -> Ring:
    corners = [place_of(float(a), float(b)) for a, b in hold_bounds(hold)]
    points = " ".join(f"{x:.1f},{y:.1f}" for x, y in corners)
    return Ring(index, family_name(hold), points, *corners[0])


def curve_paths(curve: CurveStep) -> dict[str, str]:
    """Curves as SVG paths in a field of 100 by 100, up is light; the master with its faded blacks."""
    at = np.linspace(0, 100, _CURVE_DOTS + 1, dtype=np.float32)
    table = master_table(curve)
    lightness = lightness_of_oklab(np.linspace(0, 1, len(table), dtype=np.float32))
    drawn = {"master": np.interp(at, lightness, lightness_of_oklab(table))}
    for name in ("red", "green", "blue"):
        drawn[name] = curve_through(getattr(curve, name), at).astype(np.float64)
    return {
        name: "M" + "L".join(f"{x:.1f} {100 - float(y):.2f}" for x, y in zip(at, values, strict=True))
        for name, values in drawn.items()
    }


def instruments(context: Context, easel: Easel) -> dict[str, Any]:
    """Values for the parts that follow the draft: tone column, pairing, colour chart, curves, drift and notes."""
    bench, look = context.studio.bench, easel.aimed.look
    plan = bench.plan(easel.facts, easel.index, easel.aimed)
    original = bench.summary(easel.frame, None, easel.aimed)
    pairing = paired(plan, bench.aim(easel.aimed), look.moves.pins)
    finished = bench.summary(easel.frame, plan, easel.aimed)
    target = easel.aimed.target
    reference: Reading | Target = target
    if easel.reference is not None:
        with context.session() as session:
            reference = sampling.kept_reading(session, easel.reference.id)
    return {
        "reference_tone": tone_side(np.asarray(reference.statistics.lightness)),
        "frame_tone": tone_side(finished.tone),
        "original_tone": tone_side(original.tone),
        "pairing": pairing_view(pairing),
        "pairing_sources": _coloured_palette(pairing.source),
        "pairing_targets": _coloured_palette(pairing.target),
        "drift": finished.drift,
        "drift_before": original.drift,
        "slope": plan.steepest_slope,
        "notes": bench.notes(easel.frame, plan, look),
        "dots": chart_palette(finished.palette),
        "cloud": chart_cloud(finished.cloud),
        "arrows": _arrows(plan),
        "zone_handles": _zone_handles(look, plan) if look.zones.on else [],
        "rings": [_ring(i, hold) for i, hold in enumerate(look.kept)],
        "curves": curve_paths(look.curve),
        "look": look.model_dump(mode="json"),
        "hue_marks": HUE_MARKS,
    }


def addresses(context: Context, easel: Easel) -> dict[str, str]:
    """Addresses of the frame's pictures: as it came, evened, with the look; and the key of the look's plan."""
    bench = context.studio.bench
    found = {}
    for show in Show:
        plan = shown_plan(bench, easel.facts, easel.index, easel.aimed, show)
        key = bench.remember(plan) if plan else ""
        found[show.value] = picture_address(easel.slug, easel.frame.id, key, EDGE)
    return found


def proof_tiles(context: Context, easel: Easel) -> list[Any]:
    """Proof frames under the draft, each with what goes wrong on it."""
    bench = context.studio.bench
    tiles = []
    for index in choose_proofs(bench, easel.facts, easel.proofs):
        frame = easel.facts[index]
        plan = bench.plan(easel.facts, index, easel.aimed)
        item = WallItem(frame, plan, bench.summary(frame, plan, easel.aimed), bench.summary(frame, None, easel.aimed))
        tile = tile_of(bench, easel.slug, item, easel.labels[frame.id], index + 1, 320)
        tiles.append((tile, bench.notes(frame, plan, easel.aimed.look)))
    return tiles


def sheet_values(session: Session, slug: str) -> dict[str, Any]:
    """The look sheet with its history."""
    series = find_series(session, slug)
    row = look_of(session, series)
    look = Look.model_validate(row.draft)
    past = steps(session, f"look:{row.id}", 60)
    others = [(s.slug, s.title) for s in list_series(session) if s.id != series.id]
    washes = [
        (str(p.id), p.name, [[c.lightness, c.a, c.b] for c in palette_of(p).colours]) for p in saved_palettes(session)
    ]
    return {
        "look": look.model_dump(mode="json"),
        "revision": row.revision,
        "kept_words": [(family_name(h), hexes(np.array([h.family.colour], np.float32))[0]) for h in look.kept],
        "own_words": [coloured(move.source) for move in look.moves.own],
        "pin_words": [(coloured(p.source), coloured(p.to) if p.to else None) for p in look.moves.pins],
        "curves": curve_paths(look.curve),
        "values": LOOK_VALUES,
        "point_values": {name: point_words(name) for name in ("master", "red", "green", "blue")},
        "held_values": [held_words(hold) for hold in look.kept],
        "move_values": MOVE_VALUES,
        "parts": PART_WORDS,
        "held_where": HELD_WHERE,
        "numbers": {name: number for number, name in enumerate(STEPS, start=1)},
        "hues": HUES,
        "modes": BLEND_MODES,
        "washes": washes,
        "others": others,
        "undo_words": undo_words(past),
        "redo_words": redo_words(past),
        "past": past,
        "versions": [v.number for v in row.versions],
        "state": looks.carry_state(session, series, 0),
    }


def chart_place(x: float, y: float) -> tuple[float, float]:
    """OKLab a and b of a place on the colour chart."""
    return x * CHART_CHROMA / 100, -y * CHART_CHROMA / 100
