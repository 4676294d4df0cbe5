"""What is done with kept looks: kept, revised, named, copied, put away, used, carried, written out and brought in."""

import uuid
from typing import Annotated
from urllib.parse import quote

from fastapi import APIRouter, Form, Query, UploadFile
from fastapi.responses import JSONResponse, RedirectResponse, Response, StreamingResponse

from nuvett.core.book.kept import Use
from nuvett.core.errors import InvalidChangeError, NuvettError
from nuvett.core.table.expects import EXPECTS
from nuvett.services.delivery.tables_out import one_table, parse_table_format, tables_of_frames, what_a_table_carries
from nuvett.services.engine.facts import Aimed
from nuvett.services.lookbook import book, book_files, kept_looks, uses
from nuvett.services.lookbook.kept_looks import KeptParts
from nuvett.services.lookbook.table_import import BroughtIn, Incoming, bring_in_tables
from nuvett.services.lookbook.trials import Ground, aimed_with, ground_of
from nuvett.services.platform.blobs import sweep
from nuvett.services.series import subjects
from nuvett.services.series.catalogue import find_series, shown_frames
from nuvett.web.bodies import KeepLook, KeptLabels, ReviseLook, UseLook
from nuvett.web.context import Context, Means
from nuvett.web.heavy import heavy

router = APIRouter()
_LARGEST = 80_000_001
Size = Annotated[int, Query(ge=2, le=1000)]


def _labels(asked: KeepLook | KeptLabels) -> dict[str, object]:
    fields = ("name", "use_when", "group", "favourite", "strength")
    return {name: value for name in fields if (value := getattr(asked, name, None)) is not None}


@router.post("/series/{slug}/kept")
def keep(context: Means, slug: str, asked: KeepLook) -> JSONResponse:
    """Keep the look in hand of a series under a name."""
    labels = book.parse_labels(_labels(asked))
    with context.session() as session:
        series = find_series(session, slug)
        row = kept_looks.keep_look(session, series, labels, KeptParts(asked.parts, asked.frame))
        return JSONResponse({"id": str(row.id), "words": f"Kept as {row.name} in the lookbook."}, 201)


@router.post("/series/{slug}/kept/{look_id}")
def revise(context: Means, slug: str, look_id: uuid.UUID, asked: ReviseLook) -> JSONResponse:
    """Make the look in hand a new version of a kept one."""
    with context.session() as session:
        row = book.find_kept(session, look_id)
        chosen = KeptParts(asked.parts, asked.frame)
        number = kept_looks.revise_from(session, find_series(session, slug), row, chosen, asked.number)
        made = number > asked.number
        words = f"Kept as version {number} of {row.name}." if made else "Nothing differs; it was not kept again."
        return JSONResponse({"id": str(row.id), "words": words})


@router.post("/series/{slug}/look/aim-own")
def aim_own(context: Means, slug: str) -> Response:
    """Let the draft aim at the series' own target again."""
    with context.session() as session:
        uses.aim_at_own(session, find_series(session, slug))
    return RedirectResponse(f"/series/{slug}/shape", 303)


@router.post("/series/{slug}/look/carry-to")
def carry_to(context: Means, slug: str, series: Annotated[str, Form()]) -> Response:
    """Carry the look in hand to another series, without keeping it."""
    with context.session() as session:
        uses.carry_in_hand(session, find_series(session, slug), find_series(session, series))
    return RedirectResponse(f"/series/{series}/carry", 303)


@router.post("/lookbook/{look_id}/labels")
def relabel(context: Means, look_id: uuid.UUID, asked: KeptLabels) -> JSONResponse:
    """Change the name, note, group, favourite or strength of a look; of one on trial, keep it under them."""
    with context.session() as session:
        row = book.find_kept(session, look_id)
        trial = row.state == book.TRIAL
        (book.keep_trial if trial else book.relabel)(session, row, _labels(asked))
        said = {"words": f"Kept as {row.name} in the lookbook." if trial else f"{row.name}: changed."}
    return JSONResponse(said)


@router.post("/lookbook/{look_id}/expects/{name}")
def expects(context: Means, look_id: uuid.UUID, name: str) -> JSONResponse:
    """Let the table of a look take colours as something else."""
    with context.session() as session:
        book.expect(session, book.find_kept(session, look_id), name)
    words = f"Its lookup table expects {EXPECTS[name]} now."  # type: ignore[index]
    return JSONResponse({"words": words})


@router.post("/lookbook/{look_id}/copy")
def copy(context: Means, look_id: uuid.UUID) -> JSONResponse:
    with context.session() as session:
        made = book.copy_kept(session, book.find_kept(session, look_id))
        return JSONResponse({"id": str(made.id), "words": f"Copied as {made.name}."}, 201)


@router.post("/lookbook/{look_id}/state/{state}")
def put(context: Means, look_id: uuid.UUID, state: str) -> JSONResponse:
    """Put a look away, or back."""
    with context.session() as session:
        row = book.find_kept(session, look_id)
        book.set_state(row, state)
        words = f"{row.name} is put away." if state == book.AWAY else f"{row.name} is back in the book."
    return JSONResponse({"words": words})


@router.post("/lookbook/{look_id}/delete")
def delete(context: Means, look_id: uuid.UUID) -> JSONResponse:
    with context.session() as session:
        row = book.find_kept(session, look_id)
        words = f"{row.name} was deleted."
        names = book.delete_kept(session, row)
    sweep(context.studio, names)
    return JSONResponse({"words": words})


def _meant(context: Context, look_id: uuid.UUID, asked: UseLook) -> uses.Meant:
    parts = tuple(asked.parts) if asked.parts is not None else None
    return uses.meant(context.studio, asked.series, look_id, asked.number, Use(strength=asked.strength, parts=parts))


@router.post("/lookbook/{look_id}/use")
@heavy
def use(context: Means, look_id: uuid.UUID, asked: UseLook) -> JSONResponse:
    """Make a kept look the draft of a series, or the look of chosen frames."""
    meant = _meant(context, look_id, asked)
    with context.session() as session:
        series = find_series(session, asked.series)
        if asked.frames is None:
            words = f"{series.title} has {uses.use_here(session, series, meant)} for its draft."
        else:
            words = f"{uses.carry_kept(session, series, meant, asked.frames)}."
        subjects.queue_subjects(session, context.studio, series, meant.aimed.look)
    return JSONResponse({"words": words})


def _attachment(name: str) -> dict[str, str]:
    return {"content-disposition": f"attachment; filename*=UTF-8''{quote(name)}"}


@router.get("/lookbook/{look_id}/look.json")
@heavy
def download(context: Means, look_id: uuid.UUID, number: int | None = None) -> Response:
    with context.session() as session:
        found = book_files.look_file(session, context.studio, look_id, number)
    headers = _attachment(f"{found.labels.name}.json")
    return Response(found.model_dump_json() + "\n", media_type="application/json", headers=headers)


@router.get("/lookbook/files/book.json")
@heavy
def download_book(context: Means) -> Response:
    with context.session() as session:
        found = book_files.book_file(session, context.studio)
    return Response(found.model_dump_json() + "\n", media_type="application/json", headers=_attachment("lookbook.json"))


@router.post("/lookbook/files")
@heavy
def bring_in(context: Means, file: list[UploadFile], group: Annotated[str, Form()] = "") -> JSONResponse:
    """Bring in looks, books and lookup tables, told from their content; those that cannot be used are named."""
    books: list[Incoming] = []
    tables: list[Incoming] = []
    found = BroughtIn()
    for one in file:
        incoming = Incoming(one.filename or "file", one.file.read(_LARGEST))
        (books if incoming.data.lstrip()[:1] == b"{" else tables).append(incoming)
    for incoming in books:
        try:
            with context.session() as session:
                found.made += [row.name for row in book_files.bring_in_book(session, context.studio, incoming.data)]
        except NuvettError as error:
            found.refused.append((incoming.name, error.message))
    brought = bring_in_tables(context.studio, tables, group)
    refused = [{"name": name, "words": words} for name, words in (*found.refused, *brought.refused)]
    made = [*found.made, *brought.made]
    status = 201 if made or brought.again else 422
    return JSONResponse({"made": made, "again": brought.again, "refused": refused}, status)


def _fitted(context: Context, look_id: uuid.UUID, slug: str, number: int | None) -> tuple[str, Ground, Aimed]:
    """Name of a kept look, a series it is written out for, and the look fitted to that."""
    with context.session() as session:
        version = book.version_of(session, look_id, number)
        ground = ground_of(session, find_series(session, slug))
    if not ground.facts:
        raise InvalidChangeError("A table is fitted to a series: choose one with frames.")
    aimed = aimed_with(ground, version, Use(strength=version.strength))
    return version.name, ground, aimed


@router.get("/lookbook/{look_id}/carries")
@heavy
def carries(context: Means, look_id: uuid.UUID, series: str, each: bool = False) -> JSONResponse:
    """What a table of a look cannot carry, in sentences."""
    _, ground, aimed = _fitted(context, look_id, series, None)
    return JSONResponse(what_a_table_carries(context.studio.bench, ground.facts, aimed, each).words)


@router.get("/lookbook/{look_id}/table.{suffix}")
@heavy
def table(
    context: Means, look_id: uuid.UUID, suffix: str, series: str, size: Size = 33, number: int | None = None
) -> Response:
    fmt = parse_table_format(suffix)
    name, ground, aimed = _fitted(context, look_id, series, number)
    text = one_table(context.studio.bench, ground.facts, aimed, fmt, size, name)
    return Response(text, media_type="text/plain; charset=utf-8", headers=_attachment(f"{name}.{suffix}"))


@router.get("/lookbook/{look_id}/tables.zip")
@heavy
def frame_tables(
    context: Means, look_id: uuid.UUID, series: str, suffix: str = "cube", size: Size = 33, number: int | None = None
) -> StreamingResponse:
    """One table for each frame of a series, named like the frames."""
    fmt = parse_table_format(suffix)
    name, ground, aimed = _fitted(context, look_id, series, number)
    archive = tables_of_frames(context.studio.bench, ground.facts, _names(context, series), aimed, fmt, size)
    headers = _attachment(f"{series}, {name}, {suffix}.zip")
    return StreamingResponse(iter(archive), media_type="application/zip", headers=headers)


def _names(context: Context, slug: str) -> dict[uuid.UUID, str]:
    with context.session() as session:
        return {frame.id: frame.name for frame in shown_frames(session, find_series(session, slug).id)}
