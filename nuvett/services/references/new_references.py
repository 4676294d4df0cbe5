"""References as they arrive: kept, read, or forgotten when they cannot be."""

import uuid
from collections.abc import Callable
from io import BytesIO
from pathlib import Path
from typing import IO

import numpy as np
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError, NotFoundError, TooManyError
from nuvett.core.reading.reading import Reading, read
from nuvett.core.reading.regions import Sampling
from nuvett.core.types import Linear
from nuvett.imaging.opened import Picture
from nuvett.imaging.views import encoded_view
from nuvett.services.engine.arrays import dump_array
from nuvett.services.files.measuring import measure_file
from nuvett.services.platform.blobs import keeping
from nuvett.services.platform.incoming import display_name, examine
from nuvett.services.platform.queue import INGEST_REFERENCE
from nuvett.services.platform.studio import Studio
from nuvett.services.series.catalogue import lock_series
from nuvett.store import models


def add_reference(
    session: Session, studio: Studio, series: models.SeriesRow, file_name: str, stream: IO[bytes], credit: str = ""
) -> models.ReferenceRow:
    """Keep a reference's file and queue its reading. Raises TooManyError when there are as many as allowed."""
    of_series = models.ReferenceRow.series_id == series.id
    count = session.scalar(select(func.count()).where(of_series, models.ReferenceRow.removed.is_(False))) or 0
    if count >= studio.settings.series_references:
        raise TooManyError("The series holds as many references as this installation allows.")
    keep = keeping(session, studio)
    blob, size = keep.put(stream)
    reference = models.ReferenceRow(
        series_id=series.id,
        position=(session.scalar(select(func.max(models.ReferenceRow.position)).where(of_series)) or 0) + 1,
        name=display_name(file_name),
        credit=credit,
        original=blob,
        bytes=size,
        sampling=Sampling().model_dump(mode="json"),
    )
    session.add(reference)
    session.flush()
    studio.queue.defer(session, INGEST_REFERENCE, reference_id=str(reference.id))
    return reference


def reference_from_frame(
    session: Session, studio: Studio, series: models.SeriesRow, frame_id: uuid.UUID
) -> models.ReferenceRow:
    """Use a frame of this or another series as a reference. Raises NotFoundError for one that is not measured."""
    frame = session.get(models.FrameRow, frame_id)
    if frame is None or frame.state != "ready":
        raise NotFoundError
    with studio.blobs.local(frame.developed or frame.original) as path, path.open("rb") as stream:
        return add_reference(session, studio, series, frame.name, stream)


def ingest_reference(studio: Studio, reference_id: uuid.UUID, then: Callable[[Session, uuid.UUID], None]) -> None:
    """Read a waiting reference; refuse it with a sentence when that cannot be done. Idempotent.

    then : what follows from it, in the same transaction, so that nobody sees the one without the other
    """

    def work(waiting: models.ReferenceRow, path: Path) -> tuple[uuid.UUID, Picture, np.ndarray, Reading]:
        measured = measure_file(path, studio.limits)
        # Rounded as it is kept, so that reading it again later gives the same; what is seen ends at white.
        proxy = np.minimum(measured.proxy, 1 if measured.picture.header.raw else np.inf).astype(np.float16)
        reading = read(Linear(proxy.astype(np.float32)), Sampling.model_validate(waiting.sampling))
        return waiting.series_id, measured.picture, proxy, reading

    found = examine(studio, models.ReferenceRow, reference_id, work)
    if found is None:
        return
    series_id, picture, proxy, reading = found
    encoded = encoded_view(picture)
    with studio.database.session() as session:
        lock_series(session, series_id)
        reference = session.get(models.ReferenceRow, reference_id, with_for_update=True)
        if reference is None:
            return
        keep = keeping(session, studio)
        reference.view, _ = keep.put(BytesIO(encoded))
        reference.proxy, _ = keep.put(dump_array(proxy))
        reference.width, reference.height = picture.header.width, picture.header.height
        reference.domain = picture.header.domain.value
        reference.reading = reading.model_dump(mode="json")
        reference.state, reference.problem = "ready", ""
        session.flush()
        then(session, reference_id)


def forget_refused(session: Session, reference: models.ReferenceRow) -> set[str]:
    """Delete a reference that could not be read; names of blobs that may now be unused, for `sweep`.

    Raises InvalidChangeError for one that was read: that is taken out by a change that can be undone.
    """
    if reference.state == "ready":
        raise InvalidChangeError("Only a reference that could not be read is deleted.")
    session.delete(reference)
    session.flush()
    return {reference.original}
