"""Making deliveries in the background: plans first, then one job a file, then the papers that tell of them."""

import tempfile
import uuid
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from nuvett.core.drawing.drawing import Stages, compile_stages
from nuvett.core.errors import DiskFullError, FileError, NuvettError, StoppingError
from nuvett.core.output.sharpening import sharpened
from nuvett.core.plan.documents import read_plan, with_tables
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.spaces.rgb import Space
from nuvett.imaging.encode import FORMATS, encode, encode_within
from nuvett.imaging.facts import Credits, write_facts
from nuvett.services.carrying import followings
from nuvett.services.catalogue import keep_blobs, sweep
from nuvett.services.deliveries import PICTURE, settings_of
from nuvett.services.delivery_settings import DeliverySettings, Output
from nuvett.services.facts import FrameFacts
from nuvett.services.folders import check_folder, put_into
from nuvett.services.frame_facts import facts_of, series_facts
from nuvett.services.kept_settings import credits_of
from nuvett.services.papers.making import make_papers
from nuvett.services.queue import DELIVER_FILE, FINISH_DELIVERY
from nuvett.services.rendering import THREADS, LookedAt, render_file
from nuvett.services.studio import Studio
from nuvett.store import models
from nuvett.store.models import Json

_FAULT = "Making the files went wrong, which is a fault of Nuvett. What was made is kept; it can go on."
_FILE_FAULT = "Making it went wrong, which is a fault of Nuvett. It can be tried again."
_GONE = "The frame was taken out of the series, or its file is missing."


def prepare_delivery(studio: Studio, delivery_id: uuid.UUID) -> None:
    """Plan the files of a delivery that are not made yet, and hand each of them to whichever worker is free."""
    with studio.database.session() as session:
        delivery = session.get(models.Delivery, delivery_id)
        if delivery is None or delivery.state in ("done", "stopped"):
            return
        delivery.state, delivery.problem, delivery.started = "running", "", datetime.now(UTC)
    _plan_files(studio, delivery_id)
    with studio.database.session() as session:
        for file in session.scalars(_waiting(delivery_id).order_by(models.DeliveryFile.position)):
            studio.queue.defer(session, DELIVER_FILE, once=f"file-{file}", file_id=str(file))
        _finish_if_last(session, studio, delivery_id)


def _waiting(delivery_id: uuid.UUID) -> Any:
    return select(models.DeliveryFile.id).where(
        models.DeliveryFile.delivery_id == delivery_id,
        models.DeliveryFile.kind == PICTURE,
        models.DeliveryFile.state == "waiting",
    )


def _plan_files(studio: Studio, delivery_id: uuid.UUID) -> None:
    """Plan the files of a delivery that are not planned yet, all of them by one state of the series."""
    with studio.database.session() as session:
        delivery = session.get_one(models.Delivery, delivery_id)
        facts = series_facts(session, session.get_one(models.Series, delivery.series_id))
        due: dict[uuid.UUID, uuid.UUID] = {
            file.frame_id: file.version_id
            for file in delivery.files
            if file.state == "waiting" and not file.plan and file.frame_id and file.version_id
        }
        known = followings(session, set(due.values()))
    planned: dict[uuid.UUID, Json] = {}
    bench = studio.bench
    for index, frame in enumerate(facts):
        if frame.id in due:
            aimed = known[due[frame.id]].aimed
            # On a screen a table that is gone is left out and said; a finished file without it would be wrong.
            gone = bench.tables.missing(aimed.look) or bench.tables.missing(frame.trim)
            planned[frame.id] = (
                {"state": "failed", "problem": f"The lookup table {gone} is not kept here; bring it in again."}
                if gone
                else {"plan": bench.planner.plan(facts, index, aimed).model_dump(mode="json")}
            )
    with studio.database.session() as session:
        for frame_id, values in planned.items():
            of_frame = update(models.DeliveryFile).where(
                models.DeliveryFile.delivery_id == delivery_id,
                models.DeliveryFile.frame_id == frame_id,
                models.DeliveryFile.state == "waiting",
            )
            session.execute(of_frame.values(**values))


def make_file(studio: Studio, file_id: uuid.UUID) -> None:
    """Make one picture of a delivery, if that is still wanted; can be run again.

    Raises StoppingError, DiskFullError.
    """
    if studio.stopping.is_set():
        raise StoppingError
    with studio.database.session() as session:
        file = session.get(models.DeliveryFile, file_id)
        delivery = session.get(models.Delivery, file.delivery_id) if file else None
        if file is None or delivery is None or delivery.state != "running" or file.state != "waiting":
            return
        frame = session.get(models.Frame, file.frame_id) if file.frame_id else None
        if frame is None or not file.plan:
            _ended(session, studio, file, state="failed", problem=_GONE)
            return
        series = session.get_one(models.Series, delivery.series_id)
        facts, plan, settings = facts_of(frame), read_plan(file.plan), settings_of(delivery)
        credits, number, name = credits_of(series), file.output, file.name
    output = settings.outputs[number]
    with tempfile.TemporaryDirectory() as folder:
        made = Path(folder) / f"made{FORMATS[output.format].suffix}"
        try:
            plan = with_tables(plan, studio.bench.tables.find)
            _write_picture(studio, facts, plan, (settings, output, credits), made)
            if settings.folder:
                put_into(check_folder(studio, settings.folder), name, made)
        except DiskFullError:
            raise
        except (NuvettError, OSError) as error:
            message = error.message if isinstance(error, NuvettError) else "The original could not be read."
            with studio.database.session() as session:
                found = session.get(models.DeliveryFile, file_id)
                if found is not None:
                    _ended(session, studio, found, state="failed", problem=message)
            return
        _keep(studio, file_id, made)


def _keep(studio: Studio, file_id: uuid.UUID, made: Path) -> None:
    with studio.database.session() as session:
        keep_blobs(session)
        blob, size = studio.blobs.put_file(made)
        file = session.get(models.DeliveryFile, file_id, with_for_update=True)
        if file is not None:
            _ended(session, studio, file, state="done", problem="", blob=blob, bytes=size)
    if file is None:  # the delivery was removed meanwhile
        with studio.database.session() as session:
            sweep(session, studio.blobs, {blob})


def _ended(session: Session, studio: Studio, file: models.DeliveryFile, **values: object) -> None:
    for name, value in values.items():
        setattr(file, name, value)
    file.finished = datetime.now(UTC)
    session.flush()
    _finish_if_last(session, studio, file.delivery_id)


def _finish_if_last(session: Session, studio: Studio, delivery_id: uuid.UUID) -> None:
    # One after the other, so that of two files that end together one sees the other.
    delivery = session.get(models.Delivery, delivery_id, with_for_update=True)
    if delivery is None or delivery.state != "running":
        return
    delivery.problem = ""  # what it waited for is over
    if session.scalar(_waiting(delivery_id).limit(1)) is None:
        studio.queue.defer(session, FINISH_DELIVERY, once=f"finish-{delivery_id}", delivery_id=str(delivery_id))


def _write_picture(
    studio: Studio,
    frame: FrameFacts,
    plan: FramePlan,
    how: tuple[DeliverySettings, Output, Credits],
    target: Path,
) -> None:
    settings, output, credits = how

    def stages(domain: Space) -> Stages:
        return compile_stages(plan, domain, output.space, threads=THREADS)

    bench = studio.bench
    seen = LookedAt(lambda: bench.sources.view(frame.view), lambda: bench.areas.weights(frame, plan))
    edge = output.resize.edge(plan.placed((frame.width, frame.height)).size)
    with studio.blobs.local(frame.pixels) as path:
        made = render_file(path, studio.limits, stages, FORMATS[output.format].depth, edge, seen)
    pixels = sharpened(made.pixels, output.sharpen)
    dpi = output.resize.dpi if output.resize.by == "print" else made.dpi

    size = made.size

    def with_facts() -> int:
        with studio.blobs.local(frame.original) as original:
            write_facts(target, original, settings.facts, size, output.space, credits)
        return target.stat().st_size

    if output.most_kilobytes is None or not FORMATS[output.format].has_quality:
        target.write_bytes(encode(pixels, output.format, output.quality, output.space, dpi))
        del made, pixels  # which is a lot of memory while facts are written
        with_facts()
        return
    most = output.most_kilobytes * 1000
    data = encode_within(pixels, output.format, most, output.quality, output.space, dpi)
    target.write_bytes(data)
    beside = with_facts() - len(data)
    if beside + len(data) > most:
        data = encode_within(pixels, output.format, most - beside, output.quality, output.space, dpi)
        target.write_bytes(data)
        if with_facts() > most:
            raise FileError(f"It does not fit into {output.most_kilobytes} kB: allow more, or fewer pixels.")


def finish_delivery(studio: Studio, delivery_id: uuid.UUID) -> None:
    """Make the papers of a delivery whose pictures are all made or failed; it is over then."""
    with studio.database.session() as session:
        delivery = session.get(models.Delivery, delivery_id)
        if delivery is None or delivery.state != "running" or session.scalar(_waiting(delivery_id).limit(1)):
            return
    make_papers(studio, delivery_id)
    with studio.database.session() as session:
        running = update(models.Delivery).where(models.Delivery.id == delivery_id, models.Delivery.state == "running")
        session.execute(running.values(state="done", finished=datetime.now(UTC)))


def give_up(studio: Studio, delivery_id: uuid.UUID) -> None:
    """Stop a delivery that failed in a way nobody foresaw: what was made stays, and a person may let it go on."""
    with studio.database.session() as session:
        running = update(models.Delivery).where(models.Delivery.id == delivery_id, models.Delivery.state == "running")
        session.execute(running.values(state="stopped", problem=_FAULT, finished=datetime.now(UTC)))


def give_up_file(studio: Studio, file_id: uuid.UUID) -> None:
    """Leave out one file that failed in a way nobody foresaw; the others are made all the same."""
    with studio.database.session() as session:
        file = session.get(models.DeliveryFile, file_id)
        if file is not None and file.state == "waiting":
            _ended(session, studio, file, state="failed", problem=_FILE_FAULT)
