"""Threads: things that are followed through a series, pointed at in its frames."""

import uuid
from typing import Annotated

from fastapi import APIRouter, Query
from fastapi.responses import HTMLResponse, JSONResponse

from nuvett.core.errors import InvalidChangeError
from nuvett.core.thread.colours import Goal
from nuvett.core.thread.given import parse_given
from nuvett.services.engine.facts import FrameFacts
from nuvett.services.series.catalogue import find_frame, find_series
from nuvett.services.series.frame_facts import facts_of
from nuvett.services.series.stages import stages_of
from nuvett.services.threads import threads
from nuvett.services.threads.following import get_ready
from nuvett.services.threads.outlines import called, grow
from nuvett.services.threads.questions import answer
from nuvett.web.bodies import AnswerOfThread, PlaceOfThread, ThreadChange
from nuvett.web.context import Context, Means
from nuvett.web.heavy import heavy
from nuvett.web.views.threads import ThreadsQuery, board_of

router = APIRouter(prefix="/series/{slug}/threads")
Asked = Annotated[ThreadsQuery, Query()]


@router.get("")
@heavy
def show(context: Means, slug: str, shown: Asked) -> HTMLResponse:
    values = board_of(context, slug, shown)
    with context.session() as session:
        series = find_series(session, slug)
        stages = stages_of(session, series)
        get_ready(session, context.studio, series.id)
    return context.page("threads.html", "threads", series=series, stages=stages, **values)


@router.get("/board")
@heavy
def board(context: Means, slug: str, shown: Asked) -> HTMLResponse:
    return context.part("parts/threads.html", **board_of(context, slug, shown))


@router.get("/tiles")
@heavy
def tiles(context: Means, slug: str, shown: Asked) -> HTMLResponse:
    """Frames of the board from a place on, as they are looked for."""
    return context.part("parts/thread_tiles.html", **board_of(context, slug, shown) | {"paged": True})


def _facts(context: Context, slug: str, frame_id: uuid.UUID) -> FrameFacts:
    """Raises NotFoundError, InvalidChangeError for a frame that is not measured."""
    with context.session() as session:
        row = find_frame(session, find_series(session, slug), frame_id)
        if row.state != "ready":
            raise InvalidChangeError("This frame has not been measured yet.")
        return facts_of(row)


@router.post("/frames/{frame_id}")
@heavy
def point(context: Means, slug: str, frame_id: uuid.UUID, asked: PlaceOfThread) -> JSONResponse:
    """Grow a thing from places in a frame, and keep it as a place of a thread, or of a new one."""
    frame = _facts(context, slug, frame_id)
    pointed, strokes = threads.parse_pointed(asked.pointed), threads.parse_strokes(asked.strokes)
    grown = grow(context.studio.bench, frame, pointed, asked.choice, strokes)
    with context.session() as session:
        series = find_series(session, slug)
        thread = asked.thread or threads.start_thread(session, series, asked.name or called(grown)).id
        threads.keep_place(session, context.studio, series, (thread, frame_id), grown)
    return JSONResponse({"thread": str(thread)})


@router.delete("/{thread_id}/frames/{frame_id}")
def leave_out(context: Means, slug: str, thread_id: uuid.UUID, frame_id: uuid.UUID) -> JSONResponse:
    """A thread is not seen in a frame."""
    with context.session() as session:
        threads.keep_place(session, context.studio, find_series(session, slug), (thread_id, frame_id), None)
    return JSONResponse({"thread": str(thread_id)})


@router.post("/{thread_id}/frames/{frame_id}/answer")
@heavy
def answered(
    context: Means, slug: str, thread_id: uuid.UUID, frame_id: uuid.UUID, asked: AnswerOfThread
) -> JSONResponse:
    """Answer whether a thread is seen in a frame."""
    answer(context.studio, slug, (thread_id, frame_id), asked.answer)
    return JSONResponse({"thread": str(thread_id)})


@router.put("/{thread_id}")
def change(context: Means, slug: str, thread_id: uuid.UUID, asked: ThreadChange) -> JSONResponse:
    goal = None
    if asked.goal is not None:
        given = parse_given(asked.given) if asked.goal == "given" else None
        goal = Goal(kind=asked.goal, colour=given)
    with context.session() as session:
        series = find_series(session, slug)
        if asked.hold is not None:
            threads.hold_thread(session, series, thread_id, asked.within if asked.hold else None)
        if asked.hold is None or asked.name is not None or goal is not None:
            threads.change_thread(session, series, thread_id, asked.name, goal)
    return JSONResponse({"thread": str(thread_id)})


@router.delete("/{thread_id}")
def drop(context: Means, slug: str, thread_id: uuid.UUID) -> JSONResponse:
    with context.session() as session:
        threads.drop_thread(session, context.studio, find_series(session, slug), thread_id)
    return JSONResponse({"thread": ""})


@router.post("/{way}")
def walk(context: Means, slug: str, way: str) -> JSONResponse:
    """Undo or redo a change of threads."""
    if way not in ("undo", "redo"):
        raise InvalidChangeError("There is no such step.")
    with context.session() as session:
        words = threads.walk_threads(session, context.studio, find_series(session, slug), way == "redo")
    return JSONResponse({"words": words})
