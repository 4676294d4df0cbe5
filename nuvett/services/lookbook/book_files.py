"""The lookbook as files: one look or all of it written out, and such files brought in."""

import base64
import json
import uuid
from io import BytesIO
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from nuvett.core.book.files import (
    MAX_NAME,
    BookFile,
    GroupedPalette,
    Labels,
    LookFile,
    TableFile,
    read_book,
)
from nuvett.core.errors import DocumentError, TableError
from nuvett.services.engine.tables import table_in, tables_in
from nuvett.services.lookbook import book
from nuvett.services.platform.blobs import keeping
from nuvett.services.platform.studio import Studio
from nuvett.services.references.palettes import palette_of, save_palette, saved_palettes
from nuvett.store import models

MAX_BYTES = 200_000_000


def look_file(session: Session, studio: Studio, look_id: uuid.UUID, number: int | None = None) -> LookFile:
    """A version of a kept look with all that it needs. Raises NotFoundError, MissingBlobError."""
    row, version = book.find_kept(session, look_id), book.version_of(session, look_id, number)
    tables = {
        digest: TableFile(called=called[:MAX_NAME], file=base64.b64encode(data))
        for digest, (called, data) in studio.bench.tables.files_of(version.kept).items()
    }
    return LookFile(labels=_labels_of(row), kept=version.kept, tables=tables)


def _labels_of(row: models.KeptLookRow) -> Labels:
    return Labels.model_validate({name: getattr(row, name) for name in Labels.model_fields})


def book_file(session: Session, studio: Studio) -> BookFile:
    """All kept looks and palettes. Raises MissingBlobError."""
    query = select(models.KeptLookRow.id).where(models.KeptLookRow.state == book.KEPT, models.KeptLookRow.starter == "")
    looks = [
        look_file(session, studio, look_id) for look_id in session.scalars(query.order_by(models.KeptLookRow.name))
    ]
    palettes = [GroupedPalette(palette=palette_of(row), group=row.group) for row in saved_palettes(session)]
    return BookFile(looks=tuple(looks), palettes=tuple(palettes))


def bring_in_book(session: Session, studio: Studio, data: bytes) -> list[models.KeptLookRow]:
    """Put the looks and palettes of a file into the book; names that are taken get a number.

    Raises DocumentError on damage, on newer schemas and on what is no kept look; then nothing is brought in.
    """
    found = read_book(_plain(data))
    made = []
    for one in found.looks:
        _bring_in_tables(session, studio, one)
        labels = one.labels.model_copy(update={"name": book.free_name(session, one.labels.name)})
        made.append(book.add_kept(session, labels, one.kept, "Brought in from a file"))
    for grouped in found.palettes:
        row = save_palette(session, grouped.palette.name, grouped.palette.colours)
        row.group = grouped.group
    return made


def _plain(data: bytes) -> Any:
    if len(data) > MAX_BYTES:
        raise DocumentError("This file is too large to be a lookbook. Nothing was brought in.")
    try:
        return json.loads(data.decode("utf-8-sig"))
    except (UnicodeDecodeError, json.JSONDecodeError, RecursionError) as error:
        raise DocumentError("This file is no kept look: it is damaged or of another kind.") from error


def _bring_in_tables(session: Session, studio: Studio, one: LookFile) -> None:
    if missing := set(tables_in(one.kept)) - set(one.tables):
        here = [digest for digest in missing if session.get(models.LookupTableRow, digest) is not None]
        if len(here) < len(missing):
            raise DocumentError(
                f"{one.labels.name} uses a lookup table that is not in the file. Nothing was brought in."
            )
    for digest, table in one.tables.items():
        try:
            table_in(table.file, digest)
        except TableError as error:
            raise DocumentError(f"A lookup table of {one.labels.name} cannot be used. {error.message}") from error
        keep = keeping(session, studio)
        keep.put(BytesIO(table.file))
        if session.get(models.LookupTableRow, digest) is None:
            name = table.called or one.labels.name
            session.add(models.LookupTableRow(file=digest, name=name, kind="from a look file"))
            session.flush()
