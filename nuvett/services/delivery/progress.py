"""How far deliveries are: counted by the database, whatever number of files they have."""

import uuid
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from nuvett.services.delivery.delivery_settings import DeliverySettings, settings_of
from nuvett.store import models

_FAILED_SHOWN, _NEXT_SHOWN = 20, 4


@dataclass(frozen=True)
class Progress:
    """One delivery and how far it is.

    counts : files by state; failed, ahead : the first of those that failed, with why, and of those still to come
    seconds_left : at the pace since its making began; none while that is not known
    """

    id: uuid.UUID
    state: str
    created: datetime
    problem: str
    settings: DeliverySettings
    counts: dict[str, int]
    bytes: int
    failed: tuple[tuple[str, str], ...]
    ahead: tuple[str, ...]
    seconds_left: float | None

    @property
    def total(self) -> int:
        """All its files."""
        return sum(self.counts.values())

    def count(self, state: str) -> int:
        """Its files in a state."""
        return self.counts.get(state, 0)

    @property
    def is_busy(self) -> bool:
        """Whether it is being made, or about to be."""
        return self.state in ("waiting", "running")


def progress_of(session: Session, series: models.SeriesRow) -> list[Progress]:
    """How far the deliveries of a series are, the newest first."""
    query = select(models.DeliveryRow).where(models.DeliveryRow.series_id == series.id)
    rows = list(session.scalars(query.order_by(models.DeliveryRow.created.desc())))
    ids = [row.id for row in rows]
    file = models.DeliveryFileRow
    ended = func.count(file.finished).filter(file.finished >= models.DeliveryRow.started)
    counted = session.execute(
        select(file.delivery_id, file.state, func.count(), func.sum(file.bytes), ended, func.max(file.finished))
        .join(models.DeliveryRow, models.DeliveryRow.id == file.delivery_id)
        .where(file.delivery_id.in_(ids))
        .group_by(file.delivery_id, file.state)
    ).all()
    failed = _first(session, ids, "failed", _FAILED_SHOWN)
    ahead = _first(session, [row.id for row in rows if row.state in ("waiting", "running")], "waiting", _NEXT_SHOWN)
    found = []
    for row in rows:
        own = [one for one in counted if one[0] == row.id]
        counts = {state: count for _, state, count, *_ in own}
        ends = (sum(one[4] for one in own), max((one[5] for one in own if one[5]), default=None))
        found.append(
            Progress(
                id=row.id,
                state=row.state,
                created=row.created,
                problem=row.problem if row.state == "stopped" else "",
                settings=settings_of(row),
                counts=counts,
                bytes=sum(int(one[3] or 0) for one in own),
                failed=tuple(failed.get(row.id, ())),
                ahead=tuple(name for name, _ in ahead.get(row.id, ())),
                seconds_left=_seconds_left(row, ends, counts.get("waiting", 0)),
            )
        )
    return found


def _first(session: Session, ids: list[uuid.UUID], state: str, most: int) -> dict[uuid.UUID, list[tuple[str, str]]]:
    """Name and problem of the first files in a state, by delivery."""
    file = models.DeliveryFileRow
    number = func.row_number().over(partition_by=file.delivery_id, order_by=file.position)
    numbered = (
        select(file.delivery_id, file.name, file.problem, number.label("number"))
        .where(file.delivery_id.in_(ids), file.state == state)
        .subquery()
    )
    found: dict[uuid.UUID, list[tuple[str, str]]] = {}
    query = select(numbered).where(numbered.c.number <= most).order_by(numbered.c.number)
    for delivery_id, name, problem, _ in session.execute(query):
        found.setdefault(delivery_id, []).append((name, problem))
    return found


def _seconds_left(row: models.DeliveryRow, ends: tuple[int, datetime | None], waiting: int) -> float | None:
    count, last = ends
    if row.state != "running" or row.started is None or last is None or count < 2:
        return None
    return (last - row.started).total_seconds() / count * waiting
