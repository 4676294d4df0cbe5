"""What was read of series, remembered by their revisions: nothing is read again before something of it changed."""

import uuid
from collections.abc import Callable
from threading import Lock
from typing import Any, TypeVar, cast

from cachetools import LRUCache
from sqlalchemy import event, select
from sqlalchemy.orm import ORMExecuteState, Session, sessionmaker

from nuvett.store import models

T = TypeVar("T")
_MAX = 16  # of a few series at a time; a long one's facts take about 10 MB
_WRITTEN, _REMEMBERED, _REVISIONS = "written", "remembered", "revisions"


class Remembered:
    """Values that depend on the rows of one series alone, by name; for use by several threads.

    The revision of a series is raised by the database at the end of a transaction that changed its frames, set-ups,
    threads, carried plans or hero (migration 0024). It is read before the rows, so that what is remembered under it
    is never older than it says. A session that has written reads anew, since its own changes have no revision yet.
    """

    def __init__(self) -> None:
        self._kept: LRUCache[tuple[uuid.UUID, str], tuple[int, Any]] = LRUCache(_MAX)
        self._lock = Lock()

    def watch(self, sessions: sessionmaker[Session]) -> None:
        """Let sessions of a maker be asked, and know which of them have written."""
        sessions.configure(info={_REMEMBERED: self})
        event.listen(sessions, "after_flush", lambda session, _: session.info.update({_WRITTEN: True}))
        event.listen(sessions, "do_orm_execute", _mark_writing)

    def get(self, session: Session, series: uuid.UUID, name: str, make: Callable[[T | None], T]) -> T:
        """The value of a series under a name, made where its revision is another than when it was made.

        make : takes the value of the former revision, where that is still there
        """
        row, told = models.SeriesRevisionRow, session.info.setdefault(_REVISIONS, {})
        if series not in told:  # once a session: what is read later is newer at the most
            told[series] = session.scalar(select(row.revision).where(row.series_id == series)) or 0
        revision = told[series]
        with self._lock:
            known = self._kept.get((series, name))
        if known is not None and known[0] == revision:
            return cast(T, known[1])
        value = make(cast(T, known[1]) if known is not None else None)
        with self._lock:
            self._kept[series, name] = revision, value
        return value


def _mark_writing(state: ORMExecuteState) -> None:
    if not state.is_select:
        state.session.info[_WRITTEN] = True


def remembered(session: Session, series: uuid.UUID, name: str, make: Callable[[], T]) -> T:
    """What was read of a series under a name, read by `make` where something changed; not to be changed itself."""
    return renewed(session, series, name, lambda _: make())


def renewed(session: Session, series: uuid.UUID, name: str, make: Callable[[T | None], T]) -> T:
    """As `remembered`, by a `make` that takes what was read before anything changed, if that is still known."""
    kept = session.info.get(_REMEMBERED)
    writing = session.info.get(_WRITTEN) or session.new or session.dirty or session.deleted
    return make(None) if kept is None or writing else cast(Remembered, kept).get(session, series, name, make)
