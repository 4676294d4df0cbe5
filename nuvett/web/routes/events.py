"""Progress as it happens: server-sent events of what a screen shows."""

from typing import Annotated, Literal

from fastapi import APIRouter, Query
from fastapi.responses import StreamingResponse

from nuvett.services.series.catalogue import find_series
from nuvett.web.context import Means
from nuvett.web.streaming import told_while_it_moves

router = APIRouter(prefix="/series/{slug}")
Part = Literal["gather", "read", "handover"]
_HEADERS = {"cache-control": "no-store", "x-accel-buffering": "no"}


@router.get("/events")
def events(context: Means, slug: str, part: Annotated[Part, Query()]) -> StreamingResponse:
    """How far work on a part of a series is, whenever that changed; `rest` once it is over."""
    with context.session() as session:
        find_series(session, slug)
    told = told_while_it_moves(context.studio, slug, part)
    return StreamingResponse(told, media_type="text/event-stream", headers=_HEADERS)
