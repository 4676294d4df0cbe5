"""Files as they arrive: names, refusals, and the views that are kept of them."""

import re
import uuid
from collections.abc import Callable
from pathlib import Path, PurePosixPath
from typing import TypeVar

from sqlalchemy import update

from nuvett.core.errors import DiskFullError, MissingBlobError, NuvettError, StoreAbsentError
from nuvett.imaging import decode
from nuvett.imaging.opened import Limits
from nuvett.services.platform.memory import bytes_of
from nuvett.services.platform.studio import Studio
from nuvett.store import models

T = TypeVar("T")
Row = TypeVar("Row", models.FrameRow, models.ReferenceRow, models.ClipRow)
ACCEPT, ACCEPTED = decode.ACCEPT, decode.ACCEPTED
"""What a file chooser offers, and the formats that are read in words."""

_LONGEST_NAME = 120


def display_name(file_name: str) -> str:
    """A file name as shown: its last part without suffix, control characters and line breaks; never used as a path."""
    last = PurePosixPath(file_name.replace("\\", "/")).name
    plain = re.sub(r"\s+", " ", "".join(c if c.isprintable() else " " for c in last)).strip()
    stem = plain.rsplit(".", 1)[0] if "." in plain[1:] else plain
    return stem[:_LONGEST_NAME].strip() or "unnamed"


Waiting = type[models.FrameRow] | type[models.ReferenceRow] | type[models.ClipRow]

_FAULT = "Nuvett could not analyse this file (internal error). Remove it and add it again."


def refuse(studio: Studio, table: Waiting, row_id: uuid.UUID, problem: str = _FAULT, lost: bool = False) -> None:
    """Refuse a waiting file, with a sentence that says why; by default that nobody foresaw it.

    lost : its file is missing, and is looked for again
    """
    waiting = update(table).where(table.id == row_id, table.state == "waiting")
    with studio.database.session() as session:
        session.execute(waiting.values(state="refused", problem=problem, lost=lost))


def _bytes_of(table: type[Row], path: Path, limits: Limits) -> int:
    """Memory that measuring a file takes; a clip is looked through frame by frame. Raises as `read_header`."""
    return 0 if issubclass(table, models.ClipRow) else bytes_of(decode.read_header(path, limits))


def examine(studio: Studio, table: type[Row], row_id: uuid.UUID, work: Callable[[Row, Path], T]) -> T | None:
    """What is found out about a waiting file, which is refused with a sentence when that cannot be done.

    None when it was refused, and when it is gone or ready already. No session is open during `work`, which is
    given the row and its file. Raises StoreAbsentError, DiskFullError: it goes on when that is over.
    """
    with studio.database.session() as session:
        row = session.get(table, row_id)
        if row is None or row.state == "ready":
            return None
    try:
        with studio.blobs.local(row.original) as path, studio.memory.hold(_bytes_of(table, path, studio.limits)):
            return work(row, path)
    except (StoreAbsentError, DiskFullError):
        raise
    except NuvettError as error:
        refuse(studio, table, row_id, error.message, lost=isinstance(error, MissingBlobError))
        return None
