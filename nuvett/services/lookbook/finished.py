"""A look from a finished series: pictures that are done already, read as one target."""

import tempfile
import uuid
from io import BytesIO
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session

from nuvett.core.book.files import Labels
from nuvett.core.book.kept import USUAL_PARTS, Kept
from nuvett.core.errors import FileError, InvalidChangeError, NuvettError, TooManyError
from nuvett.core.planning.series import pool_samples
from nuvett.core.planning.usual import usual_look
from nuvett.core.reading.palette import USUAL, find_palette
from nuvett.core.reading.reading import Target
from nuvett.core.types import OKLab
from nuvett.imaging.views import encoded_view
from nuvett.services.engine.arrays import dump_sample, load_colours
from nuvett.services.files.measuring import measure_file
from nuvett.services.lookbook import book
from nuvett.services.platform.blobs import keeping
from nuvett.services.platform.incoming import display_name
from nuvett.services.platform.studio import Studio
from nuvett.store import models

MAX_PICTURES = 500


def start_finished(session: Session, name: str) -> models.KeptLookRow:
    """Begin a look from finished pictures; it is on trial until it is kept, and aims at nothing until they are read."""
    labels = Labels(name=display_name(name)[:70] or "A finished series", came_from="Finished pictures")
    kept = Kept(look=usual_look(None), parts=USUAL_PARTS)
    return book.add_kept(session, labels, kept, "Read from finished pictures", state=book.TRIAL)


def add_finished(studio: Studio, look_id: uuid.UUID, file_name: str, data: bytes) -> None:
    """Measure one finished picture of such a look. Raises as `measure_file`, and TooManyError."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "picture"
        path.write_bytes(data)
        try:
            measured = measure_file(path, studio.limits)
        except NuvettError as error:
            raise FileError(f"{display_name(file_name)}: {error.message}") from error
    view = encoded_view(measured.picture)
    with studio.database.session() as session:
        look = book.find_kept(session, look_id)
        if look.state != book.TRIAL:
            raise InvalidChangeError("This look has been kept already.")
        session.refresh(look, with_for_update=True)
        rows = _pictures(session, look_id)
        if len(rows) >= MAX_PICTURES:
            raise TooManyError
        keep = keeping(session, studio)
        sample, _ = keep.put(dump_sample(measured.sample))
        seen, _ = keep.put(BytesIO(view))
        name = display_name(file_name)
        blobs = {"view": seen, "domain": measured.picture.domain.value, "sample": sample}
        session.add(models.FinishedRow(look_id=look_id, position=len(rows) + 1, name=name, **blobs))


def _pictures(session: Session, look_id: uuid.UUID) -> list[models.FinishedRow]:
    query = select(models.FinishedRow).where(models.FinishedRow.look_id == look_id)
    return list(session.scalars(query.order_by(models.FinishedRow.name)))


def read_finished(studio: Studio, look_id: uuid.UUID) -> int:
    """Read all finished pictures of a look as one target, every picture alike; how many they are.

    Raises InvalidChangeError without any. No transaction is open while they are read.
    """
    with studio.database.session() as session:
        found = [(row.sample, row.view, row.domain) for row in _pictures(session, look_id)]
    if not found:
        raise InvalidChangeError("None of these pictures could be read.")
    statistics = pool_samples([load_colours(studio.blobs.read(sample)) for sample, _, _ in found])
    target = Target(palette=find_palette(OKLab(statistics.cloud), USUAL), statistics=statistics)
    kept = Kept(look=usual_look(target), target=target, parts=USUAL_PARTS)
    with studio.database.session() as session:
        row = book.find_kept(session, look_id)
        book.replace_trial(session, row, kept)
        _, row.thumbnail, row.domain = found[0]
        row.came_from = f"{len(found)} finished pictures"
    return len(found)
