"""Pictures of frames and references. A plan in the address names what is done to them, so answers never change."""

import uuid
from typing import Annotated

from fastapi import APIRouter, Query
from fastapi.responses import Response

from nuvett.core.errors import NotFoundError
from nuvett.services.catalogue import find_frame, find_reference, find_series
from nuvett.services.facts import FrameFacts
from nuvett.services.looks import facts_of
from nuvett.services.veils import Veil, veil_of
from nuvett.services.workbench import box_of
from nuvett.web.context import FOREVER, Context, Means
from nuvett.web.heavy import heavy

router = APIRouter(prefix="/series/{slug}")
Edge = Annotated[int, Query(ge=16, le=1600)]


def frame_facts(context: Context, slug: str, frame_id: uuid.UUID) -> FrameFacts:
    """Facts of a measured frame. Raises NotFoundError for one that is not measured."""
    with context.session() as session:
        frame = find_frame(session, find_series(session, slug), frame_id)
        if frame.state != "ready":
            raise NotFoundError
        return facts_of(frame)


@router.get("/frames/{frame_id}/picture.jpg")
@heavy
def frame_picture(
    context: Means, slug: str, frame_id: uuid.UUID, edge: Edge = 480, plan: str = "", quick: bool = False
) -> Response:
    bench = context.studio.bench
    frame = frame_facts(context, slug, frame_id)
    known = bench.recall(plan) if plan else None
    if plan and known is None:
        raise NotFoundError("This rendering is no longer kept; reload the page.")
    return Response(bench.preview(frame, known, edge, quick), media_type="image/jpeg", headers=FOREVER)


@router.get("/frames/{frame_id}/crop.png")
@heavy
def frame_crop(
    context: Means, slug: str, frame_id: uuid.UUID, place: Annotated[str, Query()], plan: str = ""
) -> Response:
    """Part of a frame at full size, `x,y,width,height` in pixels: what a delivery has there."""
    bench = context.studio.bench
    frame = frame_facts(context, slug, frame_id)
    known = bench.recall(plan) if plan else None
    if plan and known is None:
        raise NotFoundError("This rendering is no longer kept; reload the page.")
    return Response(bench.crop(frame, known, box_of(place)), media_type="image/png", headers=FOREVER)


@router.get("/frames/{frame_id}/veil.png")
@heavy
def frame_veil(
    context: Means, slug: str, frame_id: uuid.UUID, edge: Edge = 1280, plan: str = "", what: Veil = "clipping"
) -> Response:
    """Where a frame's picture clips, breaks up or shows a face, to be laid over it."""
    bench = context.studio.bench
    frame = frame_facts(context, slug, frame_id)
    known = bench.recall(plan) if plan else None
    if plan and known is None:
        raise NotFoundError("This rendering is no longer kept; reload the page.")
    return Response(veil_of(bench, frame, known, edge, what), media_type="image/png", headers=FOREVER)


@router.get("/references/{reference_id}/crop.png")
@heavy
def reference_crop(context: Means, slug: str, reference_id: uuid.UUID, place: Annotated[str, Query()]) -> Response:
    """Part of a reference at full size, `x,y,width,height` in pixels."""
    with context.session() as session:
        row = find_reference(session, find_series(session, slug), reference_id)
        original, domain = row.original, row.domain
    data = context.studio.bench.reference_crop(original, domain, box_of(place))
    return Response(data, media_type="image/png", headers=FOREVER)


@router.get("/references/{reference_id}/picture.jpg")
@heavy
def reference_picture(context: Means, slug: str, reference_id: uuid.UUID, edge: Edge = 480) -> Response:
    with context.session() as session:
        row = find_reference(session, find_series(session, slug), reference_id)
        if row.view is None:
            raise NotFoundError
        view, domain = row.view, row.domain
    return Response(context.studio.bench.picture_of_view(view, domain, edge), media_type="image/jpeg", headers=FOREVER)
