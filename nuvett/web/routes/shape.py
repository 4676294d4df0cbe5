"""Shape: the look being made, beside a reference and on proof frames."""

import uuid
from dataclasses import dataclass
from typing import Annotated, Any

import numpy as np
from fastapi import APIRouter, Body, Query, UploadFile
from fastapi.responses import HTMLResponse, JSONResponse, Response
from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError
from nuvett.core.look.look import Look
from nuvett.core.look.words import LOOK_VALUES, family_name
from nuvett.core.reading.reading import Reading
from nuvett.services import looks, sampling
from nuvett.services.catalogue import find_series, look_of
from nuvett.services.history import redo_words, steps, undo_words
from nuvett.services.stages import stages_of
from nuvett.services.wall import Show, WallItem, choose_proofs, shown_plan
from nuvett.services.workbench import Aimed, FrameFacts
from nuvett.web.context import Context, Means
from nuvett.web.instruments import HUE_MARKS, chart_cloud, chart_palette, hexes, pairing_view, tone_side, tone_side_of
from nuvett.web.tiles import Labels, picture_address, tile_of

router = APIRouter(prefix="/series/{slug}")
_EDGE = 1280


@dataclass(frozen=True)
class Choice:
    """A frame or reference that can be chosen."""

    id: str
    name: str


@dataclass(frozen=True)
class Kept:
    """A held colour family in words."""

    name: str
    hex: str


@dataclass(frozen=True)
class Easel:
    """The frame in work and all that is shown with it."""

    slug: str
    facts: list[FrameFacts]
    index: int
    aimed: Aimed
    labels: dict[uuid.UUID, Labels]
    reference: Any

    @property
    def frame(self) -> FrameFacts:
        return self.facts[self.index]


def _easel(session: Session, slug: str, frame: uuid.UUID | None, reference: uuid.UUID | None) -> Easel | None:
    """The easel of a series; none while there is no measured frame or no target."""
    series = find_series(session, slug)
    facts, aimed = looks.series_facts(session, series), looks.draft_of(session, series)
    if not facts or aimed is None:
        return None
    wanted = frame or series.hero_id
    index = next((i for i, f in enumerate(facts) if f.id == wanted), 0)
    ready = sampling.ready_references(session, series.id)
    heaviest = max(ready, key=lambda r: r.tone_weight + r.colour_weight, default=None)
    chosen = next((r for r in ready if r.id == reference), heaviest)
    labels = {f.id: Labels(f.name, f.id == series.hero_id, "") for f in series.frames}
    return Easel(slug, facts, index, aimed, labels, chosen)


def _instruments(context: Context, easel: Easel) -> dict[str, Any]:
    """Values for the parts that follow the draft: tone column, pairing, colour chart, drift."""
    bench = context.studio.bench
    plan = bench.plan(easel.facts, easel.index, easel.aimed)
    original = bench.summary(easel.frame, None, easel.aimed)
    finished = bench.summary(easel.frame, plan, easel.aimed)
    statistics = easel.aimed.target.statistics
    if easel.reference is not None:
        statistics = Reading.model_validate(easel.reference.reading).statistics
    return {
        "reference_tone": tone_side(statistics),
        "frame_tone": tone_side_of(finished.cloud),
        "original_tone": tone_side_of(original.cloud),
        "pairing": pairing_view(original.palette, easel.aimed.target.palette),
        "drift": finished.drift,
        "drift_before": original.drift,
        "slope": plan.steepest_slope,
        "dots": chart_palette(finished.palette),
        "cloud": chart_cloud(finished.cloud),
        "hue_marks": HUE_MARKS,
    }


def _addresses(context: Context, easel: Easel) -> dict[str, str]:
    bench = context.studio.bench
    found = {}
    for show in Show:
        plan = shown_plan(bench, easel.facts, easel.index, easel.aimed, show)
        key = bench.remember(plan) if plan else ""
        found[show.value] = picture_address(easel.slug, easel.frame.id, key, _EDGE)
    return found


def _proofs(context: Context, easel: Easel) -> list[Any]:
    bench = context.studio.bench
    tiles = []
    for index in choose_proofs(bench, easel.facts):
        frame = easel.facts[index]
        plan = bench.plan(easel.facts, index, easel.aimed)
        item = WallItem(frame, plan, bench.summary(frame, plan, easel.aimed), bench.summary(frame, None, easel.aimed))
        tiles.append(tile_of(bench, easel.slug, item, easel.labels[frame.id], index + 1, 320))
    return tiles


@router.get("/shape")
def show(
    context: Means,
    slug: str,
    frame: Annotated[uuid.UUID | None, Query()] = None,
    reference: Annotated[uuid.UUID | None, Query()] = None,
) -> HTMLResponse:
    with context.session() as session:
        series = find_series(session, slug)
        values: dict[str, Any] = {"series": series, "slug": slug, "stages": stages_of(session, series)}
        easel = _easel(session, slug, frame, reference)
        values |= _sheet_values(session, slug)
        references = [Choice(str(r.id), r.name) for r in sampling.ready_references(session, series.id)]
    if easel is None:
        return context.page("shape_empty.html", "shape", **values, has_frames=bool(values["stages"][0].done))
    count = len(easel.facts)
    values |= _instruments(context, easel)
    return context.page(
        "shape.html",
        "shape",
        **values,
        frame_id=str(easel.frame.id),
        frame_name=easel.labels[easel.frame.id].name,
        hero=easel.labels[easel.frame.id].hero,
        frame_width=easel.frame.width,
        frame_height=easel.frame.height,
        before_id=str(easel.facts[(easel.index - 1) % count].id),
        next_id=str(easel.facts[(easel.index + 1) % count].id),
        position=easel.index + 1,
        count=count,
        references=references,
        chosen=easel.reference,
        addresses=_addresses(context, easel),
        proofs=_proofs(context, easel),
        target_bands=values["pairing"].target,
    )


def _sheet_values(session: Session, slug: str) -> dict[str, Any]:
    series = find_series(session, slug)
    row = look_of(session, series)
    past = steps(session, f"look:{row.id}")
    return {
        "look": row.draft,
        "revision": row.revision,
        "kept_words": [
            Kept(family_name(hold), hexes(np.array([hold.family.colour], np.float32))[0])
            for hold in Look.model_validate(row.draft).kept
        ],
        "values": LOOK_VALUES,
        "undo_words": undo_words(past),
        "redo_words": redo_words(past),
        "past": past,
        "state": looks.carry_state(session, series, 0),
    }


@router.post("/shape/draft")
def draft(context: Means, slug: str, data: Annotated[dict[str, Any], Body()]) -> JSONResponse:
    """Pictures and instruments of a look that has not been kept yet; `proofs` asks for the proof frames, too."""
    look = looks.parse_change(data.get("look"))
    with context.session() as session:
        easel = _easel(session, slug, _id(data.get("frame")), _id(data.get("reference")))
    if easel is None:
        return JSONResponse({"message": "There is no frame to show yet."}, 409)
    easel = Easel(
        slug, easel.facts, easel.index, Aimed(look, easel.aimed.target, easel.aimed.key), easel.labels, easel.reference
    )
    answer: dict[str, Any] = {"pictures": _addresses(context, easel)}
    if data.get("parts", True):
        part = context.part("parts/instruments.html", **_instruments(context, easel))
        answer["instruments"] = bytes(part.body).decode()
    if data.get("proofs"):
        answer["proofs"] = bytes(
            context.part("parts/proofs.html", proofs=_proofs(context, easel), slug=slug).body
        ).decode()
    return JSONResponse(answer)


def _id(value: object) -> uuid.UUID | None:
    try:
        return uuid.UUID(str(value))
    except ValueError:
        return None


@router.post("/shape/pick")
def pick(context: Means, slug: str, data: Annotated[dict[str, Any], Body()]) -> JSONResponse:
    """Colour of the evened frame at a place given in shares of the picture."""
    with context.session() as session:
        easel = _easel(session, slug, _id(data.get("frame")), None)
    if easel is None:
        raise InvalidChangeError("There is no frame to pick from.")
    colour = context.studio.bench.evened_colour_at(easel.frame, easel.aimed.look, data.get("place"))
    return JSONResponse({"colour": colour})


@router.put("/look")
def keep(context: Means, slug: str, data: Annotated[dict[str, Any], Body()]) -> JSONResponse:
    look = looks.parse_change(data.get("look"))
    with context.session() as session:
        looks.change_look(session, find_series(session, slug), look, int(data.get("revision", 0)))
        session.flush()
        return _kept(context, session, slug)


def _kept(context: Context, session: Session, slug: str, sheet: bool = False) -> JSONResponse:
    values = _sheet_values(session, slug)
    answer = {"revision": values["revision"], "look": values["look"]}
    answer["history"] = bytes(context.part("parts/history.html", **values).body).decode()
    if sheet:
        answer["sheet"] = bytes(context.part("parts/sheet.html", **values).body).decode()
    return JSONResponse(answer)


@router.get("/look")
def current(context: Means, slug: str) -> JSONResponse:
    with context.session() as session:
        return _kept(context, session, slug, sheet=True)


@router.post("/look/undo")
def undo(context: Means, slug: str) -> JSONResponse:
    with context.session() as session:
        looks.walk_look(session, find_series(session, slug), forward=False)
        session.flush()
        return _kept(context, session, slug, sheet=True)


@router.post("/look/redo")
def redo(context: Means, slug: str) -> JSONResponse:
    with context.session() as session:
        looks.walk_look(session, find_series(session, slug), forward=True)
        session.flush()
        return _kept(context, session, slug, sheet=True)


@router.get("/look.json")
def download(context: Means, slug: str) -> Response:
    with context.session() as session:
        text = looks.look_text(session, find_series(session, slug))
    return Response(
        text, media_type="application/json", headers={"content-disposition": f'attachment; filename="{slug}-look.json"'}
    )


@router.post("/look.json")
def bring_in(context: Means, slug: str, file: UploadFile) -> JSONResponse:
    look = looks.read_look_file(file.file.read(1_000_001))
    with context.session() as session:
        series = find_series(session, slug)
        looks.change_look(session, series, look, look_of(session, series).revision, "Look brought in from a file")
        session.flush()
        return _kept(context, session, slug, sheet=True)
