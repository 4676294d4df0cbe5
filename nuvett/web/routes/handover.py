"""Hand over: finished files and the look as a table."""

import uuid
from dataclasses import dataclass
from typing import Annotated, Any
from urllib.parse import quote

from fastapi import APIRouter, Form, Query
from fastapi.responses import HTMLResponse, PlainTextResponse, RedirectResponse, Response, StreamingResponse
from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError, NotFoundError
from nuvett.core.spaces.rgb import DELIVERED, SPACES
from nuvett.services import deliveries
from nuvett.services.carrying import carry_state
from nuvett.services.catalogue import count_ready, find_series, sweep
from nuvett.services.deliveries import DeliverySettings
from nuvett.services.stages import stages_of
from nuvett.web.bodies import DeliveryOrder
from nuvett.web.context import Context, Means
from nuvett.web.heavy import heavy

router = APIRouter(prefix="/series/{slug}")


@dataclass(frozen=True)
class DeliveryView:
    """One delivery in the queue or finished."""

    id: str
    state: str
    created: Any
    words: str
    problem: str
    total: int
    done: int
    bytes: int
    failed: list[tuple[str, str]]
    files: list[tuple[str, int]]


def _view(row: Any) -> DeliveryView:
    settings = DeliverySettings.model_validate(row.settings)
    files = list(row.files)
    size = f"{settings.size} px" if settings.size else "full size"
    return DeliveryView(
        id=str(row.id),
        state=row.state,
        created=row.created,
        words=f"{deliveries.format_title(settings.format)}, {size}, {SPACES[settings.space].title}",
        problem=row.problem if row.state == "stopped" else "",
        total=len(files),
        done=sum(f.state == "done" for f in files),
        bytes=sum(f.bytes for f in files),
        failed=[(f.name, f.problem) for f in files if f.state == "failed"],
        files=[(f.name, f.bytes) for f in files if f.state == "done"],
    )


def _queue(context: Context, session: Session, slug: str) -> dict[str, Any]:
    series = find_series(session, slug)
    rows = [_view(row) for row in deliveries.list_deliveries(session, series)]
    busy = any(row.state in ("waiting", "running") for row in rows)
    held_up = context.held_up(session, series) if busy else ""
    return {"deliveries": rows, "slug": slug, "busy": busy, "held_up": held_up}


def _page(context: Means, slug: str, problem: str = "", status: int = 200) -> HTMLResponse:
    with context.session() as session:
        series = find_series(session, slug)
        frames = count_ready(session, series.id)
        return context.page(
            "handover.html",
            "handover",
            status,
            series=series,
            stages=stages_of(session, series),
            state=carry_state(session, series, frames),
            formats=deliveries.format_choices(),
            facts=deliveries.facts_choices(),
            spaces=[(s.value, SPACES[s].title) for s in DELIVERED],
            frames=frames,
            problem=problem,
            **_queue(context, session, slug),
        )


@router.get("/handover")
def show(context: Means, slug: str) -> HTMLResponse:
    return _page(context, slug)


@router.get("/handover/queue")
def queue(context: Means, slug: str) -> HTMLResponse:
    with context.session() as session:
        return context.part("parts/queue.html", **_queue(context, session, slug))


def _chosen(text: str) -> set[uuid.UUID] | None:
    """Frames named with commas between; none for all. Raises InvalidChangeError for what is no frame."""
    try:
        return {uuid.UUID(part) for part in text.split(",")} if text.strip() else None
    except ValueError as error:
        raise InvalidChangeError("The frames to hand over are not named as they are.") from error


@router.post("/deliveries")
def order(context: Means, slug: str, asked: Annotated[DeliveryOrder, Form()]) -> Response:
    settings = deliveries.parse_settings(
        asked.format, asked.space, asked.quality, asked.size, asked.pattern, asked.facts
    )
    only = _chosen(asked.frames)
    with context.session() as session:
        deliveries.order_delivery(session, context.studio, find_series(session, slug), settings, only)
    return RedirectResponse(f"/series/{slug}/handover", 303)


@router.post("/deliveries/{delivery_id}/{action}")
def act(context: Means, slug: str, delivery_id: uuid.UUID, action: str) -> Response:
    names: set[str] = set()
    with context.session() as session:
        delivery = deliveries.find_delivery(session, find_series(session, slug), delivery_id)
        if action == "stop":
            deliveries.stop_delivery(delivery)
        elif action == "resume":
            deliveries.resume_delivery(session, context.studio, delivery)
        elif action == "remove":
            names = deliveries.remove_delivery(session, delivery)
        else:
            raise NotFoundError
    with context.session() as session:
        sweep(session, context.studio.blobs, names)
    return RedirectResponse(f"/series/{slug}/handover", 303)


def _attachment(name: str) -> dict[str, str]:
    return {"content-disposition": f"attachment; filename*=UTF-8''{quote(name)}"}


@router.get("/deliveries/{delivery_id}/files.zip")
def archive(context: Means, slug: str, delivery_id: uuid.UUID) -> StreamingResponse:
    with context.session() as session:
        delivery = deliveries.find_delivery(session, find_series(session, slug), delivery_id)
        files = deliveries.made_files(session, delivery)
    stream = deliveries.zip_stream(context.studio, slug, files)
    return StreamingResponse(iter(stream), media_type="application/zip", headers=_attachment(f"{slug}.zip"))


@router.get("/deliveries/{delivery_id}/files/{name}")
def one_file(context: Means, slug: str, delivery_id: uuid.UUID, name: str) -> Response:
    with context.session() as session:
        delivery = deliveries.find_delivery(session, find_series(session, slug), delivery_id)
        blob = dict(deliveries.made_files(session, delivery)).get(name)
    if blob is None:
        raise NotFoundError
    return Response(context.studio.blobs.read(blob), media_type="application/octet-stream", headers=_attachment(name))


@router.get("/cdl-fit")
@heavy
def cdl_fit(context: Means, slug: str) -> PlainTextResponse:
    with context.session() as session:
        words = deliveries.shared_cdl_words(context.studio.bench, session, find_series(session, slug))
    return PlainTextResponse(words)


@router.get("/look.{suffix}")
@heavy
def table(context: Means, slug: str, suffix: str, size: Annotated[int, Query(ge=17, le=65)] = 33) -> Response:
    fmt = deliveries.parse_table_format(suffix)
    with context.session() as session:
        text = deliveries.shared_table(context.studio.bench, session, find_series(session, slug), fmt, size)
    return Response(text, media_type="text/plain; charset=utf-8", headers=_attachment(f"{slug}.{suffix}"))
