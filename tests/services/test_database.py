"""Sessions: one that only reads begins and writes nothing, and connections that were lost are replaced."""

from collections.abc import Iterator

import pytest
from sqlalchemy import event, text, update
from sqlalchemy.orm import Session

from nuvett.core.errors import NotFoundError
from nuvett.services.platform.studio import Studio
from nuvett.services.series.catalogue import find_series, frame_at, ready_frames, start_series
from nuvett.store import models
from nuvett.store.database import Database


@pytest.fixture
def own(studio: Studio) -> Iterator[Database]:
    made = Database(studio.settings.database, pool_size=1)
    yield made
    made.close()


def told(own: Database, happening: str) -> list[str]:
    found: list[str] = []
    event.listen(own.engine, happening, lambda *_: found.append(happening))
    return found


def test_a_reading_session_begins_nothing_and_sees_what_is_there_at_each_question(
    studio: Studio, own: Database
) -> None:
    begun, committed = told(own, "begin"), told(own, "commit")
    with own.reading() as session:
        assert session.connection().connection.dbapi_connection.autocommit  # type: ignore[union-attr]
        assert session.query(models.SeriesRow).count() == 0
        with studio.database.session() as other:
            start_series(other, "Winter fair")
        assert session.query(models.SeriesRow).count() == 1
    with own.session() as session:
        assert not session.connection().connection.dbapi_connection.autocommit  # type: ignore[union-attr]
    assert (len(begun), len(committed)) == (2, 1), "SQLAlchemy counts its own begin, which is no way to the database"


@pytest.mark.parametrize(
    "write",
    [
        lambda session: session.execute(update(models.SeriesRow).values(title="Other")),
        lambda session: (session.add(models.SeriesRow(slug="a", title="A")), session.flush()),
        lambda session: session.query(models.SeriesRow).delete(),
    ],
)
def test_a_reading_session_refuses_to_write(studio: Studio, write: object) -> None:
    with studio.database.session() as session:
        start_series(session, "Winter fair")
    with pytest.raises(RuntimeError), studio.database.reading() as session:
        write(session)  # type: ignore[operator]
    with studio.database.session() as session:
        assert [row.title for row in session.query(models.SeriesRow)] == ["Winter fair"]


def test_a_connection_that_lay_unused_is_asked_before_it_is_used_and_a_lost_one_replaced(
    studio: Studio, own: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    def process(session: Session) -> int:
        return int(session.scalar(text("SELECT pg_backend_pid()")))  # type: ignore[arg-type]

    asked: list[object] = []
    ping = own.engine.dialect.do_ping
    monkeypatch.setattr(own.engine.dialect, "do_ping", lambda way: (asked.append(way), ping(way))[1])
    with own.reading() as session:
        first = process(session)
    with own.session() as session:
        assert process(session) == first and not asked, "it was used just now"
    monkeypatch.setattr("nuvett.store.database._IDLE", 0)
    with own.session() as session:
        assert process(session) == first and len(asked) == 1
    with studio.database.session() as session:
        session.execute(text("SELECT pg_terminate_backend(:one)"), {"one": first})
    with own.session() as session:
        assert process(session) != first and len(asked) == 2


def test_a_frame_is_found_by_its_address_alone_and_not_in_another_series_or_the_bin(studio: Studio, slug: str) -> None:
    with studio.database.session() as session:
        other, series = start_series(session, "Spring fair"), find_series(session, slug)
        frame = ready_frames(session, series.id)[1]
        assert frame_at(session, slug, frame.id) is frame
        with pytest.raises(NotFoundError):
            frame_at(session, other.slug, frame.id)
        series.deleted = series.created
        session.flush()
        with pytest.raises(NotFoundError):
            frame_at(session, slug, frame.id)
