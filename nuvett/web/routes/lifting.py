"""From a frame's trim into the look or the lookbook, by parts with reasons."""

import uuid

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, JSONResponse

from nuvett.core.errors import ConflictError
from nuvett.core.look.look import Look
from nuvett.services.lookbook import book, kept_looks
from nuvett.services.looks import lifting
from nuvett.services.series import subjects
from nuvett.services.series.catalogue import find_frame, find_series, look_of
from nuvett.web.bodies import Lift
from nuvett.web.context import Means
from nuvett.web.heavy import heavy

router = APIRouter(prefix="/series/{slug}/frames/{frame_id}")


@router.get("/trim/into-look")
@heavy
def offer(context: Means, slug: str, frame_id: uuid.UUID) -> HTMLResponse:
    """Parts of a frame's trim, with what would become of each in the look."""
    return context.part("parts/lift.html", offered=lifting.offered(context.studio, slug, frame_id))


@router.post("/trim/into-look")
def into_look(context: Means, slug: str, frame_id: uuid.UUID, asked: Lift) -> JSONResponse:
    """Move parts of a frame's trim into the draft of the look, or keep them as a look under a name."""
    with context.session() as session:
        series = find_series(session, slug)
        frame = find_frame(session, series, frame_id)
        if frame.trim_revision != asked.revision:
            raise ConflictError("This frame was trimmed in another window. Reload to see that newer state.")
        if asked.name:
            row = kept_looks.keep_from_trim(
                session, series, frame, book.parse_labels({"name": asked.name}), asked.parts
            )
            return JSONResponse({"words": f"Kept as {row.name} in the lookbook; the trim stays as it is."}, 201)
        words = lifting.lift(session, series, frame, asked.parts)
        look = Look.model_validate(look_of(session, series).draft)
        subjects.queue_subjects(session, context.studio, series, look)
    return JSONResponse({"words": words})
