"""Looks worked out from pairs of before and after, and read from finished series."""

import uuid
from typing import Annotated, Literal

from fastapi import APIRouter, Form, Query, UploadFile
from fastapi.responses import HTMLResponse, JSONResponse, Response

from nuvett.core.errors import InvalidChangeError, NotFoundError
from nuvett.services.lookbook import book_list, finished
from nuvett.services.lookbook.pair_looks import MAX_PAIRS, PairFiles, work_out
from nuvett.web.context import FOREVER, Context, Means
from nuvett.web.heavy import heavy

router = APIRouter(prefix="/lookbook")
What = Literal["before", "after", "veil"]


@router.get("/work/out")
def show(context: Means, series: Annotated[str, Query()] = "") -> HTMLResponse:
    """Where pairs and finished pictures are brought in."""
    return context.page("work_out.html", "working", most=MAX_PAIRS, slug=series)


def _read(context: Context, file: UploadFile) -> tuple[str, bytes]:
    return file.filename or "picture", file.file.read(context.studio.settings.upload_bytes + 1)


@router.post("/pairs")
@heavy
def pairs(context: Means, before: list[UploadFile], after: list[UploadFile]) -> JSONResponse:
    """Work a look out from as many pictures before as after, in the same order."""
    if len(before) != len(after):
        raise InvalidChangeError("Each picture needs its other half: give as many before as after.")
    given = [PairFiles(_read(context, b), _read(context, a)) for b, a in zip(before, after, strict=True)]
    return JSONResponse({"id": str(work_out(context.studio, given))}, 201)


@router.get("/{look_id}/pairs/{pair_id}/{what}")
def pair_picture(context: Means, look_id: uuid.UUID, pair_id: uuid.UUID, what: What) -> Response:
    with context.session() as session:
        row = next((pair for pair in book_list.pairs_of(session, look_id) if pair.id == pair_id), None)
        if row is None:
            raise NotFoundError
        blob = {"before": row.before, "after": row.after, "veil": row.veil}[what]
    kind = "image/png" if what == "veil" else "image/jpeg"
    return Response(context.studio.blobs.read(blob), media_type=kind, headers=FOREVER)


@router.post("/finished")
def start_finished(context: Means, name: Annotated[str, Form()] = "A finished series") -> JSONResponse:
    """Begin a look that finished pictures are added to."""
    with context.session() as session:
        return JSONResponse({"id": str(finished.start_finished(session, name).id)}, 201)


@router.post("/{look_id}/finished")
@heavy
def add_finished(context: Means, look_id: uuid.UUID, file: UploadFile) -> JSONResponse:
    name, data = _read(context, file)
    finished.add_finished(context.studio, look_id, name, data)
    return JSONResponse({}, 201)


@router.post("/{look_id}/finished/read")
@heavy
def read_finished(context: Means, look_id: uuid.UUID) -> JSONResponse:
    """Read all pictures that were added as one target."""
    return JSONResponse({"pictures": finished.read_finished(context.studio, look_id)})


@router.get("/{look_id}/finished/{picture_id}.jpg")
@heavy
def finished_picture(context: Means, look_id: uuid.UUID, picture_id: uuid.UUID) -> Response:
    with context.session() as session:
        rows = book_list.finished_of(session, look_id)
        row = next((one for one in rows if one.id == picture_id), None)
        if row is None:
            raise NotFoundError
        view, domain = row.view, row.domain
    data = context.studio.bench.pictures.of_view(view, domain, 320)
    return Response(data, media_type="image/jpeg", headers=FOREVER)
