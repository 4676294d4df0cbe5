"""Series filed on the shelf: renamed, duplicated, put away, deleted, brought back from the bin, removed for good."""

import json
import re
import uuid
from collections.abc import Iterable
from datetime import UTC, datetime, timedelta
from typing import Any, TypeVar

from sqlalchemy import ColumnElement, select, update
from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError
from nuvett.services.looks import heroes
from nuvett.services.platform.blobs import blobs_of_series, sweep
from nuvett.services.platform.queue import PURGE_SERIES
from nuvett.services.platform.studio import Studio
from nuvett.services.series.catalogue import find_series, free_slug, usable_title
from nuvett.services.series.variants import VARIANT
from nuvett.store import models

BIN_DAYS = 7
"""Days that a deleted series can be brought back from the bin."""

Row = TypeVar("Row", bound=models.Base)


def rename_series(series: models.SeriesRow, title: str) -> None:
    """Give a series another title; its address stays. Raises InvalidChangeError without a usable one."""
    series.title = usable_title(title)


def put_away(series: models.SeriesRow, away: bool) -> None:
    """Keep a series out of sight at the end of the shelf, or take it up again."""
    series.put_away = away


def delete_series(session: Session, series: models.SeriesRow) -> None:
    """Put a series into the bin; what is being made of it stops. It is removed after BIN_DAYS."""
    series.deleted = datetime.now(UTC)
    running = update(models.DeliveryRow).where(
        models.DeliveryRow.series_id == series.id, models.DeliveryRow.state.in_(("waiting", "running"))
    )
    session.execute(running.values(state="stopped", problem="", finished=datetime.now(UTC)))


def in_bin(session: Session) -> list[tuple[models.SeriesRow, datetime]]:
    """Series in the bin, the last deleted first, each with the time that it is removed at."""
    query = select(models.SeriesRow).where(models.SeriesRow.deleted.is_not(None), ~_is_outdated())
    query = query.order_by(models.SeriesRow.deleted.desc())
    return [(row, row.deleted + timedelta(days=BIN_DAYS)) for row in session.scalars(query) if row.deleted]


def bring_back(series: models.SeriesRow) -> None:
    """Bring a series back from the bin, as it was."""
    series.deleted = None


def remove_for_good(session: Session, studio: Studio, series: models.SeriesRow) -> None:
    """Have a series in the bin removed in the background, which cannot be undone. Raises InvalidChangeError."""
    if series.deleted is None:
        raise InvalidChangeError("Only a series in the bin is removed for good.")
    series.deleted -= timedelta(days=BIN_DAYS)
    _queue_purge(session, studio, series)


def queue_outdated(session: Session, studio: Studio) -> None:
    """Queue the removal of series that have been in the bin for BIN_DAYS."""
    for row in session.scalars(select(models.SeriesRow).where(_is_outdated())):
        _queue_purge(session, studio, row)


def _queue_purge(session: Session, studio: Studio, series: models.SeriesRow) -> None:
    studio.queue.defer(session, PURGE_SERIES, once=f"purge-{series.id}", series_id=str(series.id))


def _is_outdated() -> ColumnElement[bool]:
    return models.SeriesRow.deleted <= datetime.now(UTC) - timedelta(days=BIN_DAYS)


def purge_series(studio: Studio, series_id: uuid.UUID) -> None:
    """Remove a series whose time in the bin is over, and all that hangs on it. Idempotent."""
    with studio.database.session() as session:
        series = session.scalars(
            select(models.SeriesRow).where(models.SeriesRow.id == series_id, _is_outdated()).with_for_update()
        ).first()
        if series is None:
            return
        names = blobs_of_series(session, series_id)
        series.hero_id = None
        session.flush()
        session.delete(series)
    sweep(studio, names)


def duplicate_series(session: Session, slug: str) -> models.SeriesRow:
    """A second series with the same frames, references, look and trims, without histories and deliveries.

    Files are shared, not copied. Raises NotFoundError.
    """
    first = find_series(session, slug)
    title = usable_title(f"{first.title} copy"[:120])
    twin = _twin(first, slug=free_slug(session, title), title=title, hero_id=None, put_away=False)
    session.add(twin)
    session.flush()
    targets = _twins(session, _of(session, models.TargetRow, first), series_id=twin.id)
    setups = _twins(session, _of(session, models.SetUpRow, first), series_id=twin.id)
    references = _twins(session, _of(session, models.ReferenceRow, first), series_id=twin.id)
    _twins(session, _of(session, models.ClipRow, first), series_id=twin.id)
    versions = _twin_look(session, first, twin, targets)
    rows = session.scalars(
        select(models.FrameRow)
        .where(models.FrameRow.series_id == first.id, models.FrameRow.state != "removed")
        .order_by(models.FrameRow.position)
    ).all()
    frames: dict[uuid.UUID, models.FrameRow] = {}
    for row in sorted(rows, key=lambda row: row.state == VARIANT):  # variants after the frames that they are of
        of = frames.get(row.variant_of_id) if row.variant_of_id else None
        if row.variant_of_id and of is None:
            continue
        made = _twin(
            row,
            series_id=twin.id,
            setup_id=_id_in(setups, row.setup_id),
            light_base_id=_id_in(setups, row.light_base_id),
            follows_id=_id_in(versions, row.follows_id),
            variant_of_id=of.id if of else None,
        )
        frames[row.id] = made
        session.add(made)
        made.id = uuid.uuid4()  # known before it is written, for its variants
    session.flush()
    twin.hero_id = frames[first.hero_id].id if first.hero_id in frames else None
    session.flush()
    _twin_threads(session, first, twin, frames)
    twins: dict[uuid.UUID, models.Base] = {**setups, **references, **frames}
    named = {str(old): str(_id_in(twins, old)) for old in twins}
    _rename_in(session, twin, named)
    _own_heroes(session, {_id_in(references, old): outdated for old, outdated in _outdated(session, first)}, frames)
    return twin


def _twin_threads(
    session: Session, first: models.SeriesRow, twin: models.SeriesRow, frames: dict[uuid.UUID, models.FrameRow]
) -> None:
    threads = _twins(session, _of(session, models.ThreadRow, first), series_id=twin.id)
    places = session.scalars(select(models.ThreadPlaceRow).where(models.ThreadPlaceRow.thread_id.in_(threads)))
    asked = session.scalars(select(models.ThreadQuestionRow).where(models.ThreadQuestionRow.thread_id.in_(threads)))
    for row in (*places, *asked):
        if row.frame_id in frames:
            thread = _id_in(threads, row.thread_id)
            session.add(_twin(row, thread_id=thread, frame_id=frames[row.frame_id].id))


_UUID = re.compile(r"[0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12}")


def _rename_in(session: Session, twin: models.SeriesRow, named: dict[str, str]) -> None:
    """Let looks and targets of a twin speak of its own set-ups, references and frames."""

    def renamed(document: Any) -> Any:
        text = json.dumps(document)
        return json.loads(_UUID.sub(lambda found: named.get(found[0], found[0]), text))

    for target in _of(session, models.TargetRow, twin):
        target.document, target.sources = renamed(target.document), renamed(target.sources) if target.sources else None
    for look in _of(session, models.LookRow, twin):
        look.draft = renamed(look.draft)
        query = select(models.LookVersionRow).where(models.LookVersionRow.look_id == look.id)
        for version in session.scalars(query):
            version.document = renamed(version.document)
    session.flush()


def _outdated(session: Session, series: models.SeriesRow) -> list[tuple[uuid.UUID, bool]]:
    return [(row, standing.outdated) for row, standing in heroes.standings(session, series).items()]


def _own_heroes(
    session: Session, outdated: dict[uuid.UUID | None, bool], frames: dict[uuid.UUID, models.FrameRow]
) -> None:
    """Let references of a twin that are finished frames be its own frames, as far as they have twins."""
    for reference, was_outdated in outdated.items():
        row = session.get_one(models.ReferenceRow, reference)
        if row.frame_id in frames:
            row.frame_id = frames[row.frame_id].id
            row.finished = row.finished if was_outdated else heroes.finish_of(session, row.frame_id).key


def _twin_look(
    session: Session, first: models.SeriesRow, twin: models.SeriesRow, targets: dict[uuid.UUID, models.Base]
) -> dict[uuid.UUID, models.Base]:
    """Copy the look and the versions it was carried as; versions by the ids of those that they are copies of."""
    versions: dict[uuid.UUID, models.Base] = {}
    for look in _of(session, models.LookRow, first):
        aim = targets.get(look.target_id) if look.target_id else None
        made = _twin(look, series_id=twin.id, name=twin.title, proofs=None)
        made.target_id = getattr(aim, "id", look.target_id)
        session.add(made)
        session.flush()
        query = select(models.LookVersionRow).where(models.LookVersionRow.look_id == look.id)
        for version in session.scalars(query):
            aimed = targets.get(version.target_id) if version.target_id else None
            versions[version.id] = _twin(version, look_id=made.id, target_id=getattr(aimed, "id", version.target_id))
        session.add_all(versions.values())
        session.flush()
    return versions


def _of(session: Session, kind: type[Row], series: models.SeriesRow) -> list[Row]:
    column: Any = kind
    return list(session.scalars(select(kind).where(column.series_id == series.id)))


def _twins(session: Session, rows: Iterable[Row], **changes: Any) -> dict[uuid.UUID, models.Base]:
    made: dict[uuid.UUID, models.Base] = {row.id: _twin(row, **changes) for row in rows}  # type: ignore[attr-defined]
    session.add_all(made.values())
    session.flush()
    return made


def _twin(row: Row, **changes: Any) -> Row:
    """A new row like another, but for its key, when it was made, and what changes."""
    names = {column.key for column in type(row).__mapper__.column_attrs} - {"id", "created"}
    return type(row)(**{name: getattr(row, name) for name in names} | changes)


def _id_in(made: dict[uuid.UUID, models.Base], old: uuid.UUID | None) -> uuid.UUID | None:
    return getattr(made.get(old), "id", None) if old else None
