"""Deliveries: batches of finished files, ordered, stopped, gone on with, tried again, made again, downloaded."""

import uuid
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import insert, select, update
from sqlalchemy.orm import Session
from zipstream import ZIP_STORED, ZipStream

from nuvett.core.errors import InvalidChangeError, NotFoundError
from nuvett.services.delivery.delivery_choice import check_chosen, chosen_frames, names_of
from nuvett.services.delivery.delivery_settings import PICTURE, DeliverySettings, settings_of
from nuvett.services.delivery.papers.kinds import Ordered, paper_names
from nuvett.services.delivery.placing import check_names, check_place
from nuvett.services.platform.queue import DELIVER
from nuvett.services.platform.studio import Studio
from nuvett.store import models

_FILES = insert(models.table_of(models.DeliveryFileRow))


def order_delivery(
    session: Session,
    studio: Studio,
    series: models.SeriesRow,
    settings: DeliverySettings,
    only: set[uuid.UUID] | None = None,
    outlying: frozenset[uuid.UUID] = frozenset(),
) -> models.DeliveryRow:
    """Order finished files of the frames that follow a look or have a trim, and are chosen, as they are now.

    only, outlying : as `chosen_frames` has them. Frames are planned by the worker, when their making begins. Raises
    InvalidChangeError when there is nothing to make, or the folder cannot be written to.
    """
    check_place(session, studio, settings)
    chosen = chosen_frames(session, series, settings, only, outlying)
    check_chosen(chosen, settings)
    names = iter(names_of(series, settings, chosen).names)
    delivery = models.DeliveryRow(series_id=series.id, settings=settings.model_dump(mode="json"))
    session.add(delivery)
    session.flush()
    rows: list[dict[str, Any]] = [
        {
            "delivery_id": delivery.id,
            "frame_id": choice.frame,
            "position": position * len(settings.outputs) + output + 1,
            "name": next(names),
            "output": output,
            "kind": PICTURE,
            "version_id": choice.version,
            "plan": {},
        }
        for position, choice in enumerate(chosen)
        for output in range(len(settings.outputs))
    ]
    versions = tuple(sorted({choice.label.version for choice in chosen if choice.version}))
    pictures = tuple(row["name"] for row in rows if row["output"] == 0)
    none: dict[str, Any] = {"frame_id": None, "output": 0, "version_id": None, "plan": {}}
    for kind, name in paper_names(Ordered(settings.papers, len(chosen), versions, pictures)):
        rows.append({"delivery_id": delivery.id, "position": len(rows) + 1, "name": name, "kind": kind, **none})
    check_names(studio, settings, [row["name"] for row in rows])
    session.execute(_FILES, rows)  # of thousands, objects take several times as long
    queue_delivery(session, studio, delivery)
    return delivery


def queue_delivery(session: Session, studio: Studio, delivery: models.DeliveryRow) -> None:
    # By a name of its own, so that a delivery that goes on again waits for what is left of its stopped making.
    studio.queue.defer(session, DELIVER, once=f"deliver-{delivery.id}", delivery_id=str(delivery.id))


def find_delivery(session: Session, series: models.SeriesRow, delivery_id: uuid.UUID) -> models.DeliveryRow:
    """A delivery of a series. Raises NotFoundError."""
    delivery = session.get(models.DeliveryRow, delivery_id)
    if delivery is None or delivery.series_id != series.id:
        raise NotFoundError
    return delivery


def stop_delivery(delivery: models.DeliveryRow) -> None:
    """Ask a delivery to stop; files made so far stay. Raises InvalidChangeError when it is over."""
    if delivery.state not in ("waiting", "running"):
        raise InvalidChangeError("This delivery is over already.")
    delivery.state, delivery.problem, delivery.finished = "stopped", "", datetime.now(UTC)


def resume_delivery(session: Session, studio: Studio, delivery: models.DeliveryRow) -> None:
    """Go on with a stopped delivery. Raises InvalidChangeError when it is not stopped."""
    if delivery.state != "stopped":
        raise InvalidChangeError("Only a stopped delivery can go on.")
    _go_on(session, studio, delivery)


def retry_failed(session: Session, studio: Studio, delivery: models.DeliveryRow) -> int:
    """Try again the files that could not be made; how many. Raises InvalidChangeError when there are none."""
    if delivery.state in ("waiting", "running"):
        raise InvalidChangeError("This delivery is still being made.")
    failed = update(models.DeliveryFileRow).where(
        models.DeliveryFileRow.delivery_id == delivery.id, models.DeliveryFileRow.state == "failed"
    )
    again = session.execute(failed.values(state="waiting", problem="").returning(models.DeliveryFileRow.id)).all()
    if not again:
        raise InvalidChangeError("All files of this delivery were made.")
    papers = update(models.DeliveryFileRow).where(
        models.DeliveryFileRow.delivery_id == delivery.id, models.DeliveryFileRow.kind != PICTURE
    )
    session.execute(papers.values(state="waiting", problem=""))  # they tell of the pictures
    session.expire_all()
    _go_on(session, studio, delivery)
    return len(again)


def _go_on(session: Session, studio: Studio, delivery: models.DeliveryRow) -> None:
    delivery.state, delivery.problem, delivery.finished = "waiting", "", None
    session.flush()
    queue_delivery(session, studio, delivery)


def order_again(
    session: Session,
    studio: Studio,
    series: models.SeriesRow,
    delivery: models.DeliveryRow,
    outlying: frozenset[uuid.UUID] = frozenset(),
) -> models.DeliveryRow:
    """Order the same files anew by the versions that frames follow now, under the same settings."""
    settings = settings_of(delivery)
    only = {file.frame_id for file in delivery.files if file.frame_id} if settings.what == "chosen" else None
    return order_delivery(session, studio, series, settings, only, outlying)


def remove_delivery(session: Session, delivery: models.DeliveryRow) -> set[str]:
    """Forget a delivery and its files; names of blobs that may now be unused, for `sweep`."""
    if delivery.state in ("waiting", "running"):
        raise InvalidChangeError("Stop this delivery before removing it.")
    names = {file.blob for file in delivery.files if file.blob}
    session.delete(delivery)
    session.flush()
    return names


@dataclass(frozen=True)
class MadeFile:
    """A finished file of a delivery: its name, blob and size."""

    name: str
    blob: str
    bytes: int


def made_files(session: Session, delivery: models.DeliveryRow) -> list[MadeFile]:
    """The finished files of a delivery, in their order."""
    rows = session.execute(
        select(models.DeliveryFileRow.name, models.DeliveryFileRow.blob, models.DeliveryFileRow.bytes)
        .where(models.DeliveryFileRow.delivery_id == delivery.id, models.DeliveryFileRow.state == "done")
        .order_by(models.DeliveryFileRow.position)
    ).all()
    return [MadeFile(name, blob, size) for name, blob, size in rows if blob]


def zip_stream(studio: Studio, folder: str, files: list[MadeFile]) -> ZipStream:
    """A ZIP of finished files in one folder, made while it is sent; pictures are not compressed again."""
    archive = ZipStream(compress_type=ZIP_STORED)
    for file in files:
        archive.add(file_stream(studio, file.blob), f"{folder}/{file.name}")
    return archive


def file_stream(studio: Studio, blob: str) -> Iterator[bytes]:
    """A finished file, piece by piece."""
    with studio.blobs.local(blob) as path, path.open("rb") as stream:
        while chunk := stream.read(1 << 20):
            yield chunk
