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
from nuvett.services.series.labels import labels_of
from nuvett.services.series.variants import make_variant
from nuvett.store import models
from nuvett.store.models import Json


def made(studio: Studio, frames: int = 2) -> uuid.UUID:
    """A series of frames that count as measured."""
    with studio.database.session() as session:
        series = start_series(session, "Winter fair")
        for place in range(frames):
            row = models.FrameRow(
                series_id=series.id, position=place, name=f"{place}.jpg", original=f"{place}", bytes=1
            )
            row.state = "ready"
            session.add(row)
        return series.id


def facts_now(studio: Studio, series: uuid.UUID) -> Facts:
    with studio.database.session() as session:
        return series_facts(session, session.get_one(models.SeriesRow, series))


def first(session: Session) -> models.FrameRow:
    return session.query(models.FrameRow).order_by(models.FrameRow.position, models.FrameRow.created).all()[0]


def evened(session: Session) -> None:
    even: Json = EvenLight(gains=(2, 1, 1)).model_dump(mode="json")
    session.execute(update(models.FrameRow).values(even=even))  # also where no object of ours is touched


def trimmed(session: Session) -> None:
    first(session).trim = Trim(strength=40).model_dump(mode="json")


def named(session: Session) -> None:
    first(session).name = "another.jpg"


def followed(session: Session) -> None:
    look = session.query(models.LookRow).one()
    version = models.LookVersionRow(look_id=look.id, number=1, document=look.draft)
    session.add(version)
    session.flush()
    session.execute(update(models.FrameRow).values(follows_id=version.id))


def hero(session: Session) -> None:
    session.query(models.SeriesRow).one().hero_id = first(session).id


def held(session: Session) -> None:
    row = models.ThreadRow(
        series_id=first(session).series_id, position=1, name="jug", goal={"kind": "frames"}, within=1.0
    )
    session.add(row)


def carried(session: Session) -> None:
    frame = first(session)
    look = session.query(models.LookRow).one()
    version = models.LookVersionRow(look_id=look.id, number=1, document=look.draft)
    session.add(version)
    session.flush()
    session.add(models.CarriedPlanRow(frame_id=frame.id, version_id=version.id, key="k", basis="b"))


def gone(session: Session) -> None:
    session.delete(first(session))


CHANGES = {"evened": evened, "trimmed": trimmed, "held": held, "carried": carried, "gone": gone}


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
        row = session.get_one(models.SeriesRow, series)
        before = series_facts(session, row)
        change(session)
        inside = series_facts(session, row)
        assert inside is not before
        assert facts_now(studio, series) is before  # others see what is committed
    after = facts_now(studio, series)
    assert after is not before
    assert [f.key for f in after] == [f.key for f in inside]


def test_of_frames_that_did_not_change_nothing_is_read_again(studio: Studio) -> None:
    series = made(studio, frames=4)
    before = facts_now(studio, series)
    with studio.database.session() as session:
        trimmed(session)
    asked: list[tuple[str, object]] = []
    event.listen(studio.database.engine, "before_cursor_execute", lambda *given: asked.append((given[2], given[3])))
    after = facts_now(studio, series)
    assert [one is other for one, other in zip(after, before, strict=True)] == [False, True, True, True]
    whole = [given for statement, given in asked if "frame.original" in statement and "md5" not in statement]
    assert [list(given.values()) for given in whole] == [[[after[0].id]]]  # type: ignore[attr-defined]


@pytest.mark.parametrize("change", [named, hero, followed], ids=lambda change: change.__name__)
def test_what_comes_to_the_same_facts_is_the_same_object(studio: Studio, change: Callable[[Session], None]) -> None:
    series = made(studio)
    before = facts_now(studio, series)
    with studio.database.session() as session:
        change(session)
    assert facts_now(studio, series) is before


def test_a_variant_has_the_light_of_its_frame_as_that_is_evened_anew(studio: Studio) -> None:
    series = made(studio)
    with studio.database.session() as session:
        make_variant(session, session.get_one(models.SeriesRow, series), first(session), "warm")
    before = facts_now(studio, series)
    assert [frame.first == before[0].id for frame in before] == [True, True, False]
    with studio.database.session() as session:
        first(session).even = EvenLight(gains=(2, 1, 1)).model_dump(mode="json")
    after = facts_now(studio, series)
    assert [tuple(frame.even.gains) for frame in after] == [(2, 1, 1), (2, 1, 1), (1, 1, 1)]
    assert after[2] is before[2]


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


def test_a_frame_that_arrives_while_a_page_is_made_stands_on_it_without_a_name(studio: Studio) -> None:
    made(studio)
    with studio.database.session() as reading:
        series = reading.query(models.SeriesRow).one()
        labels = labels_of(reading, series)
        with studio.database.session() as other:
            row = models.FrameRow(series_id=series.id, position=7, name="7.jpg", original="7", bytes=1)
            row.state = "ready"
            other.add(row)
        said = {labels[frame.id].name for frame in series_facts(reading, series)}
    assert said == {"0.jpg", "1.jpg", ""}
    with studio.database.session() as session:
        series = session.query(models.SeriesRow).one()
        assert {own.name for own in labels_of(session, series).values()} == {"0.jpg", "1.jpg", "7.jpg"}
