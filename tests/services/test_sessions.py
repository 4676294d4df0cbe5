"""Sessions and failed attempts: known to every web server of an installation, and bounded."""

from datetime import UTC, datetime, timedelta

import pytest
from sqlalchemy import select, update

from nuvett.services.entry import sessions
from nuvett.services.entry.sessions import Attempts, Sessions
from nuvett.services.platform.studio import Studio
from nuvett.store import models


@pytest.fixture
def doubting(monkeypatch: pytest.MonkeyPatch) -> None:
    """Sessions are asked for each time, and marked as used each time."""
    monkeypatch.setattr(sessions, "_BELIEVED", 0.0)
    monkeypatch.setattr(sessions, "_SEEN_ANEW", timedelta(0))


@pytest.mark.usefixtures("doubting")
def test_a_session_goes_on_at_another_web_server_until_it_is_ended_at_one(studio: Studio) -> None:
    one, other = Sessions(studio.database), Sessions(studio.database)
    name = one.begin()
    assert other.holds(name) and not other.holds(name[:-1]) and not other.holds("")
    one.end(name)
    assert not other.holds(name) and not one.holds(name)


def test_a_session_that_ended_elsewhere_is_believed_in_for_a_moment_alone(
    studio: Studio, monkeypatch: pytest.MonkeyPatch
) -> None:
    clock = [100.0]
    monkeypatch.setattr(sessions.time, "monotonic", lambda: clock[0])
    one, other = Sessions(studio.database), Sessions(studio.database)
    name = one.begin()
    assert other.holds(name)
    one.end(name)
    assert not one.holds(name), "at once where it was ended"
    clock[0] += sessions._BELIEVED + 0.1
    assert not other.holds(name)


def test_the_database_knows_no_name_by_which_a_session_can_be_taken_over(studio: Studio) -> None:
    name = Sessions(studio.database).begin()
    with studio.database.session() as session:
        (key,) = session.scalars(select(models.SignedInRow.key))
    assert key != name and not Sessions(studio.database).holds(key)


@pytest.mark.usefixtures("doubting")
def test_a_session_ends_when_it_is_not_used_and_goes_on_while_it_is(studio: Studio) -> None:
    found = Sessions(studio.database)
    name = found.begin()

    def used(ago: timedelta) -> None:
        with studio.database.session() as session:
            session.execute(update(models.SignedInRow).values(used=datetime.now(UTC) - ago))

    used(sessions._LASTS - timedelta(minutes=1))
    assert found.holds(name)
    with studio.database.session() as session:
        assert datetime.now(UTC) - session.scalars(select(models.SignedInRow.used)).one() < timedelta(minutes=1)
    used(sessions._LASTS + timedelta(minutes=1))
    assert not found.holds(name)


@pytest.mark.usefixtures("doubting")
def test_of_too_many_sessions_the_one_unused_for_longest_ends(studio: Studio, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(sessions, "_MAX_SESSIONS", 2)
    found = Sessions(studio.database)
    first, second = found.begin(), found.begin()
    assert found.holds(first)
    third = found.begin()
    assert [found.holds(name) for name in (first, second, third)] == [True, False, True]


def test_each_failed_attempt_beyond_the_free_ones_waits_longer_and_success_forgets(studio: Studio) -> None:
    one, other = Attempts(studio.database), Attempts(studio.database)
    waits = []
    for place in range(8):
        (one, other)[place % 2].failed("192.0.2.7")  # trying at another server gains nothing
        waits.append(one.wait("192.0.2.7"))
    assert waits[:4] == [0, 0, 0, 0]
    assert [round(wait) for wait in waits[4:]] == [30, 60, 120, 240]
    assert other.wait("192.0.2.7") == pytest.approx(waits[-1], abs=2) and one.wait("192.0.2.8") == 0
    one.succeeded("192.0.2.7")
    assert other.wait("192.0.2.7") == 0


def test_attempts_of_long_ago_are_forgotten(studio: Studio) -> None:
    found = Attempts(studio.database)
    for _ in range(5):
        found.failed("192.0.2.7")
    with studio.database.session() as session:
        session.execute(update(models.FailedAttemptRow).values(until=datetime.now(UTC) - timedelta(days=2)))
    found.failed("192.0.2.7")
    assert found.wait("192.0.2.7") == 0
