"""Hand over: finished files, what goes along with them, and the look as a table."""

import uuid
from typing import Annotated, Any
from urllib.parse import quote

from fastapi import APIRouter, Query
from fastapi.responses import (
    HTMLResponse,
    JSONResponse,
    PlainTextResponse,
    RedirectResponse,
    Response,
    StreamingResponse,
)

from nuvett.core.errors import NotFoundError
from nuvett.core.fields import choices_of, switches_of
from nuvett.core.output.sharpening import SHARPEN_WORDS
from nuvett.core.output.sizes import BY_WORDS
from nuvett.core.spaces.rgb import DELIVERED, SPACES
from nuvett.services.delivery import deliveries, kept_settings, sampling, tables_out
from nuvett.services.delivery.delivery_choice import chosen_frames, names_of, outlying_frames, trimmed_alone
from nuvett.services.delivery.delivery_settings import (
    CLASH_WORDS,
    MAX_OUTPUTS,
    WHAT_WORDS,
    DeliverySettings,
    Output,
    Papers,
    facts_choices,
    format_choices,
    read_settings,
    settings_of,
)
from nuvett.services.delivery.file_names import FIELDS
from nuvett.services.looks.carrying import carry_state
from nuvett.services.platform.blobs import sweep
from nuvett.services.platform.folders import already_there
from nuvett.services.series.catalogue import count_ready, find_series
from nuvett.services.series.frame_facts import series_facts
from nuvett.services.series.stages import stages_of
from nuvett.web.bodies import HandOver
from nuvett.web.context import Context, Means
from nuvett.web.heavy import heavy
from nuvett.web.views.filters import plural
from nuvett.web.views.queue import queue_of

router = APIRouter(prefix="/series/{slug}")
_CHOICES: dict[str, Any] = {
    "formats": format_choices(),
    "facts": facts_choices(),
    "spaces": [(space.value, SPACES[space].title) for space in DELIVERED],
    "sizes": list(BY_WORDS.items()),
    "sharpenings": list(SHARPEN_WORDS.items()),
    "whats": list(WHAT_WORDS.items()),
    "clashes": list(CLASH_WORDS.items()),
    "sheets": choices_of(Papers)["sheet"].words,
    "papers": switches_of(Papers),
    "fields": list(FIELDS.items()),
    "most_outputs": MAX_OUTPUTS,
    "another": Output(),
}


@router.get("/handover")
def show(context: Means, slug: str, settings: uuid.UUID | None = None) -> HTMLResponse:
    with context.session() as session:
        series = find_series(session, slug)
        frames = count_ready(session, series.id)
        kept = kept_settings.kept_settings(session)
        last = kept_settings.last_settings(session, series)
        used = kept_settings.settings_by(session, settings) if settings else last
        return context.page(
            "handover.html",
            "handover",
            series=series,
            stages=stages_of(session, series),
            state=carry_state(session, series, series_facts(session, series)),
            trimmed_alone=trimmed_alone(session, series),
            frames=frames,
            settings=used,
            kept=[(str(row.id), row.name) for row in kept],
            kept_id=str(settings or ""),
            credits=kept_settings.credits_of(series),
            root=str(context.studio.settings.folders),
            **_CHOICES,
            **queue_of(context, session, slug),
        )


@router.get("/handover/queue")
def queue(context: Means, slug: str) -> HTMLResponse:
    with context.session() as session:
        return context.part("parts/queue.html", **queue_of(context, session, slug))


@router.post("/handover/names")
def names(context: Means, slug: str, asked: HandOver) -> JSONResponse:
    """First and last name, and what would clash, before anything is made."""
    settings = read_settings(asked.settings)
    with context.session() as session:
        series = find_series(session, slug)
        chosen = chosen_frames(session, series, settings, asked.frames)
        named = names_of(series, settings, chosen)
    said = [f"{plural(len(named.names), 'file')} of {plural(len(chosen), 'frame')}"]
    if not settings.outliers:
        said.append("those that stand out are left out when it is made")
    if named.equal:
        said.append(f"{plural(named.equal, 'name')} would be equal and {'get' if named.equal > 1 else 'gets'} a number")
    if settings.folder and (there := already_there(context.studio, settings.folder, named.names)):
        beside = "get a number" if settings.clash == "beside" else "are in the way: nothing there is replaced"
        said.append(f"{plural(len(there), 'file')} of these names in that folder already, which {beside}")
    ends = [named.names[0], named.names[-1]] if named.names else []
    return JSONResponse({"words": said, "ends": list(dict.fromkeys(ends))})


@router.post("/handover/sample")
@heavy
def see_one(context: Means, slug: str, asked: HandOver) -> Response:
    """One frame as it would be handed over: its first kind of file, at its size, sharpened for it."""
    data, kind = sampling.sample(context.studio, slug, read_settings(asked.settings), asked.frames)
    return Response(data, media_type=kind)


def _outlying(context: Context, slug: str, settings: DeliverySettings) -> frozenset[uuid.UUID]:
    if settings.outliers:
        return frozenset()
    with context.session() as session:
        series_id = find_series(session, slug).id
    return outlying_frames(context.studio, series_id)


@router.post("/deliveries")
@heavy
def order(context: Means, slug: str, asked: HandOver) -> JSONResponse:
    settings = read_settings(asked.settings)
    outlying = _outlying(context, slug, settings)
    only = set(asked.frames) if asked.frames is not None else None
    with context.session() as session:
        series = find_series(session, slug)
        kept_settings.fill_in_credits(series, asked.credits)
        made = deliveries.order_delivery(session, context.studio, series, settings, only, outlying)
        return JSONResponse({"id": str(made.id)}, 201)


@router.post("/handover/settings")
def keep(context: Means, slug: str, asked: HandOver) -> JSONResponse:
    settings = read_settings(asked.settings)
    with context.session() as session:
        kept_settings.fill_in_credits(find_series(session, slug), asked.credits)
        return JSONResponse({"id": str(kept_settings.keep_settings(session, asked.name, settings).id)}, 201)


@router.post("/handover/settings/{kept_id}/forget")
def forget(context: Means, slug: str, kept_id: uuid.UUID) -> Response:
    with context.session() as session:
        kept_settings.forget_settings(session, kept_id)
    return RedirectResponse(f"/series/{slug}/handover", 303)


@router.post("/deliveries/{delivery_id}/again")
@heavy
def again(context: Means, slug: str, delivery_id: uuid.UUID) -> Response:
    with context.session() as session:
        delivery = deliveries.find_delivery(session, find_series(session, slug), delivery_id)
        settings = settings_of(delivery)
    outlying = _outlying(context, slug, settings)
    with context.session() as session:
        series = find_series(session, slug)
        delivery = deliveries.find_delivery(session, series, delivery_id)
        deliveries.order_again(session, context.studio, series, delivery, outlying)
    return RedirectResponse(f"/series/{slug}/handover", 303)


@router.post("/deliveries/{delivery_id}/{action}")
def act(context: Means, slug: str, delivery_id: uuid.UUID, action: str) -> Response:
    removed: set[str] = set()
    with context.session() as session:
        delivery = deliveries.find_delivery(session, find_series(session, slug), delivery_id)
        if action == "stop":
            deliveries.stop_delivery(delivery)
        elif action == "resume":
            deliveries.resume_delivery(session, context.studio, delivery)
        elif action == "retry":
            deliveries.retry_failed(session, context.studio, delivery)
        elif action == "remove":
            removed = deliveries.remove_delivery(session, delivery)
        else:
            raise NotFoundError
    sweep(context.studio, removed)
    return RedirectResponse(f"/series/{slug}/handover", 303)


def _attachment(name: str) -> dict[str, str]:
    return {"content-disposition": f"attachment; filename*=UTF-8''{quote(name, safe='')}"}


@router.get("/deliveries/{delivery_id}/files.zip")
def archive(context: Means, slug: str, delivery_id: uuid.UUID) -> StreamingResponse:
    with context.session() as session:
        delivery = deliveries.find_delivery(session, find_series(session, slug), delivery_id)
        files = deliveries.made_files(session, delivery)
    stream = deliveries.zip_stream(context.studio, slug, files)
    return StreamingResponse(iter(stream), media_type="application/zip", headers=_attachment(f"{slug}.zip"))


@router.get("/deliveries/{delivery_id}/files")
def file_list(context: Means, slug: str, delivery_id: uuid.UUID) -> HTMLResponse:
    """The single files of a delivery, asked for when somebody opens their list."""
    with context.session() as session:
        delivery = deliveries.find_delivery(session, find_series(session, slug), delivery_id)
        files = deliveries.made_files(session, delivery)
    return context.part("parts/files.html", slug=slug, id=str(delivery_id), files=files)


@router.get("/deliveries/{delivery_id}/files/{name:path}")
def one_file(context: Means, slug: str, delivery_id: uuid.UUID, name: str) -> Response:
    with context.session() as session:
        delivery = deliveries.find_delivery(session, find_series(session, slug), delivery_id)
        made = next((file for file in deliveries.made_files(session, delivery) if file.name == name), None)
    if made is None:
        raise NotFoundError
    stream = deliveries.file_stream(context.studio, made.blob)
    headers = _attachment(name.rsplit("/", 1)[-1])
    return StreamingResponse(stream, media_type="application/octet-stream", headers=headers)


@router.get("/cdl-fit")
@heavy
def cdl_fit(context: Means, slug: str) -> PlainTextResponse:
    with context.session() as session:
        facts, aimed = tables_out.drafted(session, find_series(session, slug))
    return PlainTextResponse(tables_out.shared_cdl_words(context.studio.bench, facts, aimed))


@router.get("/look.{suffix}")
@heavy
def table(context: Means, slug: str, suffix: str, size: Annotated[int, Query(ge=17, le=65)] = 33) -> Response:
    fmt = tables_out.parse_table_format(suffix)
    with context.session() as session:
        series = find_series(session, slug)
        (facts, aimed), title = tables_out.drafted(session, series), series.title
    text = tables_out.shared_table(context.studio.bench, facts, aimed, fmt, size, title)
    return Response(text, media_type="text/plain; charset=utf-8", headers=_attachment(f"{slug}.{suffix}"))
