"""What was read of a series is read again exactly when something of it changed."""

import uuid
from collections.abc import Callable

import pytest
from sqlalchemy import event, text, update
from sqlalchemy.orm import Session

from nuvett.core.even.even_light import EvenLight
from nuvett.core.look.trim import Trim
from nuvett.services.engine.facts import Facts
from nuvett.services.platform.studio import Studio
from nuvett.services.series.catalogue import start_series
from nuvett.services.series.frame_facts import series_facts
from nuvett.store import models
from nuvett.store.models import Json


def made(studio: Studio, frames: int = 2) -> uuid.UUID:
    """A series of frames that count as measured."""
    with studio.database.session() as session:
        series = start_series(session, "Winter fair")
        for place in range(frames):
            row = models.Frame(series_id=series.id, position=place, name=f"{place}.jpg", original=f"{place}", bytes=1)
            row.state = "ready"
            session.add(row)
        return series.id


def facts_now(studio: Studio, series: uuid.UUID) -> Facts:
    with studio.database.session() as session:
        return series_facts(session, session.get_one(models.Series, series))


def first(session: Session) -> models.Frame:
    return session.query(models.Frame).order_by(models.Frame.position).all()[0]


def evened(session: Session) -> None:
    even: Json = EvenLight(gains=(2, 1, 1)).model_dump(mode="json")
    session.execute(update(models.Frame).values(even=even))  # also where no object of ours is touched


def trimmed(session: Session) -> None:
    first(session).trim = Trim().model_copy(update={"straighten": 3}).model_dump(mode="json")


def hero(session: Session) -> None:
    session.query(models.Series).one().hero_id = first(session).id


def held(session: Session) -> None:
    row = models.Thread(series_id=first(session).series_id, position=1, name="jug", goal={"kind": "frames"}, within=1.0)
    session.add(row)


def carried(session: Session) -> None:
    frame = first(session)
    look = session.query(models.Look).one()
    version = models.LookVersion(look_id=look.id, number=1, document=look.draft)
    session.add(version)
    session.flush()
    session.add(models.CarriedPlan(frame_id=frame.id, version_id=version.id, key="k", basis="b"))


def gone(session: Session) -> None:
    session.delete(first(session))


CHANGES = {"evened": evened, "trimmed": trimmed, "hero": hero, "held": held, "carried": carried, "gone": gone}


def test_nothing_is_read_again_while_nothing_changes(studio: Studio) -> None:
    series = made(studio)
    before = facts_now(studio, series)
    asked: list[str] = []
    event.listen(studio.database.engine, "before_cursor_execute", lambda *given: asked.append(given[2]))
    assert facts_now(studio, series) is before
    assert not [statement for statement in asked if "FROM frame" in statement]


@pytest.mark.parametrize("change", CHANGES.values(), ids=CHANGES)
def test_every_change_is_seen_within_its_transaction_and_by_all_after_it(
    studio: Studio, change: Callable[[Session], None]
) -> None:
    series = made(studio)
    with studio.database.session() as session:
        row = session.get_one(models.Series, series)
        before = series_facts(session, row)
        change(session)
        inside = series_facts(session, row)
        assert inside is not before
        assert facts_now(studio, series) is before  # others see what is committed
    after = facts_now(studio, series)
    assert after is not before
    assert [f.key for f in after] == [f.key for f in inside]


def test_a_change_that_is_taken_back_leaves_what_is_remembered(studio: Studio) -> None:
    series = made(studio)
    before = facts_now(studio, series)
    with pytest.raises(RuntimeError), studio.database.session() as session:
        evened(session)
        session.flush()
        raise RuntimeError
    assert facts_now(studio, series) is before


def test_two_changes_of_one_series_do_not_wait_for_each_other_before_they_end(studio: Studio) -> None:
    made(studio, frames=2)
    with studio.database.session() as one, studio.database.session() as other:
        for session in (one, other):
            session.execute(text("SET LOCAL lock_timeout = '5s'"))
        one.execute(text("UPDATE frame SET bytes = 2 WHERE position = 0"))
        other.execute(text("UPDATE frame SET bytes = 2 WHERE position = 1"))  # would wait here for the series' number
