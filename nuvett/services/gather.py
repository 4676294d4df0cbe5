"""Gathering: frames and references arriving, being measured, taken out again."""

import re
import uuid
from collections.abc import Callable
from datetime import UTC
from io import BytesIO
from pathlib import Path, PurePosixPath
from typing import IO

import numpy as np
from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from nuvett.core.errors import DuplicateFileError, InvalidChangeError, NotFoundError, NuvettError, TooManyError
from nuvett.core.reading.reading import read
from nuvett.core.reading.regions import Sampling
from nuvett.imaging.decode import Picture
from nuvett.imaging.encode import Format, encode
from nuvett.imaging.proxy import view
from nuvett.services.arrays import dump_array, dump_features
from nuvett.services.catalogue import keep_blobs, lock_series
from nuvett.services.lighting import queue_even, tidy_setups
from nuvett.services.measuring import measure_file
from nuvett.services.queue import INGEST_FRAME, INGEST_REFERENCE
from nuvett.services.studio import Studio
from nuvett.store import models

_VIEW_QUALITY = 95
_LONGEST_NAME = 120


def display_name(file_name: str) -> str:
    """A file name as shown: its last part without suffix, control characters and line breaks; never used as a path."""
    last = PurePosixPath(file_name.replace("\\", "/")).name
    plain = re.sub(r"\s+", " ", "".join(c if c.isprintable() else " " for c in last)).strip()
    stem = plain.rsplit(".", 1)[0] if "." in plain[1:] else plain
    return stem[:_LONGEST_NAME].strip() or "unnamed"


def add_frame(
    session: Session, studio: Studio, series: models.Series, file_name: str, stream: IO[bytes]
) -> models.Frame:
    """Keep a photo's file and queue its measuring.

    Raises TooManyError when the series is full, DuplicateFileError for a file that is in it already.
    """
    count = session.scalar(select(func.count()).where(models.Frame.series_id == series.id)) or 0
    if count >= studio.settings.series_frames:
        raise TooManyError
    keep_blobs(session)
    blob, size = studio.blobs.put(stream)
    twin = session.scalars(
        select(models.Frame).where(models.Frame.series_id == series.id, models.Frame.original == blob).limit(1)
    ).first()
    if twin is not None:
        raise DuplicateFileError(_same_file(twin))
    frame = models.Frame(
        series_id=series.id, position=count + 1, name=display_name(file_name), original=blob, bytes=size
    )
    session.add(frame)
    session.flush()
    studio.queue.defer(session, INGEST_FRAME, frame_id=str(frame.id))
    return frame


def _same_file(twin: models.Frame) -> str:
    aside = {"removed": " It was taken out and can be put back.", "refused": f" {twin.problem}"}.get(twin.state, "")
    return f"The same file is in this series already, as {twin.name}; it was not added again.{aside}"


def add_reference(
    session: Session, studio: Studio, series: models.Series, file_name: str, stream: IO[bytes], credit: str = ""
) -> models.Reference:
    """Keep a reference's file and queue its reading. Raises TooManyError when there are as many as allowed."""
    of_series = models.Reference.series_id == series.id
    count = session.scalar(select(func.count()).where(of_series, models.Reference.removed.is_(False))) or 0
    if count >= studio.settings.series_references:
        raise TooManyError("The series holds as many references as this installation allows.")
    keep_blobs(session)
    blob, size = studio.blobs.put(stream)
    reference = models.Reference(
        series_id=series.id,
        position=(session.scalar(select(func.max(models.Reference.position)).where(of_series)) or 0) + 1,
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
    session: Session, studio: Studio, series: models.Series, frame_id: uuid.UUID
) -> models.Reference:
    """Use a frame of this or another series as a reference. Raises NotFoundError for one that is not measured."""
    frame = session.get(models.Frame, frame_id)
    if frame is None or frame.state != "ready":
        raise NotFoundError
    with studio.blobs.local(frame.original) as path, path.open("rb") as stream:
        return add_reference(session, studio, series, frame.name, stream)


Waiting = type[models.Frame] | type[models.Reference] | type[models.Clip]
_FAULT = "Measuring it went wrong, which is a fault of Nuvett. Clear it here and add it again."


def refuse(studio: Studio, table: Waiting, row_id: uuid.UUID, problem: str = _FAULT) -> None:
    """Refuse a waiting file, with a sentence that says why; by default that nobody foresaw it."""
    waiting = update(table).where(table.id == row_id, table.state == "waiting")
    with studio.database.session() as session:
        session.execute(waiting.values(state="refused", problem=problem))


def give_up_frame(studio: Studio, frame_id: uuid.UUID) -> None:
    """Refuse a frame that could not be measured for no foreseen reason, so that its series does not wait for it."""
    refuse(studio, models.Frame, frame_id)
    with studio.database.session() as session:
        queue_even(session, studio, frame_id)


def _encoded_view(picture: Picture) -> bytes:
    """The view that is kept of a picture: a plain JPEG in the picture's own domain."""
    return encode(view(picture.pixels, picture.domain), Format.JPEG, _VIEW_QUALITY)


def ingest_frame(studio: Studio, frame_id: uuid.UUID) -> None:
    """Measure a waiting frame and make its view; refuse it with a sentence when that cannot be done. Idempotent."""
    with studio.database.session() as session:
        frame = session.get(models.Frame, frame_id)
        if frame is None or frame.state == "ready":
            return
        original = frame.original
    try:
        with studio.blobs.local(original) as path:
            measured = measure_file(path, studio.limits)
    except NuvettError as error:
        refuse(studio, models.Frame, frame_id, error.message)
        return
    picture = measured.picture
    encoded = _encoded_view(picture)
    with studio.database.session() as session:
        frame = session.get(models.Frame, frame_id, with_for_update=True)
        if frame is None:
            return
        keep_blobs(session)
        frame.view, _ = studio.blobs.put(BytesIO(encoded))
        frame.sample, _ = studio.blobs.put(dump_array(measured.sample))
        frame.points, _ = studio.blobs.put(dump_features(measured.features))
        frame.exposure = picture.header.exposure
        frame.faces = {"seen": [face.model_dump() for face in measured.faces_seen]} if measured.faces else None
        frame.format, frame.bits = picture.header.format, picture.header.bits
        frame.width, frame.height = picture.header.width, picture.header.height
        frame.domain = picture.header.domain.value
        # Cameras write local time without a zone; only differences and order matter, so it is kept as if UTC.
        frame.taken = picture.header.taken.replace(tzinfo=UTC) if picture.header.taken else None
        frame.state, frame.problem = "ready", ""


def ingest_reference(studio: Studio, reference_id: uuid.UUID, then: Callable[[Session, uuid.UUID], None]) -> None:
    """Read a waiting reference; refuse it with a sentence when that cannot be done. Idempotent.

    then : what follows from it, in the same transaction, so that nobody sees the one without the other
    """
    with studio.database.session() as session:
        reference = session.get(models.Reference, reference_id)
        if reference is None or reference.state == "ready":
            return
        series_id, original = reference.series_id, reference.original
        sampling = Sampling.model_validate(reference.sampling)
    try:
        with studio.blobs.local(original) as path:
            measured = measure_file(path, studio.limits)
        # Rounded as it is kept, so that reading it again later gives the same.
        proxy = measured.proxy.astype(np.float16)
        reading = read(proxy.astype(np.float32), sampling)
    except NuvettError as error:
        refuse(studio, models.Reference, reference_id, error.message)
        return
    picture = measured.picture
    encoded = _encoded_view(picture)
    with studio.database.session() as session:
        lock_series(session, series_id)
        reference = session.get(models.Reference, reference_id, with_for_update=True)
        if reference is None:
            return
        keep_blobs(session)
        reference.view, _ = studio.blobs.put(BytesIO(encoded))
        reference.proxy, _ = studio.blobs.put(dump_array(proxy))
        reference.width, reference.height = picture.header.width, picture.header.height
        reference.domain = picture.header.domain.value
        reference.reading = reading.model_dump(mode="json")
        reference.state, reference.problem = "ready", ""
        session.flush()
        then(session, reference_id)


def remove_frame(session: Session, studio: Studio, series: models.Series, frame: models.Frame) -> set[str]:
    """Take a frame out of its series; names of blobs that may now be unused, for `sweep`.

    A measured frame is kept aside with all that was done to it, so that it can be put back; others are forgotten.
    """
    if series.hero_id == frame.id:
        series.hero_id = None
    session.flush()
    names: set[str] = set()
    if frame.state == "ready":
        frame.state = "removed"
    else:
        names = {name for name in (frame.original, frame.view, frame.sample, frame.points) if name}
        session.delete(frame)
    session.flush()
    tidy_setups(session, studio, series)
    return names


def put_frame_back(session: Session, studio: Studio, series: models.Series, frame: models.Frame) -> None:
    """Put a frame back that was taken out. Raises InvalidChangeError for any other."""
    if frame.state != "removed":
        raise InvalidChangeError("Only a frame that was taken out can be put back.")
    frame.state = "ready"
    session.flush()
    tidy_setups(session, studio, series)


def forget_refused(session: Session, reference: models.Reference) -> set[str]:
    """Delete a reference that could not be read; names of blobs that may now be unused, for `sweep`.

    Raises InvalidChangeError for one that was read: that is taken out by a change that can be undone.
    """
    if reference.state == "ready":
        raise InvalidChangeError("Only a reference that could not be read is deleted.")
    session.delete(reference)
    session.flush()
    return {reference.original}


def add_file(session: Session, studio: Studio, series: models.Series, path: Path) -> models.Frame:
    """Add a photo from a local file, under its own name."""
    with path.open("rb") as stream:
        return add_frame(session, studio, series, path.name, stream)
