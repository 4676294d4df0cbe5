"""Tasks wait once under their names, whichever others are queued with them, and only where a transaction succeeds."""

import pytest
from sqlalchemy import text
from sqlalchemy.orm import Session

from nuvett.services.platform.queue import EVEN_SERIES, FILL_WALL
from nuvett.services.platform.studio import Studio

_WAITING = text("SELECT queueing_lock, count(*) FROM procrastinate_jobs WHERE status = 'todo' GROUP BY 1 ORDER BY 1")


def waiting(studio: Studio) -> list[tuple[str | None, int]]:
    with studio.database.session() as session:
        return [(name, count) for name, count in session.execute(_WAITING)]


def queue(session: Session, studio: Studio, name: str | None) -> None:
    studio.queue.defer(session, EVEN_SERIES, once=name, series_id="nobody")


def test_a_name_that_waits_already_keeps_no_other_from_being_queued(studio: Studio) -> None:
    with studio.database.session() as session:
        queue(session, studio, "b")
    with studio.database.session() as session:
        for name in ("c", "b", None, "a", "c", None):
            queue(session, studio, name)
        assert not session.scalar(text("SELECT count(*) FROM procrastinate_jobs WHERE queueing_lock IN ('a', 'c')"))
    assert waiting(studio) == [("a", 1), ("b", 1), ("c", 1), (None, 2)]
    with studio.database.session() as session:
        studio.queue.defer_each(session, FILL_WALL, {name: {"series_id": "nobody"} for name in "abcd"})
    assert waiting(studio) == [("a", 1), ("b", 1), ("c", 1), ("d", 1), (None, 2)]


def test_nothing_is_queued_by_what_fails_but_what_a_savepoint_asked_for_is(studio: Studio) -> None:
    with pytest.raises(ZeroDivisionError), studio.database.session() as session:
        queue(session, studio, "a")
        queue(session, studio, None)
        raise ZeroDivisionError
    assert not waiting(studio)
    with studio.database.session() as session:
        with pytest.raises(ZeroDivisionError), session.begin_nested():
            queue(session, studio, "a")
            raise ZeroDivisionError
        with session.begin_nested():
            queue(session, studio, "b")
    assert waiting(studio) == [("a", 1), ("b", 1)]
