"""View models of Read: references, what is sampled of one, what it gives, and the target they are blended into."""

import hashlib
import uuid
from dataclasses import dataclass
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from nuvett.core.errors import TargetError
from nuvett.core.reading.palette import PaletteColour
from nuvett.core.reading.reading import Reading, Target, blend, opposing_words, zone_colours
from nuvett.core.reading.regions import Patch, Sampling
from nuvett.core.reading.swatches import SUFFIXES
from nuvett.core.reading.words import differences
from nuvett.core.spaces.names import colour_name
from nuvett.core.types import OKLab
from nuvett.services.looks import heroes
from nuvett.services.platform.history import redo_words, steps, undo_words
from nuvett.services.references import kept_references, reading_history, targets
from nuvett.services.references.clips import clips_of
from nuvett.services.references.palettes import saved_palettes
from nuvett.services.series.rows import Reference, Series
from nuvett.web.views.instruments import (
    HUE_MARKS,
    Band,
    Dot,
    ToneSide,
    chart_cloud,
    chart_palette,
    hexes,
    palette_bands,
    tone_side,
)

_QUICK = 640  # colours of a blend that is only looked at while dragging
TOOLS = ("patch", "outline", "family", "points")


@dataclass(frozen=True)
class ReferenceCard:
    """One reference in the list. finished : how it stands to the frame that it shows as finished, else empty."""

    id: str
    name: str
    credit: str
    state: str
    problem: str
    tone: float
    colour: float
    sampled: str
    bands: list[Band]
    finished: str = ""
    outdated: bool = False


@dataclass(frozen=True)
class Zone:
    """A zone colour in words."""

    title: str
    hex: str
    name: str
    chroma: float


@dataclass(frozen=True)
class PatchView:
    """A patch: its words, the rectangle around it and its points, in percent of the picture."""

    number: int
    kind: str
    leave_out: bool
    box: tuple[float, float, float, float]
    outline: str


@dataclass(frozen=True)
class FamilyView:
    """A sampled colour family."""

    number: int
    hex: str
    name: str
    tolerance: float


@dataclass(frozen=True)
class PointView:
    """A point: place and disc in percent, its colour in words; `number` is its place in the sampling, if placed."""

    kind: str
    x: float
    y: float
    radius: float
    hex: str
    name: str
    number: int | None


@dataclass(frozen=True)
class Swatch:
    """One palette colour as it is edited: OKLCh with lightness and chroma times 100."""

    index: int
    hex: str
    name: str
    share: float
    held: bool
    lightness: float
    chroma: float
    hue: float
    dark: bool


@dataclass(frozen=True)
class ReadingView:
    """What was sampled from the reference in view."""

    id: str
    name: str
    credit: str
    width: int
    height: int
    shape: str
    document: dict[str, Any]
    version: str
    is_whole: bool
    words: str
    patches: list[PatchView]
    families: list[FamilyView]
    tone_range: tuple[float, float] | None
    points: list[PointView]
    colours: int
    order: str
    edited: bool
    share: float
    bands: list[Band]
    swatches: list[Swatch]
    tone: ToneSide
    dots: list[Dot]
    cloud: list[Dot]
    zones: list[Zone]


def sampled_words(reading: Reading) -> str:
    """Which part of a reference is sampled."""
    given = reading.sampling
    taken = [p for p in given.patches if not p.leave_out]
    left = len(given.patches) - len(taken)
    said = []
    if taken:
        said.append("a patch" if len(taken) == 1 else f"{len(taken)} patches")
    if left:
        said.append("a part left out" if left == 1 else f"{left} parts left out")
    if given.families:
        said.append("one family" if len(given.families) == 1 else f"{len(given.families)} families")
    if given.tone is not None:
        said.append(f"tones {given.tone[0]:.0f} to {given.tone[1]:.0f}")
    if not said:
        return "whole still"
    return f"{', '.join(said)}: {100 * reading.share:.0f} %"


def card_of(row: Reference, standing: heroes.HeroStanding | None = None) -> ReferenceCard:
    """One reference in the list; `standing` of one that is a finished frame."""
    reading = kept_references.reading_of(row) if row.reading else None
    return ReferenceCard(
        id=str(row.id),
        name=row.name,
        credit=row.credit,
        state=row.state,
        problem=row.problem,
        tone=row.tone_weight,
        colour=row.colour_weight,
        sampled=sampled_words(reading) if reading else "",
        bands=palette_bands(reading.palette) if reading else [],
        finished=standing.words if standing else "",
        outdated=standing is not None and standing.outdated,
    )


def zone_views(reading: Reading | Target) -> list[Zone]:
    """Zone colours of a reading or target, dark to light."""
    return [
        Zone(title, hexes(OKLab(lab[None]))[0], colour_name(lab), round(float(np.hypot(lab[1], lab[2])) * 100, 1))
        for title, lab in zone_colours(reading.statistics).items()
    ]


def _patch_view(number: int, patch: Patch) -> PatchView:
    x, y, w, h = (100 * v for v in patch.box)
    outline = " ".join(f"{100 * px:.2f},{100 * py:.2f}" for px, py in patch.points)
    return PatchView(number, patch.kind, patch.leave_out, (x, y, w, h), outline)


def swatch_of(index: int, colour: PaletteColour) -> Swatch:
    """One palette colour as it is edited."""
    lightness, chroma, hue = colour.lch
    return Swatch(
        index=index,
        hex=colour.hex,
        name=colour.name,
        share=round(100 * colour.share, 1),
        held=colour.held,
        lightness=round(100 * lightness, 1),
        chroma=round(100 * chroma, 1),
        hue=round(hue, 1),
        dark=colour.lightness < 0.6,
    )


def _point_views(reading: Reading, aspect: float) -> list[PointView]:
    given = list(reading.sampling.points)
    # The radius is in shares of the long edge; across the picture it is shown in percent of its width.
    return [
        PointView(
            kind=p.point.kind,
            x=100 * p.point.x,
            y=100 * p.point.y,
            radius=100 * p.point.radius * max(1.0, 1 / aspect),
            hex=p.hex,
            name=p.name,
            number=given.index(p.point) if p.placed else None,
        )
        for p in reading.points
    ]


def _shape(aspect: float) -> str:
    """How a still is laid out among its instruments."""
    if aspect > 1.9:
        return "wide"
    return "upright" if aspect < 1.1 else "usual"


def reading_view(row: Reference, reading: Reading) -> ReadingView:
    """View of one reading."""
    given: Sampling = reading.sampling
    return ReadingView(
        id=str(row.id),
        name=row.name,
        credit=row.credit,
        width=row.width,
        height=row.height,
        shape=_shape(row.width / max(1, row.height)),
        document=given.model_dump(mode="json"),
        version=hashlib.sha256(given.model_dump_json().encode()).hexdigest()[:16],
        is_whole=not given.patches and not given.families and given.tone is None,
        words=sampled_words(reading),
        patches=[_patch_view(i, p) for i, p in enumerate(given.patches)],
        families=[
            FamilyView(i, hexes(OKLab(lab[None]))[0], colour_name(OKLab(lab)), f.tolerance)
            for i, f in enumerate(given.families)
            for lab in [np.array(f.colour, np.float32)]
        ],
        tone_range=given.tone,
        points=_point_views(reading, row.width / max(1, row.height)),
        colours=given.colours,
        order=given.edits.order,
        edited=bool(given.edits.held or given.edits.dropped),
        share=reading.share,
        bands=palette_bands(reading.palette),
        swatches=[swatch_of(i, c) for i, c in enumerate(reading.palette)],
        tone=tone_side(reading.statistics.lightness),
        dots=chart_palette(reading.palette),
        cloud=chart_cloud(reading.statistics.cloud),
        zones=zone_views(reading),
    )


@dataclass(frozen=True)
class TargetView:
    """The target: palette, tone and zones."""

    number: int
    name: str
    bands: list[Band]
    tone: ToneSide
    zones: list[Zone]
    opposing: str


def _target_view(session: Session, series: Series, draft: targets.TargetDraft | None) -> TargetView | None:
    """The target that is kept, or what a draft would make of it."""
    row = targets.latest_target(session, series.id)
    if row is None:
        return None
    document, weighed = targets.target_document(row), targets.weighed_readings(session, series.id, draft)
    if draft is not None:
        try:
            document = blend(weighed, most=_QUICK)
        except TargetError:
            return None
    return TargetView(
        row.number,
        row.name,
        palette_bands(document.palette),
        tone_side(document.statistics.lightness),
        zone_views(document),
        opposing_words(weighed, document),
    )


@dataclass(frozen=True)
class Version:
    """A version of the target."""

    number: int
    name: str
    can_return: bool


def draft_values(session: Session, series: Series, row: Reference, draft: targets.TargetDraft) -> dict[str, Any]:
    """What changes on Read while something is dragged: the reading of a reference, and the target."""
    reading = draft.readings.get(row.id) or kept_references.reading_of(row)
    return {
        "view": reading_view(row, reading),
        "target": _target_view(session, series, draft),
        "hue_marks": HUE_MARKS,
    }


def page_values(session: Session, series: Series, wanted: uuid.UUID | None) -> dict[str, Any]:
    """What Read shows, with the reference `wanted` in view, or the first."""
    rows = series.references
    ready = [row for row in rows if row.state == "ready"]
    chosen = next((row for row in ready if row.id == wanted), ready[0] if ready else None)
    standings = heroes.standings(session, series)
    cards = [card_of(row, standings.get(row.id)) for row in rows]
    reading = kept_references.reading_of(chosen) if chosen is not None else None
    past = steps(session, reading_history.subject_of(series))
    versions = targets.target_versions(session, series.id)
    return {
        "cards": cards,
        "ready_cards": [card for card in cards if card.state == "ready"],
        "view": reading_view(chosen, reading) if chosen and reading else None,
        "parts": [(part["key"], part["name"]) for part in chosen.parts or ()] if chosen else [],
        "target": _target_view(session, series, None),
        "versions": [Version(v.number, v.name, bool(v.sources) and i > 0) for i, v in enumerate(versions)],
        "hue_marks": HUE_MARKS,
        "undo_words": undo_words(past),
        "redo_words": redo_words(past),
        "clips": clips_of(session, series),
        "palettes": [(str(p.id), p.name) for p in saved_palettes(session)],
        "suffixes": SUFFIXES,
        "waiting": any(row.state == "waiting" for row in rows),
    }


@dataclass(frozen=True)
class ComparedReference:
    """One of several references beside each other, and what tells it from the first, in words."""

    view: ReadingView
    words: list[str]
    tone: float
    colour: float


def compared(session: Session, series: Series, wanted: list[uuid.UUID]) -> list[ComparedReference]:
    """References beside each other; all of them when none are asked for."""
    rows = [r for r in kept_references.ready_references(session, series.id) if not wanted or r.id in wanted]
    readings = [kept_references.reading_of(row) for row in rows]
    return [
        ComparedReference(
            reading_view(row, reading),
            differences(reading, readings[0], rows[0].name) if index else [],
            row.tone_weight,
            row.colour_weight,
        )
        for index, (row, reading) in enumerate(zip(rows, readings, strict=True))
    ]
