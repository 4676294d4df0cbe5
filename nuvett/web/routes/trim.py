"""Trim: one frame's own departure from the look."""

import uuid
from typing import Annotated, Any

from fastapi import APIRouter, Query
from fastapi.responses import HTMLResponse, JSONResponse
from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError
from nuvett.core.geometry.proposals import taking
from nuvett.core.reading.reading import Target
from nuvett.services.looks import carrying, common_trims, trims
from nuvett.services.looks.lifting import look_areas
from nuvett.services.platform import history
from nuvett.services.platform.documents import parse_trim
from nuvett.services.platform.history import redo_words, steps, undo_words
from nuvett.services.references import kept_references
from nuvett.services.series import subjects
from nuvett.services.series.catalogue import find_frame, find_series, other_series
from nuvett.services.series.frame_facts import trim_of
from nuvett.services.series.rows import Frame, Series
from nuvett.services.series.stages import stages_of
from nuvett.web.bodies import Change, Draft, PointedPlace, ReachedName, TrimOther, Walk
from nuvett.web.context import Context, Means
from nuvett.web.heavy import heavy
from nuvett.web.views.chart import instruments
from nuvett.web.views.drafting import drafted, kept, picked, sheet_values
from nuvett.web.views.easel import Easel, addresses, easel_for_trim
from nuvett.web.views.frame_lists import Choice, choices_of
from nuvett.web.views.proofs import proof_values
from nuvett.web.views.trim_parts import part_titles, ticked
from nuvett.web.views.viewing import Beside, viewing

router = APIRouter(prefix="/series/{slug}")
_LATEST_STEPS = 12
_NAMED = 24  # trimmed frames that are listed by name
_MAX_DIGITS = 9


def _sheet_values(session: Session, frame: Frame, target: Target | None) -> dict[str, Any]:
    values = sheet_values(session, trim_of(frame), frame.trim_revision, f"trim:{frame.id}", target)
    return values | {"look_areas": look_areas(session, frame)}


@router.get("/trim")
@heavy
def show(
    context: Means,
    slug: str,
    frame: Annotated[uuid.UUID | None, Query()] = None,
    reference: Annotated[uuid.UUID | None, Query()] = None,
) -> HTMLResponse:
    with context.session() as session:
        series = find_series(session, slug)
        stages = stages_of(session, series)
        easel = easel_for_trim(session, slug, frame, reference)
        if easel is None:
            return context.page("trim_empty.html", "trim", series=series, slug=slug, stages=stages)
        row = find_frame(session, series, easel.frame.id)
        values = _sheet_values(session, row, easel.aimed.target if easel.aimed else None)
        rows = kept_references.ready_references(session, series.id, readings=False)
        state = carrying.carry_state(session, series)
        values |= {"variant": row.variant, "common": common_view(session, series), "carried": state}
        values["version"] = carrying.number_followed(session, row)
        others = other_series(session, series)
    acting = [frame for frame in easel.facts if frame.is_trimmed]
    return context.page(
        "trim.html",
        "trim",
        series=series,
        slug=slug,
        stages=stages,
        view=viewing(context, easel, rows, _states(values)),
        follows=easel.aimed is not None,
        trimmed=choices_of(acting[:_NAMED], easel.labels),
        trimmed_more=max(0, len(acting) - _NAMED),
        held=[(thread.name, thread.within) for thread in easel.facts.held_in(easel.frame.id)],
        trim_parts=part_titles(),
        others=others,
        setup=[str(f.id) for f in easel.facts if f.setup == easel.frame.setup],
        **values,
        **proof_values(context, easel),
        **instruments(context, easel, easel.frame.trim),
    )


def _states(values: dict[str, Any]) -> list[Beside]:
    """States of the trim that the frame can be shown under beside itself."""
    past = values["past"][:_LATEST_STEPS]
    found = [Choice(f"step {s.number}", s.called) for s in past]
    return [Beside("This frame trimmed", found)] if found else []


def common_view(session: Session, series: Series) -> dict[str, Any]:
    """What trims have in common, in words, and what was taken into the look before."""
    frames, found = common_trims.in_common(session, series)
    past = steps(session, f"common:{series.id}")
    said = [
        (one.name, len(one.frames), "of a set-up" if one.setup is not None else "of the series", one.words)
        for one in found[:3]
    ]
    return {"found": said if frames else [], "undo": undo_words(past), "redo": redo_words(past)}


def _easel(context: Context, slug: str, frame_id: uuid.UUID, reference: uuid.UUID | None = None) -> Easel:
    """The easel of a measured frame of a series. Raises NotFoundError, InvalidChangeError."""
    with context.session() as session:
        find_frame(session, find_series(session, slug), frame_id)
        easel = easel_for_trim(session, slug, frame_id, reference)
    if easel is None or easel.frame.id != frame_id:
        raise InvalidChangeError("This frame has not been measured yet.")
    return easel


@router.post("/frames/{frame_id}/trim/draft")
@heavy
def draft(context: Means, slug: str, frame_id: uuid.UUID, asked: Draft) -> JSONResponse:
    trim = parse_trim(asked.document)
    return drafted(context, _easel(context, slug, frame_id, asked.reference), trim, asked)


@router.post("/frames/{frame_id}/trim/pick")
@heavy
def pick(context: Means, slug: str, frame_id: uuid.UUID, asked: PointedPlace) -> JSONResponse:
    """What a colour of the frame does to its trim, picked at a place in shares of the picture."""
    trim = parse_trim(asked.document)
    return picked(context, _easel(context, slug, frame_id).with_trim(trim), trim, asked)


@router.get("/frames/{frame_id}/proposal")
@heavy
def proposal(context: Means, slug: str, frame_id: uuid.UUID) -> HTMLResponse:
    """What the picture says about how it was held."""
    easel = _easel(context, slug, frame_id)
    found = context.studio.bench.sources.proposal(easel.frame)
    return context.part("parts/proposal.html", proposal=found, take=taking(found))


@router.get("/frames/{frame_id}/trim/parts")
def parts(context: Means, slug: str, frame_id: uuid.UUID) -> JSONResponse:
    """Parts of a frame's trim that are done to other frames unasked."""
    with context.session() as session:
        return JSONResponse({"ticked": ticked(trim_of(find_frame(session, find_series(session, slug), frame_id)))})


@router.put("/frames/{frame_id}/trim")
def keep(context: Means, slug: str, frame_id: uuid.UUID, change: Change) -> JSONResponse:
    trim = parse_trim(change.document)
    with context.session() as session:
        series = find_series(session, slug)
        frame = find_frame(session, series, frame_id)
        trims.set_trim(session, series, frame, trim, change.revision)
        subjects.queue_subjects(session, context.studio, series, trim)
        session.flush()
        return _kept(context, session, frame)


@router.get("/frames/{frame_id}/trim")
def current(context: Means, slug: str, frame_id: uuid.UUID) -> JSONResponse:
    with context.session() as session:
        return _kept(context, session, find_frame(session, find_series(session, slug), frame_id))


def _kept(context: Context, session: Session, frame: Frame) -> JSONResponse:
    return kept(context, _sheet_values(session, frame, carrying.target_followed(session, frame)))


@router.post("/frames/{frame_id}/trim/undo")
def undo(context: Means, slug: str, frame_id: uuid.UUID, asked: Walk) -> JSONResponse:
    return _walk(context, slug, frame_id, asked, forward=False)


@router.post("/frames/{frame_id}/trim/redo")
def redo(context: Means, slug: str, frame_id: uuid.UUID, asked: Walk) -> JSONResponse:
    return _walk(context, slug, frame_id, asked, forward=True)


@router.post("/frames/{frame_id}/trim/step/{number}")
def travel(context: Means, slug: str, frame_id: uuid.UUID, number: int, asked: Walk) -> JSONResponse:
    with context.session() as session:
        frame = find_frame(session, find_series(session, slug), frame_id)
        trims.travel_trim(session, frame, number, asked.revision)
        session.flush()
        return _kept(context, session, frame)


@router.post("/frames/{frame_id}/trim/step/{number}/name")
def name_step(context: Means, slug: str, frame_id: uuid.UUID, number: int, asked: ReachedName) -> JSONResponse:
    """Give a state of the trim a name."""
    with context.session() as session:
        frame = find_frame(session, find_series(session, slug), frame_id)
        history.name_step(session, trims.subject_of(frame), number, asked.name)
        session.flush()
        return _kept(context, session, frame)


@router.post("/frames/{frame_id}/trim/other")
@heavy
def other(context: Means, slug: str, frame_id: uuid.UUID, asked: TrimOther) -> JSONResponse:
    """The frame under another state of its trim, to stand beside the draft: `what` is "step 3" of the history."""
    kind, _, number = asked.what.partition(" ")
    if kind != "step" or not number.isdecimal() or len(number) > _MAX_DIGITS:
        raise InvalidChangeError("There is no such state of the trim.")
    easel = _easel(context, slug, frame_id, asked.reference)
    with context.session() as session:
        frame = find_frame(session, find_series(session, slug), frame_id)
        trim = trims.trim_at_step(session, frame, int(number))
    return JSONResponse({"picture": addresses(context.studio.bench, easel.with_trim(trim))["look"]})


def _walk(context: Context, slug: str, frame_id: uuid.UUID, asked: Walk, forward: bool) -> JSONResponse:
    with context.session() as session:
        frame = find_frame(session, find_series(session, slug), frame_id)
        trims.walk_trim(session, frame, forward, asked.revision)
        session.flush()
        return _kept(context, session, frame)
