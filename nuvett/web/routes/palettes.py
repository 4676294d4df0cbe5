"""Palettes: of a reading, and saved ones; written in open formats, read from them."""

import uuid
from typing import Annotated
from urllib.parse import quote

from fastapi import APIRouter, Form, UploadFile
from fastapi.responses import HTMLResponse, JSONResponse, Response

from nuvett.core.errors import NotFoundError
from nuvett.core.reading.palette import Palette
from nuvett.core.reading.swatches import FORMATS, SUFFIXES, SavedPalette, write_palette
from nuvett.services.lookbook import uses
from nuvett.services.references import kept_references, palettes
from nuvett.services.series.catalogue import find_reference, find_series
from nuvett.web.context import Context, Means
from nuvett.web.views.instruments import palette_bands

router = APIRouter()
_LARGEST = 1_000_001


def _file(palette: Palette, name: str, kind: str) -> Response:
    if kind not in FORMATS:
        raise NotFoundError
    plain = "".join(c if c.isalnum() or c in " -_" else "-" for c in name).strip() or "palette"
    headers = {"content-disposition": f"attachment; filename*=UTF-8''{quote(plain)}{SUFFIXES[kind]}"}
    return Response(write_palette(palette, name, kind), media_type=FORMATS[kind], headers=headers)


@router.get("/series/{slug}/references/{reference_id}/palette.{kind}")
def of_reading(context: Means, slug: str, reference_id: uuid.UUID, kind: str) -> Response:
    with context.session() as session:
        row = find_reference(session, find_series(session, slug), reference_id)
        return _file(kept_references.reading_of(row).palette, row.name, kind)


def _list(context: Context, gone: SavedPalette | None = None) -> HTMLResponse:
    with context.session() as session:
        saved = [(str(row.id), palettes.palette_of(row)) for row in palettes.saved_palettes(session)]
    back = (gone.name, write_palette(gone.colours, gone.name, "tokens")) if gone else None
    items = [(key, found.name, palette_bands(found.colours)) for key, found in saved]
    return context.part("parts/palettes.html", items=items, formats=SUFFIXES, gone=back)


@router.get("/palettes")
def show(context: Means) -> HTMLResponse:
    return _list(context)


@router.get("/palettes/{palette_id}.{kind}")
def saved(context: Means, palette_id: uuid.UUID, kind: str) -> Response:
    with context.session() as session:
        found = palettes.palette_of(palettes.find_palette_row(session, palette_id))
    return _file(found.colours, found.name, kind)


@router.post("/series/{slug}/references/{reference_id}/palette/save")
def save(context: Means, slug: str, reference_id: uuid.UUID, name: Annotated[str, Form()]) -> HTMLResponse:
    with context.session() as session:
        row = find_reference(session, find_series(session, slug), reference_id)
        palettes.save_palette(session, name, kept_references.reading_of(row).palette)
    return _list(context)


@router.post("/palettes/file")
def bring_in(context: Means, file: UploadFile) -> Response:
    with context.session() as session:
        row = palettes.bring_in_palette(session, file.file.read(_LARGEST), file.filename or "palette")
        return JSONResponse({"id": str(row.id), "name": row.name}, 201)


@router.post("/palettes/{palette_id}/name")
def rename(context: Means, palette_id: uuid.UUID, name: Annotated[str, Form()]) -> HTMLResponse:
    with context.session() as session:
        palettes.rename_palette(session, palette_id, name)
    return _list(context)


@router.post("/palettes/{palette_id}/group")
def group(context: Means, palette_id: uuid.UUID, group: Annotated[str, Form()] = "") -> JSONResponse:
    with context.session() as session:
        palettes.group_palette(session, palette_id, group)
    return JSONResponse({"words": f"Put into {group.strip()}." if group.strip() else "In no group now."})


@router.post("/palettes/{palette_id}/use/{where}")
def use(context: Means, palette_id: uuid.UUID, where: str, series: Annotated[str, Form()]) -> JSONResponse:
    """Lay a palette into the draft of a series: as its wash, or as the colours it aims at."""
    with context.session() as session:
        found, row = palettes.palette_of(palettes.find_palette_row(session, palette_id)), find_series(session, series)
        if where == "wash":
            uses.lay_palette_as_wash(session, row, found)
        elif where == "aim":
            uses.aim_at_palette(session, row, found)
        else:
            raise NotFoundError
        words = "is its wash" if where == "wash" else "is what it aims at"
        return JSONResponse({"words": f"{found.name} {words} on {row.title}. Undo on Shape takes it back."})


@router.post("/palettes/{palette_id}/remove")
def remove(context: Means, palette_id: uuid.UUID) -> HTMLResponse:
    with context.session() as session:
        gone = palettes.palette_of(palettes.find_palette_row(session, palette_id))
        palettes.delete_palette(session, palette_id)
    return _list(context, gone)
