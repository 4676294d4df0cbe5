"""Pictures of frames and references. A plan in the address names what is done to them, so answers never change."""

import uuid
from typing import Annotated

from fastapi import APIRouter, Query
from fastapi.responses import HTMLResponse, JSONResponse, Response
from pydantic import BaseModel, Field

from nuvett.core.errors import NotFoundError
from nuvett.services.engine.facts import FrameFacts
from nuvett.services.engine.overlays import At, Marks, veil_of
from nuvett.services.engine.pictures import box_of
from nuvett.services.engine.readouts import read_out
from nuvett.services.references import kept_references
from nuvett.services.references.targets import latest_palette
from nuvett.services.series import gathering, things
from nuvett.services.series.catalogue import find_frame, find_reference, find_series, frame_at
from nuvett.services.series.frame_facts import facts_of
from nuvett.services.series.variants import SHOWN
from nuvett.web.context import FOREVER, Context, Means
from nuvett.web.heavy import heavy, heavy_in_turn
from nuvett.web.views.comparing import comparing
from nuvett.web.views.easel import easel_for_wall
from nuvett.web.views.instruments import readout_view
from nuvett.web.views.viewing import viewing

router = APIRouter(prefix="/series/{slug}")
Edge = Annotated[int, Query(ge=16, le=1600)]
Share = Annotated[float, Query(ge=0, le=1)]
_NOTHING = b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 3 2"><rect width="3" height="2" fill="#999"/></svg>'


def _facts(context: Context, slug: str, frame_id: uuid.UUID) -> FrameFacts:
    """Facts of a measured frame. Raises NotFoundError for one that is not measured."""
    with context.reading() as session:
        frame = frame_at(session, slug, frame_id)
        if frame.state not in SHOWN:
            raise NotFoundError
        return facts_of(frame)


@router.get("/frames/{frame_id}/picture.jpg")
@heavy
def frame_picture(
    context: Means, slug: str, frame_id: uuid.UUID, edge: Edge = 480, plan: str = "", quick: bool = False
) -> Response:
    bench = context.studio.bench
    data = bench.pictures.preview(_facts(context, slug, frame_id), bench.plans.find(plan), edge, quick)
    return Response(data, media_type="image/jpeg", headers=FOREVER)


@router.get("/frames/{frame_id}/glimpse.jpg")
@heavy_in_turn
def frame_glimpse(context: Means, slug: str, frame_id: uuid.UUID) -> Response:
    """A frame that waits to be measured, small; a grey field where that is not quickly to be had."""
    with context.reading() as session:
        frame = frame_at(session, slug, frame_id)
    data = gathering.glimpse_of(context.studio, frame)
    return Response(data or _NOTHING, media_type="image/jpeg" if data else "image/svg+xml", headers=FOREVER)


@router.get("/frames/{frame_id}/crop.png")
@heavy
def frame_crop(
    context: Means, slug: str, frame_id: uuid.UUID, place: Annotated[str, Query()], plan: str = ""
) -> Response:
    """Part of a frame at full size, `x,y,width,height` in pixels: what a delivery has there."""
    bench = context.studio.bench
    data = bench.pictures.crop(_facts(context, slug, frame_id), bench.plans.find(plan), box_of(place))
    return Response(data, media_type="image/png", headers=FOREVER)


def _marks(context: Context, slug: str, frame_id: uuid.UUID) -> Marks:
    with context.reading() as session:
        series_id = frame_at(session, slug, frame_id).series_id
    places = things.shared_places(context.studio, series_id, frame_id)
    return tuple((float(x), float(y)) for x, y in places)


class OverlayQuery(BaseModel):
    """Where a frame's picture clips, breaks up or shows a face, a colour or part of a step.

    colour : OKLab; part : a group or layer of the plan and the number of what is looked for in it, as "look.0:2"
    place : the part of it at full size that is shown, as `frame_crop` takes it, empty for all of it at `edge`
    """

    edge: Edge = 1280
    plan: str = ""
    what: str = "clipping"
    colour: Annotated[str, Field(pattern=r"^(-?\d\.\d{1,4}(,-?\d\.\d{1,4}){2})?$")] = ""
    part: Annotated[str, Field(pattern=r"^((look|trim)(\.\d{1,3})?:\d{1,3})?$")] = ""
    place: str = ""


@router.get("/frames/{frame_id}/veil.png")
@heavy
def frame_veil(context: Means, slug: str, frame_id: uuid.UUID, asked: Annotated[OverlayQuery, Query()]) -> Response:
    """What is asked for, to be laid over a frame's picture."""
    bench = context.studio.bench
    lab = tuple(float(v) for v in asked.colour.split(",")) if asked.colour else None
    looked_for = (lab[0], lab[1], lab[2]) if lab else None
    marks = _marks(context, slug, frame_id) if asked.what == "shared" else ()
    name, _, number = asked.part.partition(":")
    at = At(looked_for, marks, name, int(number or 0))
    box = box_of(asked.place) if asked.place else None
    frame, plan = _facts(context, slug, frame_id), bench.plans.find(asked.plan)
    data = veil_of(bench, frame, plan, asked.edge, asked.what, at, box)
    return Response(data, media_type="image/png", headers=FOREVER)


@router.get("/frames/{frame_id}/colour")
@heavy
def frame_colour(context: Means, slug: str, frame_id: uuid.UUID, x: Share, y: Share, plan: str = "") -> JSONResponse:
    """The colour at a place of a frame, in shares of it: as it came, under a plan, and what of the target is near."""
    bench = context.studio.bench
    frame = _facts(context, slug, frame_id)
    with context.reading() as session:
        target = latest_palette(session, find_series(session, slug).id)
    return JSONResponse(readout_view(read_out(bench, frame, bench.plans.find(plan), target, (x, y))))


@router.get("/frames/{frame_id}/large")
@heavy
def frame_large(
    context: Means,
    slug: str,
    frame_id: uuid.UUID,
    reference: Annotated[uuid.UUID | None, Query()] = None,
    left: str = "",
    right: str = "",
    state: Annotated[str, Query(max_length=20)] = "",
) -> HTMLResponse:
    """The viewer with a frame under the draft of the look, or as it came where there is none yet.

    left, right : kept looks that are compared on it instead; state : of the wall that it is seen on
    """
    if left:
        return context.part("parts/large.html", slug=slug, view=comparing(context, slug, frame_id, left, right))
    with context.reading() as session:
        series = find_series(session, slug)
        find_frame(session, series, frame_id)
        easel, called = easel_for_wall(session, slug, frame_id, reference, state)
        rows = kept_references.ready_references(session, series.id, readings=False)
    if easel is None or easel.frame.id != frame_id:
        raise NotFoundError
    return context.part("parts/large.html", slug=slug, view=viewing(context, easel, rows, [], True, called))


@router.get("/references/{reference_id}/crop.png")
@heavy
def reference_crop(context: Means, slug: str, reference_id: uuid.UUID, place: Annotated[str, Query()]) -> Response:
    """Part of a reference at full size, `x,y,width,height` in pixels."""
    with context.reading() as session:
        row = find_reference(session, find_series(session, slug), reference_id)
        original, domain = row.original, row.domain
    data = context.studio.bench.pictures.reference_crop(original, domain, box_of(place))
    return Response(data, media_type="image/png", headers=FOREVER)


@router.get("/references/{reference_id}/picture.jpg")
@heavy
def reference_picture(context: Means, slug: str, reference_id: uuid.UUID, edge: Edge = 480) -> Response:
    with context.reading() as session:
        row = find_reference(session, find_series(session, slug), reference_id)
        if row.view is None:
            raise NotFoundError
        view, domain = row.view, row.domain
    data = context.studio.bench.pictures.of_view(view, domain, edge)
    return Response(data, media_type="image/jpeg", headers=FOREVER)
