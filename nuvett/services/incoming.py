"""Files as they arrive: names, refusals, and the views that are kept of them."""

import re
import uuid
from collections.abc import Callable
from pathlib import Path, PurePosixPath
from typing import TypeVar

from sqlalchemy import update

from nuvett.core.errors import NuvettError
from nuvett.imaging import decode
from nuvett.services.studio import Studio
from nuvett.store import models

T = TypeVar("T")
Row = TypeVar("Row", models.Frame, models.Reference, models.Clip)
ACCEPT, ACCEPTED = decode.ACCEPT, decode.ACCEPTED
"""What a file chooser offers, and the formats that are read in words."""

_LONGEST_NAME = 120


def display_name(file_name: str) -> str:
    """A file name as shown: its last part without suffix, control characters and line breaks; never used as a path."""
    last = PurePosixPath(file_name.replace("\\", "/")).name
    plain = re.sub(r"\s+", " ", "".join(c if c.isprintable() else " " for c in last)).strip()
    stem = plain.rsplit(".", 1)[0] if "." in plain[1:] else plain
    return stem[:_LONGEST_NAME].strip() or "unnamed"


Waiting = type[models.Frame] | type[models.Reference] | type[models.Clip]

_FAULT = "Measuring it went wrong, which is a fault of Nuvett. Clear it here and add it again."


def refuse(studio: Studio, table: Waiting, row_id: uuid.UUID, problem: str = _FAULT) -> None:
    """Refuse a waiting file, with a sentence that says why; by default that nobody foresaw it."""
    waiting = update(table).where(table.id == row_id, table.state == "waiting")
    with studio.database.session() as session:
        session.execute(waiting.values(state="refused", problem=problem))


def examine(studio: Studio, table: type[Row], row_id: uuid.UUID, work: Callable[[Row, Path], T]) -> T | None:
    """What is found out about a waiting file, which is refused with a sentence when that cannot be done.

    None when it was refused, and when it is gone or ready already. No session is open during `work`, which is
    given the row and its file.
    """
    with studio.database.session() as session:
        row = session.get(table, row_id)
        if row is None or row.state == "ready":
            return None
    try:
        with studio.blobs.local(row.original) as path:
            return work(row, path)
    except NuvettError as error:
        refuse(studio, table, row_id, error.message)
        return None
