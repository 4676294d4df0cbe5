"""Clips: looking through a film clip frame by frame, and taking stills from it."""

import uuid
from typing import Annotated

from fastapi import APIRouter, Query
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response

from nuvett.core.errors import NotFoundError
from nuvett.services.platform.blobs import sweep
from nuvett.services.references import clips, reading_history
from nuvett.services.series.catalogue import find_series
from nuvett.services.series.stages import stages_of
from nuvett.web.context import FOREVER, Means
from nuvett.web.heavy import heavy

router = APIRouter(prefix="/series/{slug}/clips")


@router.get("/state")
def state(context: Means, slug: str) -> JSONResponse:
    with context.session() as session:
        rows = clips.clips_of(session, find_series(session, slug))
        return JSONResponse({"waiting": sum(row.state == "waiting" for row in rows)})


@router.get("/{clip_id}")
def show(context: Means, slug: str, clip_id: uuid.UUID, frame: Annotated[int, Query(ge=0)] = 0) -> HTMLResponse:
    with context.session() as session:
        series = find_series(session, slug)
        clip = clips.find_clip(session, series, clip_id)
        if clip.state != "ready":
            raise NotFoundError(clip.problem or "This clip is still being read; come back in a moment.")
        taken = [(str(r.id), r.name, r.state) for r in series.references if r.credit == (clip.credit or clip.name)]
        stages = stages_of(session, series)
        at = min(frame, clip.frames - 1)
        return context.page("clip.html", "clip", series=series, slug=slug, stages=stages, clip=clip, at=at, taken=taken)


@router.get("/{clip_id}/frame.jpg")
@heavy
def frame(
    context: Means,
    slug: str,
    clip_id: uuid.UUID,
    number: Annotated[int, Query(ge=0)] = 0,
    edge: Annotated[int, Query(ge=16, le=2000)] = 1280,
) -> Response:
    with context.reading() as session:
        file = clips.clip_file(clips.find_clip(session, find_series(session, slug), clip_id))
    return Response(clips.clip_frame(context.studio, file, number, edge), media_type="image/jpeg", headers=FOREVER)


@router.get("/{clip_id}/thumbnails.jpg")
def thumbnails(context: Means, slug: str, clip_id: uuid.UUID) -> Response:
    with context.reading() as session:
        clip = clips.find_clip(session, find_series(session, slug), clip_id)
        if clip.thumbnails is None:
            raise NotFoundError
        name = clip.thumbnails
    return Response(context.studio.blobs.read(name), media_type="image/jpeg", headers=FOREVER)


@router.post("/{clip_id}/still")
def still(context: Means, slug: str, clip_id: uuid.UUID, number: Annotated[int, Query()]) -> JSONResponse:
    """Take a frame as a reference."""
    with context.session() as session:
        series = find_series(session, slug)
        clip = clips.find_clip(session, series, clip_id)
        with reading_history.recorded(session, series, f"Still taken from {clip.name}"):
            row = clips.still_from_clip(session, context.studio, series, clip, number)
        return JSONResponse({"id": str(row.id), "name": row.name}, 201)


@router.post("/{clip_id}/remove")
def remove(context: Means, slug: str, clip_id: uuid.UUID) -> Response:
    with context.session() as session:
        series = find_series(session, slug)
        names = clips.remove_clip(session, clips.find_clip(session, series, clip_id))
    sweep(context.studio, names)
    return RedirectResponse(f"/series/{slug}/read", 303)
