"""Files as they arrive: names, refusals, and the views that are kept of them."""

import re
import uuid
from pathlib import PurePosixPath

from sqlalchemy import update

from nuvett.services.studio import Studio
from nuvett.store import models

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
