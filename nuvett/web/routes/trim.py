"""Trim: one frame's own departure from the look."""

import uuid
from typing import Annotated, Any

from fastapi import APIRouter, Query
from fastapi.responses import HTMLResponse, JSONResponse
from sqlalchemy.orm import Session

from nuvett.core.look.look import Trim
from nuvett.core.look.words import TRIM_VALUES
from nuvett.services import looks
from nuvett.services.catalogue import find_frame, find_series
from nuvett.services.facts import Aimed, Facts
from nuvett.services.history import redo_words, steps, undo_words
from nuvett.services.stages import stages_of
from nuvett.web.bodies import TrimChange, TrimDraft
from nuvett.web.context import Context, Means
from nuvett.web.heavy import heavy
from nuvett.web.instruments import palette_bands
from nuvett.web.tiles import picture_address

router = APIRouter(prefix="/series/{slug}")
_EDGE = 1280


def _aims(session: Session, series: Any) -> dict[uuid.UUID, Aimed]:
    """What each frame is shown under: the version it follows."""
    return {frame: following.aimed for frame, following in looks.versions_followed(session, series).items()}


def _shown(
    context: Context, slug: str, facts: Facts, aims: dict[uuid.UUID, Aimed], index: int, edge: int
) -> dict[str, Any]:
    """Picture and drift of one frame under what it follows."""
    bench = context.studio.bench
    frame, aimed = facts[index], aims.get(facts[index].id)
    plan = bench.plan(facts, index, aimed) if aimed else bench.trim_only(frame)
    plain = bench.plan(facts.with_trim(index, Trim()), index, aimed) if aimed else None
    drift = bench.summary(frame, plan, aimed).drift if aimed else None
    return {
        "id": str(frame.id),
        "src": picture_address(slug, frame.id, bench.remember(plan), edge),
        "plain": picture_address(slug, frame.id, bench.remember(plain) if plain else "", edge),
        "drift": drift,
    }


def _trim_values(session: Session, frame: Any) -> dict[str, Any]:
    past = steps(session, f"trim:{frame.id}")
    return {
        "trim": (Trim.model_validate(frame.trim) if frame.trim else Trim()).model_dump(),
        "trim_revision": frame.trim_revision,
        "values": TRIM_VALUES,
        "undo_words": undo_words(past),
        "redo_words": redo_words(past),
        "past": past,
    }


@router.get("/trim")
@heavy
def show(context: Means, slug: str, frame: Annotated[uuid.UUID | None, Query()] = None) -> HTMLResponse:
    with context.session() as session:
        series = find_series(session, slug)
        stages = stages_of(session, series)
        facts, aims = looks.series_facts(session, series), _aims(session, series)
        if not facts:
            return context.page("trim_empty.html", "trim", series=series, slug=slug, stages=stages)
        wanted = frame or series.hero_id
        index = next((i for i, f in enumerate(facts) if f.id == wanted), 0)
        names = {f.id: f.name for f in series.frames}
        row = find_frame(session, series, facts[index].id)
        values = _trim_values(session, row)
    count = len(facts)
    others = [(index - 1) % count, (index + 1) % count]
    aimed = aims.get(facts[index].id)
    trimmed = [(i, f) for i, f in enumerate(facts) if not f.trim.is_none]
    return context.page(
        "trim.html",
        "trim",
        series=series,
        slug=slug,
        stages=stages,
        frame_name=names[facts[index].id],
        shown=_shown(context, slug, facts, aims, index, _EDGE),
        neighbours=[{**_shown(context, slug, facts, aims, i, 400), "name": names[facts[i].id]} for i in others],
        position=index + 1,
        count=count,
        target_bands=palette_bands(aimed.target.palette) if aimed else [],
        follows=bool(aimed),
        trimmed=[{"id": str(f.id), "name": names[f.id]} for _, f in trimmed],
        **values,
    )


@router.post("/frames/{frame_id}/trim/draft")
@heavy
def draft(context: Means, slug: str, frame_id: uuid.UUID, asked: TrimDraft) -> JSONResponse:
    trim = looks.parse_trim(asked.trim)
    with context.session() as session:
        series = find_series(session, slug)
        find_frame(session, series, frame_id)
        facts, aims = looks.series_facts(session, series), _aims(session, series)
    index = next(i for i, f in enumerate(facts) if f.id == frame_id)
    shown = _shown(context, slug, facts.with_trim(index, trim), aims, index, _EDGE)
    drift = shown["drift"]
    return JSONResponse(
        {"src": shown["src"], "drift": f"{drift.value:.1f}" if drift else "", "words": drift.words if drift else ""}
    )


@router.put("/frames/{frame_id}/trim")
def keep(context: Means, slug: str, frame_id: uuid.UUID, change: TrimChange) -> JSONResponse:
    trim = looks.parse_trim(change.trim)
    with context.session() as session:
        series = find_series(session, slug)
        frame = find_frame(session, series, frame_id)
        looks.set_trim(session, series, frame, trim, change.revision)
        session.flush()
        return _kept(context, session, frame)


def _kept(context: Context, session: Session, frame: Any, sheet: bool = False) -> JSONResponse:
    values = _trim_values(session, frame)
    answer = {
        "trim": values["trim"],
        "revision": frame.trim_revision,
        "history": bytes(context.part("parts/history.html", **values).body).decode(),
    }
    if sheet:
        answer["sheet"] = bytes(context.part("parts/trim_sheet.html", **values).body).decode()
    return JSONResponse(answer)


@router.post("/frames/{frame_id}/trim/undo")
def undo(context: Means, slug: str, frame_id: uuid.UUID) -> JSONResponse:
    return _walk(context, slug, frame_id, forward=False)


@router.post("/frames/{frame_id}/trim/redo")
def redo(context: Means, slug: str, frame_id: uuid.UUID) -> JSONResponse:
    return _walk(context, slug, frame_id, forward=True)


def _walk(context: Context, slug: str, frame_id: uuid.UUID, forward: bool) -> JSONResponse:
    with context.session() as session:
        frame = find_frame(session, find_series(session, slug), frame_id)
        looks.walk_trim(session, frame, forward)
        session.flush()
        return _kept(context, session, frame, sheet=True)
