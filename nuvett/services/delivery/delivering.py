"""Making deliveries in the background: plans first, then one job a file, then the papers that tell of them."""

import tempfile
import uuid
from collections.abc import Collection, Iterator
from datetime import UTC, datetime
from pathlib import Path

from sqlalchemy import Select, select, update
from sqlalchemy.orm import Session

from nuvett.core.errors import DiskFullError, NuvettError, StoreAbsentError
from nuvett.core.plan.documents import read_plan, with_tables
from nuvett.imaging.encode import FORMATS
from nuvett.services.delivery.delivery_settings import PICTURE, settings_of
from nuvett.services.delivery.kept_settings import credits_of
from nuvett.services.delivery.papers.making import make_papers
from nuvett.services.delivery.placing import place_file
from nuvett.services.looks.carrying import followings
from nuvett.services.platform.blobs import keeping, sweep
from nuvett.services.platform.finished_files import bytes_of_frame, write_frame
from nuvett.services.platform.folders import PlacedFile
from nuvett.services.platform.queue import ANY, DELIVER_FILE, FINISH_DELIVERY, FOLDERS
from nuvett.services.platform.studio import Studio
from nuvett.services.series.frame_facts import facts_of, series_facts
from nuvett.store import models
from nuvett.store.models import Json

_PLANNED_AT_ONCE = 24  # frames, after which their files can be made
_FAULT = "Nuvett could not go on making these files (internal error). What was made is kept; resume it."
_FILE_FAULT = "Nuvett could not make this file (internal error). Retry it."
_GONE = "The frame was taken out of the series, or its file is missing."


def prepare_delivery(studio: Studio, delivery_id: uuid.UUID) -> None:
    """Plan the files of a delivery that are not made yet, and hand each of them to whichever worker is free.

    The first of them are made while others are planned, all by one state of the series.
    """
    with studio.database.session() as session:
        delivery = session.get(models.DeliveryRow, delivery_id)
        if delivery is None or delivery.state in ("done", "stopped"):
            return
        delivery.state, delivery.problem, delivery.started = "running", "", datetime.now(UTC)
        _hand_out(session, studio, delivery_id)  # what was planned before a stop
    for planned in _planned(studio, delivery_id):
        with studio.database.session() as session:
            for frame_id, values in planned.items():
                of_frame = update(models.DeliveryFileRow).where(
                    models.DeliveryFileRow.delivery_id == delivery_id,
                    models.DeliveryFileRow.frame_id == frame_id,
                    models.DeliveryFileRow.state == "waiting",
                )
                session.execute(of_frame.values(**values))
            _hand_out(session, studio, delivery_id, planned)
    with studio.database.session() as session:
        _hand_out(session, studio, delivery_id, unplanned=True)
        _finish_if_last(session, studio, delivery_id)


def _waiting(delivery_id: uuid.UUID) -> Select[uuid.UUID]:
    return select(models.DeliveryFileRow.id).where(
        models.DeliveryFileRow.delivery_id == delivery_id,
        models.DeliveryFileRow.kind == PICTURE,
        models.DeliveryFileRow.state == "waiting",
    )


def _hand_out(
    session: Session,
    studio: Studio,
    delivery_id: uuid.UUID,
    frames: Collection[uuid.UUID] | None = None,
    unplanned: bool = False,
) -> None:
    """Queue files that wait and have a plan, of some frames or of all; or those that have none: their frame is gone."""
    asked = _waiting(delivery_id).order_by(models.DeliveryFileRow.position)
    has_none = models.DeliveryFileRow.plan == {}
    asked = asked.where(has_none if unplanned else ~has_none)
    if frames is not None:
        asked = asked.where(models.among(models.DeliveryFileRow.frame_id, frames))
    files = {f"file-{file}": {"file_id": str(file)} for file in session.scalars(asked)}
    studio.queue.defer_each(session, DELIVER_FILE, files, _queue(session, delivery_id))


def _queue(session: Session, delivery_id: uuid.UUID) -> str:
    """Where work on a delivery is queued: one that goes into a folder is for workers that reach it."""
    return FOLDERS if settings_of(session.get_one(models.DeliveryRow, delivery_id)).folder else ANY


def _planned(studio: Studio, delivery_id: uuid.UUID) -> Iterator[dict[uuid.UUID, Json]]:
    """What files of a delivery that are not planned yet get by their frames, a few frames at a time."""
    with studio.database.session() as session:
        delivery = session.get_one(models.DeliveryRow, delivery_id)
        facts = series_facts(session, session.get_one(models.SeriesRow, delivery.series_id))
        due: dict[uuid.UUID, uuid.UUID | None] = {
            file.frame_id: file.version_id
            for file in delivery.files
            if file.state == "waiting" and not file.plan and file.frame_id
        }
        known = followings(session, {version for version in due.values() if version})
    wanted = [(index, frame) for index, frame in enumerate(facts) if frame.id in due]
    for first in range(0, len(wanted), _PLANNED_AT_ONCE):
        planned: dict[uuid.UUID, Json] = {}
        for index, frame in wanted[first : first + _PLANNED_AT_ONCE]:
            version = due[frame.id]
            aimed = known[version].aimed if version else None
            # On a screen a table that is gone is left out and said; a finished file without it would be wrong.
            tables = studio.bench.tables
            gone = (aimed and tables.missing(aimed.look)) or tables.missing(frame.trim)
            planned[frame.id] = (
                {"state": "failed", "problem": f"The lookup table {gone} is not kept here; bring it in again."}
                if gone
                else {"plan": studio.bench.planner.finished(facts, index, aimed).model_dump(mode="json")}
            )
        yield planned


def make_file(studio: Studio, file_id: uuid.UUID) -> None:
    """Make one picture of a delivery, if that is still wanted; can be run again.

    Raises StoppingError, DiskFullError.
    """
    studio.pause()
    with studio.database.session() as session:
        file = session.get(models.DeliveryFileRow, file_id)
        delivery = session.get(models.DeliveryRow, file.delivery_id) if file else None
        if file is None or delivery is None or delivery.state != "running" or file.state != "waiting":
            return
        frame = session.get(models.FrameRow, file.frame_id) if file.frame_id else None
        if frame is None or not file.plan:
            _ended(session, studio, file, state="failed", problem=_GONE)
            return
        series = session.get_one(models.SeriesRow, delivery.series_id)
        facts, plan, settings = facts_of(frame), read_plan(file.plan), settings_of(delivery)
        credits, number = credits_of(series), file.output
    output = settings.outputs[number]
    with tempfile.TemporaryDirectory() as folder:
        made = Path(folder) / f"made{FORMATS[output.format].suffix}"
        try:
            plan = with_tables(plan, studio.bench.tables.find)
            with studio.memory.hold(bytes_of_frame(studio, facts)):
                write_frame(studio, facts, plan, settings.written(number, credits), made)
            placed = place_file(studio, settings, file, made)
        except (DiskFullError, StoreAbsentError):
            raise
        except (NuvettError, OSError) as error:
            message = error.message if isinstance(error, NuvettError) else "The original could not be read."
            with studio.database.session() as session:
                found = session.get(models.DeliveryFileRow, file_id)
                if found is not None:
                    _ended(session, studio, found, state="failed", problem=message)
            return
        _keep(studio, file_id, made, placed)


def _keep(studio: Studio, file_id: uuid.UUID, made: Path, placed: PlacedFile | None) -> None:
    with studio.database.session() as session:
        keep = keeping(session, studio)
        blob, size = keep.put_file(made)
        file = session.get(models.DeliveryFileRow, file_id, with_for_update=True)
        if file is not None:
            found = {"name": placed.name, "placed": placed.stamp} if placed else {}
            _ended(session, studio, file, state="done", problem="", blob=blob, bytes=size, **found)
    if file is None:  # the delivery was removed meanwhile
        sweep(studio, {blob})


def _ended(session: Session, studio: Studio, file: models.DeliveryFileRow, **values: object) -> None:
    for name, value in values.items():
        setattr(file, name, value)
    file.finished = datetime.now(UTC)
    session.flush()
    _finish_if_last(session, studio, file.delivery_id)


def _finish_if_last(session: Session, studio: Studio, delivery_id: uuid.UUID) -> None:
    # One after the other, so that of two files that end together one sees the other.
    delivery = session.get(models.DeliveryRow, delivery_id, with_for_update=True)
    if delivery is None or delivery.state != "running":
        return
    delivery.problem = ""  # what it waited for is over
    if session.scalar(_waiting(delivery_id).limit(1)) is None:
        once, queue = f"finish-{delivery_id}", _queue(session, delivery_id)
        studio.queue.defer(session, FINISH_DELIVERY, once=once, queue=queue, delivery_id=str(delivery_id))


def finish_delivery(studio: Studio, delivery_id: uuid.UUID) -> None:
    """Make the papers of a delivery whose pictures are all made or failed; it is over then."""
    with studio.database.session() as session:
        delivery = session.get(models.DeliveryRow, delivery_id)
        if delivery is None or delivery.state != "running" or session.scalar(_waiting(delivery_id).limit(1)):
            return
    make_papers(studio, delivery_id)
    with studio.database.session() as session:
        running = update(models.DeliveryRow).where(
            models.DeliveryRow.id == delivery_id, models.DeliveryRow.state == "running"
        )
        session.execute(running.values(state="done", finished=datetime.now(UTC)))


def give_up(studio: Studio, delivery_id: uuid.UUID) -> None:
    """Stop a delivery that failed in a way nobody foresaw: what was made stays, and a person may let it go on."""
    with studio.database.session() as session:
        running = update(models.DeliveryRow).where(
            models.DeliveryRow.id == delivery_id, models.DeliveryRow.state == "running"
        )
        session.execute(running.values(state="stopped", problem=_FAULT, finished=datetime.now(UTC)))


def give_up_file(studio: Studio, file_id: uuid.UUID) -> None:
    """Leave out one file that failed in a way nobody foresaw; the others are made all the same."""
    with studio.database.session() as session:
        file = session.get(models.DeliveryFileRow, file_id)
        if file is not None and file.state == "waiting":
            _ended(session, studio, file, state="failed", problem=_FILE_FAULT)
