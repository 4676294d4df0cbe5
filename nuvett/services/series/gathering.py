"""Frames of a series: arriving, being measured, taken out and put back."""

import tempfile
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC
from io import BytesIO
from pathlib import Path
from typing import IO

from sqlalchemy import func, or_, select
from sqlalchemy.orm import Session

from nuvett.core.errors import DuplicateFileError, InvalidChangeError, TooManyError
from nuvett.imaging.decoders.by_vips import DEVELOPED
from nuvett.imaging.encode import write_developed
from nuvett.imaging.glimpse import glimpse
from nuvett.imaging.opened import Picture
from nuvett.imaging.views import encoded_view
from nuvett.services.engine.arrays import dump_features, dump_sample
from nuvett.services.files.measuring import MeasuredFile, measure_file
from nuvett.services.platform.blobs import blobs_of, keeping, sweep
from nuvett.services.platform.checkup import queue_anew
from nuvett.services.platform.incoming import display_name, examine, refuse
from nuvett.services.platform.queue import INGEST_FRAME
from nuvett.services.platform.studio import Studio
from nuvett.services.series.catalogue import lock_series
from nuvett.services.series.companions import chosen_development, join_companion
from nuvett.services.series.lenses import work_out_lens
from nuvett.services.series.lighting import let_light_be_evened, queue_even, tidy_setups
from nuvett.services.series.variants import VARIANT
from nuvett.store import models

_GLIMPSE_EDGE = 240


def add_frame(
    session: Session, studio: Studio, series: models.SeriesRow, file_name: str, stream: IO[bytes]
) -> models.FrameRow:
    """Keep a photo's file and queue its measuring; the frame that had lost this file gets it back.

    Raises TooManyError when the series is full, DuplicateFileError for a file that is in it already.
    """
    keep = keeping(session, studio)
    blob, size = keep.put(stream)
    # Only now, so that a long file holds up no other; of two equal ones that come together one sees the other.
    lock_series(session, series.id)
    own = select(func.count()).where(models.FrameRow.series_id == series.id, models.FrameRow.variant_of_id.is_(None))
    count = session.scalar(own) or 0
    if count >= studio.settings.series_frames:
        raise TooManyError
    twin = session.scalars(
        select(models.FrameRow)
        .where(
            models.FrameRow.series_id == series.id,
            or_(models.FrameRow.original == blob, models.FrameRow.companion == blob),
            models.FrameRow.variant_of_id.is_(None),
        )
        .limit(1)
    ).first()
    if twin is not None and twin.lost and twin.original == blob:
        queue_anew(session, studio, twin)  # what it had lost is there again
        return twin
    if twin is not None:
        raise DuplicateFileError(_same_file(twin))
    frame = models.FrameRow(
        series_id=series.id, position=count + 1, name=display_name(file_name), original=blob, bytes=size
    )
    session.add(frame)
    session.flush()
    studio.queue.defer(session, INGEST_FRAME, frame_id=str(frame.id))
    return frame


def _same_file(twin: models.FrameRow) -> str:
    aside = {"removed": " It was taken out and can be put back.", "refused": f" {twin.problem}"}.get(twin.state, "")
    return f"The same file is in this series already, as {twin.name}; it was not added again.{aside}"


def give_up_frame(studio: Studio, frame_id: uuid.UUID) -> None:
    """Refuse a frame that could not be measured for no foreseen reason, so that its series does not wait for it."""
    refuse(studio, models.FrameRow, frame_id)
    with studio.database.session() as session:
        queue_even(session, studio, series_of(session, frame_id))


def glimpse_of(studio: Studio, frame: models.FrameRow) -> bytes | None:
    """A first small picture of a frame, JPEG, before it is measured; none where there is no quick way to one."""
    with studio.blobs.local(frame.original) as path:
        return glimpse(path, studio.limits, _GLIMPSE_EDGE)


def series_of(session: Session, frame_id: uuid.UUID) -> uuid.UUID | None:
    """The series of a frame; none for a frame that is gone."""
    return session.scalar(select(models.FrameRow.series_id).where(models.FrameRow.id == frame_id))


def ingest_frame(studio: Studio, frame_id: uuid.UUID) -> None:
    """Measure a waiting frame and make its view; refuse it with a sentence when that cannot be done. Idempotent."""

    def work(row: models.FrameRow, path: Path) -> MeasuredFile:
        development = chosen_development(row)
        if row.companion is None:
            return measure_file(path, studio.limits, development)
        with studio.blobs.local(row.companion) as beside:
            return measure_file(path, studio.limits, development, beside)

    measured = examine(studio, models.FrameRow, frame_id, work)
    if measured is None:
        return
    picture = measured.picture
    encoded = encoded_view(picture)
    with _developed(picture) as developed, studio.database.session() as session:
        frame = session.get(models.FrameRow, frame_id)
        if frame is None or not lock_series(session, frame.series_id):
            return
        session.refresh(frame, with_for_update=True)
        before = blobs_of(frame)
        keep = keeping(session, studio)
        frame.developed = keep.put_file(developed)[0] if developed else None
        frame.view, _ = keep.put(BytesIO(encoded))
        frame.sample, _ = keep.put(dump_sample(measured.sample))
        frame.points, _ = keep.put(dump_features(measured.features))
        frame.exposure = measured.facts.exposure
        frame.shot, frame.note = measured.facts.model_dump(mode="json"), picture.header.note
        frame.faces = {"seen": [face.model_dump() for face in measured.faces_seen]} if measured.faces else None
        frame.format, frame.bits = picture.header.format, picture.header.bits
        frame.width, frame.height = picture.header.width, picture.header.height
        frame.domain = picture.header.domain.value
        # Cameras write local time without a zone; only differences and order matter, so it is kept as if UTC.
        frame.taken = measured.facts.taken.replace(tzinfo=UTC) if measured.facts.taken else None
        frame.state, frame.problem = "ready", ""
        work_out_lens(frame)
        session.flush()
        unused = join_companion(session, studio, frame)
        if unused:  # once more after this, but a worker killed in between finds no frame to ask it for
            let_light_be_evened(session, studio, frame.series_id)
        before |= unused
    sweep(studio, before)


@contextmanager
def _developed(picture: Picture) -> Iterator[Path | None]:
    """The file to keep of a raw picture; none for any other."""
    if not picture.header.raw:
        yield None
        return
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "developed.tif"
        write_developed(picture.pixels, path, DEVELOPED)
        yield path


def remove_frame(session: Session, studio: Studio, series: models.SeriesRow, frame: models.FrameRow) -> set[str]:
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
        names = blobs_of(frame)
        session.delete(frame)
    session.flush()
    tidy_setups(session, studio, series)
    return names


def put_frame_back(session: Session, studio: Studio, series: models.SeriesRow, frame: models.FrameRow) -> None:
    """Put a frame back that was taken out. Raises InvalidChangeError for any other."""
    if frame.state != "removed":
        raise InvalidChangeError("Only a frame that was taken out can be put back.")
    frame.state = VARIANT if frame.variant_of_id else "ready"
    session.flush()
    tidy_setups(session, studio, series)


def add_file(session: Session, studio: Studio, series: models.SeriesRow, path: Path) -> models.FrameRow:
    """Add a photo from a local file, under its own name."""
    with path.open("rb") as stream:
        return add_frame(session, studio, series, path.name, stream)
