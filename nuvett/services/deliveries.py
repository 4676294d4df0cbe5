"""Deliveries: batches of finished files, ordered, made in the background, stopped, downloaded."""

import os
import uuid
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime
from io import BytesIO
from typing import Literal

from pydantic import Field, ValidationError
from sqlalchemy import select, update
from sqlalchemy.orm import Session, selectinload
from zipstream import ZIP_STORED, ZipStream

from nuvett.core.drawing.drawing import Stages, compile_stages
from nuvett.core.errors import DiskFullError, InvalidChangeError, NotFoundError, NuvettError, StoppingError
from nuvett.core.plan.compile import compile_plan
from nuvett.core.plan.documents import read_plan, with_tables
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.spaces.rgb import Space
from nuvett.core.table.cdl import nearest_cdl
from nuvett.core.table.table import USUAL_SIZE
from nuvett.core.types import Document, Floats
from nuvett.imaging.encode import FORMATS, Format, encode
from nuvett.imaging.facts import KEEP_WORDS, Keep
from nuvett.imaging.tables import TableFormat, table_text
from nuvett.services.carrying import followings
from nuvett.services.catalogue import keep_blobs, shown_frames, sweep
from nuvett.services.facts import FrameFacts
from nuvett.services.file_names import file_names
from nuvett.services.frame_facts import facts_of, series_facts
from nuvett.services.looks import draft_of
from nuvett.services.queue import DELIVER
from nuvett.services.rendering import THREADS, LookedAt, render_file
from nuvett.services.studio import Studio
from nuvett.services.workbench import Workbench
from nuvett.store import models
from nuvett.store.models import Json

_FAULT = "Making the files went wrong, which is a fault of Nuvett. What was made is kept; it can go on."
_FOLLOWS = "follows"  # in place of a plan: the look version that a file is to be planned by


class DeliverySettings(Document):
    """How finished files are made.

    pattern : file name with {name}, {series}, {number} and {version}
    size : long edge in pixels, none for full size
    facts : which facts of the original the files carry
    """

    schema_version: Literal[1] = 1
    format: Format = Format.JPEG
    quality: int = Field(default=92, ge=1, le=100)
    size: int | None = Field(default=None, ge=64, le=60000)
    space: Space = Space.SRGB
    facts: Keep = Keep.ALL
    pattern: str = Field(default="{name}", min_length=1, max_length=120)


def format_choices() -> list[tuple[str, str]]:
    """Delivery formats: as settings spell them, and in words."""
    return [(fmt.value, facts.title) for fmt, facts in FORMATS.items()]


def facts_choices() -> list[tuple[str, str]]:
    """Which facts of the originals files may carry: as settings spell them, and in words."""
    return [(keep.value, words) for keep, words in KEEP_WORDS.items()]


def format_title(fmt: Format) -> str:
    """A delivery format in words."""
    return FORMATS[fmt].title


def parse_table_format(suffix: str) -> TableFormat:
    """Table format of a suffix without its dot. Raises NotFoundError for another one."""
    try:
        return TableFormat(f".{suffix}")
    except ValueError as error:
        raise NotFoundError from error


def parse_settings(
    fmt: str, space: str, quality: int, size: str, pattern: str, facts: str = Keep.ALL
) -> DeliverySettings:
    """Settings from a form. Raises InvalidChangeError with the field that is not possible."""
    try:
        return DeliverySettings.model_validate(
            {
                "format": fmt,
                "space": space,
                "quality": quality,
                "size": size.strip() or None,
                "pattern": pattern.strip(),
                "facts": facts,
            }
        )
    except ValidationError as error:
        first = error.errors()[0]
        raise InvalidChangeError(f"{str(first['loc'][0]).capitalize()}: {first['msg'].lower()}.") from error


def order_delivery(
    session: Session,
    studio: Studio,
    series: models.Series,
    settings: DeliverySettings,
    only: set[uuid.UUID] | None = None,
) -> models.Delivery:
    """Order finished files of all frames that follow a look (or those of `only`), by the versions they follow now.

    Frames are planned by the worker, when their making begins. Raises InvalidChangeError when no frame follows a look.
    """
    following = (
        select(models.Frame.id, models.Frame.name, models.LookVersion.number, models.LookVersion.id)
        .join(models.LookVersion, models.Frame.follows_id == models.LookVersion.id)
        .where(models.Frame.series_id == series.id)
    )
    rows = {row[0]: row for row in session.execute(following)}
    shown = [frame.id for frame in shown_frames(session, series.id)]
    chosen = [rows[frame] for frame in shown if frame in rows and (only is None or frame in only)]
    if not chosen:
        raise InvalidChangeError("No frame follows a look yet: carry the look first.")
    suffix = FORMATS[settings.format].suffix
    labels = [(name, number) for _, name, number, _ in chosen]
    names = file_names(settings.pattern, suffix, series.title, labels)
    delivery = models.Delivery(series_id=series.id, settings=settings.model_dump(mode="json"))
    session.add(delivery)
    session.flush()
    session.add_all(
        models.DeliveryFile(
            delivery_id=delivery.id, frame_id=frame, position=position, name=name, plan={_FOLLOWS: str(version)}
        )
        for position, ((frame, _, _, version), name) in enumerate(zip(chosen, names, strict=True), start=1)
    )
    session.flush()
    _queue(session, studio, delivery)
    return delivery


def _queue(session: Session, studio: Studio, delivery: models.Delivery) -> None:
    # By a name of its own, so that a delivery that goes on again waits for what is left of its stopped making.
    studio.queue.defer(session, DELIVER, once=f"deliver-{delivery.id}", delivery_id=str(delivery.id))


def _plan_files(studio: Studio, delivery_id: uuid.UUID) -> None:
    """Plan the files of a delivery that are not planned yet, all of them by one state of the series."""
    with studio.database.session() as session:
        delivery = session.get_one(models.Delivery, delivery_id)
        facts = series_facts(session, session.get_one(models.Series, delivery.series_id))
        due = {
            file.frame_id: (file.id, uuid.UUID(file.plan[_FOLLOWS]))
            for file in delivery.files
            if file.state == "waiting" and _FOLLOWS in file.plan
        }
        known = followings(session, {version for _, version in due.values()})
    planned: dict[uuid.UUID, Json] = {}
    bench = studio.bench
    for index, frame in enumerate(facts):
        if frame.id in due:
            file_id, version = due[frame.id]
            aimed = known[version].aimed
            # On a screen a table that is gone is left out and said; a finished file without it would be wrong.
            gone = bench.tables.missing(aimed.look) or bench.tables.missing(frame.trim)
            planned[file_id] = (
                {"state": "failed", "problem": f"The lookup table {gone} is not kept here; bring it in again."}
                if gone
                else {"plan": bench.planner.plan(facts, index, aimed).model_dump(mode="json")}
            )
    with studio.database.session() as session:
        for file_id, values in planned.items():
            session.execute(update(models.DeliveryFile).where(models.DeliveryFile.id == file_id).values(**values))


def find_delivery(session: Session, series: models.Series, delivery_id: uuid.UUID) -> models.Delivery:
    """A delivery of a series. Raises NotFoundError."""
    delivery = session.get(models.Delivery, delivery_id)
    if delivery is None or delivery.series_id != series.id:
        raise NotFoundError
    return delivery


def make_delivery(studio: Studio, delivery_id: uuid.UUID) -> None:
    """Make the files of a delivery that are not made yet. Stops between files when asked to; can be run again."""
    with studio.database.session() as session:
        delivery = session.get(models.Delivery, delivery_id)
        if delivery is None or delivery.state in ("done", "stopped"):
            return
        delivery.state, delivery.problem = "running", ""
        settings = DeliverySettings.model_validate(delivery.settings)
        waiting = [
            file.id
            for file in session.scalars(
                select(models.DeliveryFile)
                .where(models.DeliveryFile.delivery_id == delivery_id, models.DeliveryFile.state == "waiting")
                .order_by(models.DeliveryFile.position)
            )
        ]

    _plan_files(studio, delivery_id)

    def work(file_id: uuid.UUID) -> None:
        if studio.stopping.is_set():
            raise StoppingError
        _make_file(studio, delivery_id, file_id, settings)

    # Decoding and encoding run on one core each, so two files at once keep two cores busy; more would cost memory.
    with ThreadPoolExecutor(min(2, os.cpu_count() or 1)) as pool:
        made = [pool.submit(work, file) for file in waiting]
        try:
            for one in made:
                one.result()
        except NuvettError:
            pool.shutdown(cancel_futures=True)
            raise
    waits = select(models.DeliveryFile.id).where(
        models.DeliveryFile.delivery_id == delivery_id, models.DeliveryFile.state == "waiting"
    )
    with studio.database.session() as session:
        session.execute(
            update(models.Delivery)
            .where(models.Delivery.id == delivery_id, models.Delivery.state == "running", ~waits.exists())
            .values(state="done", finished=datetime.now(UTC))
        )


def _make_file(studio: Studio, delivery_id: uuid.UUID, file_id: uuid.UUID, settings: DeliverySettings) -> None:
    with studio.database.session() as session:
        state = session.scalar(select(models.Delivery.state).where(models.Delivery.id == delivery_id))
        file = session.get(models.DeliveryFile, file_id)
        frame = session.get(models.Frame, file.frame_id) if file and file.frame_id else None
        if state != "running" or file is None or file.state != "waiting":
            return
        if frame is None or _FOLLOWS in file.plan:
            file.state, file.problem = "failed", "The frame was taken out of the series, or its file is missing."
            return
        facts, plan = facts_of(frame), read_plan(file.plan)
    try:
        data = _finished(studio, facts, with_tables(plan, studio.bench.tables.find), settings)
    except DiskFullError:
        raise
    except (NuvettError, OSError) as error:
        message = error.message if isinstance(error, NuvettError) else "The original could not be read."
        with studio.database.session() as session:
            session.execute(
                update(models.DeliveryFile)
                .where(models.DeliveryFile.id == file_id)
                .values(state="failed", problem=message)
            )
        return
    with studio.database.session() as session:
        keep_blobs(session)
        blob, size = studio.blobs.put(BytesIO(data))
        done = update(models.DeliveryFile).where(models.DeliveryFile.id == file_id)
        kept = session.execute(done.values(state="done", blob=blob, bytes=size).returning(models.DeliveryFile.id)).all()
    if not kept:  # the delivery was removed meanwhile
        with studio.database.session() as session:
            sweep(session, studio.blobs, {blob})


def _finished(studio: Studio, frame: FrameFacts, plan: FramePlan, settings: DeliverySettings) -> bytes:
    def stages(domain: Space) -> Stages:
        return compile_stages(plan, domain, settings.space, threads=THREADS)

    bench = studio.bench
    seen = LookedAt(lambda: bench.sources.view(frame.view), lambda: bench.areas.weights(frame, plan))
    with studio.blobs.local(frame.pixels) as path:
        depth = FORMATS[settings.format].depth
        made = render_file(path, studio.limits, stages, depth, settings.size, seen)
    return encode(made.pixels, settings.format, settings.quality, settings.space, made.dpi)


def stop_delivery(delivery: models.Delivery) -> None:
    """Ask a delivery to stop; files made so far stay. Raises InvalidChangeError when it is over."""
    if delivery.state not in ("waiting", "running"):
        raise InvalidChangeError("This delivery is over already.")
    delivery.state, delivery.problem, delivery.finished = "stopped", "", datetime.now(UTC)


def give_up(studio: Studio, delivery_id: uuid.UUID) -> None:
    """Stop a delivery that failed in a way nobody foresaw: what was made stays, and a person may let it go on."""
    with studio.database.session() as session:
        running = update(models.Delivery).where(models.Delivery.id == delivery_id, models.Delivery.state == "running")
        session.execute(running.values(state="stopped", problem=_FAULT, finished=datetime.now(UTC)))


def resume_delivery(session: Session, studio: Studio, delivery: models.Delivery) -> None:
    """Go on with a stopped delivery. Raises InvalidChangeError when it is not stopped."""
    if delivery.state != "stopped":
        raise InvalidChangeError("Only a stopped delivery can go on.")
    delivery.state, delivery.problem, delivery.finished = "waiting", "", None
    session.flush()
    _queue(session, studio, delivery)


def remove_delivery(session: Session, delivery: models.Delivery) -> set[str]:
    """Forget a delivery and its files; names of blobs that may now be unused, for `sweep`."""
    if delivery.state in ("waiting", "running"):
        raise InvalidChangeError("Stop this delivery before removing it.")
    names = {file.blob for file in delivery.files if file.blob}
    session.delete(delivery)
    session.flush()
    return names


def list_deliveries(session: Session, series: models.Series) -> list[models.Delivery]:
    """Deliveries of a series, newest first, without the plans of their files."""
    files = selectinload(models.Delivery.files).defer(models.DeliveryFile.plan)
    query = select(models.Delivery).where(models.Delivery.series_id == series.id).options(files)
    return list(session.scalars(query.order_by(models.Delivery.created.desc())))


def made_files(session: Session, delivery: models.Delivery) -> list[tuple[str, str]]:
    """Name and blob of each finished file of a delivery."""
    rows = session.execute(
        select(models.DeliveryFile.name, models.DeliveryFile.blob)
        .where(models.DeliveryFile.delivery_id == delivery.id, models.DeliveryFile.state == "done")
        .order_by(models.DeliveryFile.position)
    ).all()
    return [(name, blob) for name, blob in rows if blob]


def zip_stream(studio: Studio, folder: str, files: list[tuple[str, str]]) -> ZipStream:
    """A ZIP of finished files in one folder, made while it is sent; pictures are not compressed again."""

    def content(blob: str) -> Iterator[bytes]:
        with studio.blobs.local(blob) as path, path.open("rb") as stream:
            while chunk := stream.read(1 << 20):
                yield chunk

    archive = ZipStream(compress_type=ZIP_STORED)
    for name, blob in files:
        archive.add(content(blob), f"{folder}/{name}")
    return archive


def shared_table(bench: Workbench, session: Session, series: models.Series, fmt: TableFormat, size: int) -> str:
    """The look's shared part as the text of a table. Raises InvalidChangeError before there is a look and a frame."""
    table = _shared_table(bench, session, series, size)
    notes = (
        "The part of the look that all frames share, on encoded sRGB, tetrahedral interpolation advised.",
        "A table cannot carry: even light, the fit of each frame, the finish, areas, trims.",
    )
    return table_text(table, fmt, series.title, notes)


def shared_cdl_words(bench: Workbench, session: Session, series: models.Series) -> str:
    """How far the CDL of the look's shared part misses its Cube. Raises as `shared_table`."""
    return nearest_cdl(_shared_table(bench, session, series, USUAL_SIZE)).words


def _shared_table(bench: Workbench, session: Session, series: models.Series, size: int) -> Floats:
    aimed = draft_of(session, series)
    facts = series_facts(session, series)
    if aimed is None or not facts:
        raise InvalidChangeError("There is no look to write yet: gather frames and read a reference first.")
    return compile_plan(bench.planner.shared(facts, aimed), size)
