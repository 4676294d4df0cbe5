"""What of a series is still being worked at, in a few numbers: asked for again and again while somebody looks."""

import hashlib
from collections.abc import Callable
from dataclasses import dataclass, replace

from sqlalchemy import Executable, func, select
from sqlalchemy.orm import Session

from nuvett.services.platform.studio import Studio
from nuvett.services.platform.workers import held_up
from nuvett.store import models


@dataclass(frozen=True)
class Moving:
    """How far work on a part of a series is.

    mark : another one whenever what a screen shows of it may have changed; moves : whether it will change again
    """

    mark: str
    done: int
    total: int
    moves: bool


def _mark(*facts: object) -> str:
    return hashlib.sha256(repr(facts).encode()).hexdigest()[:16]


def _counted(session: Session, query: Executable) -> dict[str, int]:
    return {str(state): int(count) for state, count in session.execute(query)}


def frames_moving(session: Session, series: models.SeriesRow) -> Moving:
    """Frames that are measured, and their light that is evened."""
    row, revision = models.FrameRow, models.SeriesRevisionRow
    query = select(row.state, func.count()).where(row.series_id == series.id).group_by(row.state)
    counts = _counted(session, query)
    changed = session.scalar(select(revision.revision).where(revision.series_id == series.id))
    watched = session.scalar(select(models.WatchedFolderRow.seen).where(models.WatchedFolderRow.series_id == series.id))
    waiting, done = counts.get("waiting", 0), counts.get("ready", 0) + counts.get("refused", 0)
    moves = bool(waiting) or series.light_due or watched is not None
    return Moving(_mark(changed, counts, series.light_due), done, done + waiting, moves)


def references_moving(session: Session, series: models.SeriesRow) -> Moving:
    """References and clips that are read."""
    counts: dict[str, int] = {}
    for row in (models.ReferenceRow, models.ClipRow):
        query = select(row.state, func.count()).where(row.series_id == series.id).group_by(row.state)
        for state, count in session.execute(query):
            counts[state] = counts.get(state, 0) + count
    waiting, total = counts.get("waiting", 0), sum(counts.values())
    return Moving(_mark(counts), total - waiting, total, bool(waiting))


def deliveries_moving(session: Session, series: models.SeriesRow) -> Moving:
    """Files of deliveries that are made."""
    row, file = models.DeliveryRow, models.DeliveryFileRow
    states = session.execute(select(row.id, row.state, row.problem).where(row.series_id == series.id).order_by(row.id))
    known = states.all()
    busy = [own for own, state, _ in known if state in ("waiting", "running")]
    query = select(file.state, func.count()).where(file.delivery_id.in_(busy)).group_by(file.state)
    counts = _counted(session, query) if busy else {}
    total = sum(counts.values())
    return Moving(_mark([tuple(one) for one in known], counts), total - counts.get("waiting", 0), total, bool(busy))


PARTS: dict[str, Callable[[Session, models.SeriesRow], Moving]] = {
    "gather": frames_moving,
    "read": references_moving,
    "handover": deliveries_moving,
}
"""What can be asked for, by the screen that shows it."""


def moving_of(session: Session, studio: Studio, series: models.SeriesRow, part: str) -> Moving:
    """How far work on one of PARTS is; that it does not go on changes its mark, too."""
    found = PARTS[part](session, series)
    held = held_up(session, series, studio.settings.stalled_seconds)
    return replace(found, mark=_mark(found.mark, held)) if held else found
