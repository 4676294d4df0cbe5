"""Threads followed by themselves: the sure is taken, the doubtful asked about, and what was said stays so."""

import uuid
from pathlib import Path

import cv2
import pytest
from sqlalchemy import select, text, update

from nuvett.core.errors import NotFoundError
from nuvett.core.thread.following import DOUBTFUL, SURE
from nuvett.services.platform.studio import Studio
from nuvett.services.series import catalogue, gathering, things
from nuvett.services.series.frame_facts import series_facts
from nuvett.services.shelf import filing
from nuvett.services.threads import following, threads
from nuvett.services.threads.questions import answer, questions_of
from nuvett.services.threads.threads import Thread
from nuvett.store import models
from tests.conftest import DEMO, drain
from tests.services.test_threads import BOWL, every, opened, point, walk

APRON, FACE = (0.5, 0.55), (0.505, 0.2)


def follow(studio: Studio, slug: str) -> None:
    """What the worker does with the job that a change has queued."""
    with opened(studio, slug) as (session, series):
        session.execute(text("DELETE FROM procrastinate_jobs WHERE task_name = 'follow'"))
        own = series.id
    following.follow(studio, own)


def frame_named(studio: Studio, slug: str, name: str) -> uuid.UUID:
    with opened(studio, slug) as (session, series):
        return next(f.id for f in catalogue.ready_frames(session, series.id) if f.name == name)


def asked(studio: Studio, slug: str) -> dict[uuid.UUID, float]:
    with opened(studio, slug) as (session, series):
        return {one.frame: one.sure for one in questions_of(session, series.id)}


def with_frames(studio: Studio, slug: str, *names: str) -> None:
    with opened(studio, slug) as (session, series):
        for name in names:
            gathering.add_file(session, studio, series, DEMO / "frames" / f"{name}.jpg")
    drain(studio)


def as_doubtful(studio: Studio, monkeypatch: pytest.MonkeyPatch) -> None:
    """Nothing is sure enough to be taken unasked."""
    monkeypatch.setattr(following, "SURE", 1.1)


def only(studio: Studio, slug: str, thread: uuid.UUID) -> Thread:
    return next(one for one in every(studio, slug) if one.id == thread)


def test_a_thing_pointed_at_once_is_found_elsewhere_and_not_where_it_is_not(studio: Studio, slug: str) -> None:
    with_frames(studio, slug, "AT-0112", "AT-0105")
    made = point(studio, slug, "AT-0101", BOWL["AT-0101"])
    with opened(studio, slug) as (_, series):
        assert series.follow_due
    follow(studio, slug)
    thread = only(studio, slug, made)
    found = {frame for frame, place in thread.places.items() if place.found}
    assert frame_named(studio, slug, "AT-0112") in found, "the same table in another light"
    absent = {frame_named(studio, slug, name) for name in ("AT-0103", "AT-0105")}
    assert not absent & (thread.places.keys() | asked(studio, slug).keys()), "shelves and windows do not show it"
    assert all(DOUBTFUL <= sure < SURE for sure in asked(studio, slug).values())
    middle = thread.places[frame_named(studio, slug, "AT-0112")].grown.outline.middle
    assert abs(middle[0] - 0.51) < 0.06 and abs(middle[1] - 0.68) < 0.08, "on the bowl"
    with opened(studio, slug) as (session, series):
        assert not series.follow_due and series.light_due, "and light is evened by it"
        described = {row.name: row.described for row in catalogue.ready_frames(session, series.id)}
    assert all(described.values()) and len(studio.blobs.read(described["AT-0112"] or "")) < 450_000
    assert (
        walk(studio, slug, False) == f"{thread.name}: found in {len(found)} {'frame' if len(found) == 1 else 'frames'}"
    )
    assert not any(place.found for place in only(studio, slug, made).places.values())
    follow(studio, slug)
    assert not any(place.found for place in only(studio, slug, made).places.values()), "what was undone stays so"


def test_what_is_answered_is_kept_undone_and_never_asked_again(
    studio: Studio, slug: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    as_doubtful(studio, monkeypatch)
    with_frames(studio, slug, "AT-0112", "AT-0122", "AT-0128")
    made = point(studio, slug, "AT-0101", BOWL["AT-0101"])
    follow(studio, slug)
    assert only(studio, slug, made).places.keys() == {frame_named(studio, slug, "AT-0101")}
    first, second, third = asked(studio, slug)
    assert len(asked(studio, slug)) == following.MAX_QUESTIONS
    answer(studio, slug, (made, first), "no")
    answer(studio, slug, (made, second), "skip")
    with opened(studio, slug) as (session, _):
        twin = filing.duplicate_series(session, slug)
        assert [one.thread for one in questions_of(session, twin.id)] != [made], "a copy asks of its own thread"
        states = (
            select(models.ThreadQuestionRow.state).join(models.ThreadRow).where(models.ThreadRow.series_id == twin.id)
        )
        assert sorted(session.scalars(states)) == ["asked", "no", "skipped"]
    answer(studio, slug, (made, third), "yes")
    place = only(studio, slug, made).places[third]
    assert not place.found and asked(studio, slug) == {}, "a person has said so"
    follow(studio, slug)
    assert not {first, second} & asked(studio, slug).keys(), "no is no, and what was left open stays so"
    for _ in range(3):
        walk(studio, slug, False)
    assert asked(studio, slug).keys() >= {first, second} and third not in only(studio, slug, made).places
    for seen in ((made, frame_named(studio, slug, "AT-0101")), (uuid.uuid4(), first), (made, uuid.uuid4())):
        with pytest.raises(NotFoundError):
            answer(studio, slug, seen, "yes")


def test_a_place_taken_out_is_not_found_again_and_a_click_there_brings_it_back(studio: Studio, slug: str) -> None:
    with_frames(studio, slug, "AT-0112")
    made, other = point(studio, slug, "AT-0101", BOWL["AT-0101"]), frame_named(studio, slug, "AT-0112")
    follow(studio, slug)
    with opened(studio, slug) as (session, series):
        threads.keep_place(session, studio, series, (made, other), None)
    point(studio, slug, "AT-0108", (0.5, 0.5), made)
    follow(studio, slug)
    assert other not in only(studio, slug, made).places and other not in asked(studio, slug)
    point(studio, slug, "AT-0112", (0.51, 0.68), made)
    assert not only(studio, slug, made).places[other].found
    assert walk(studio, slug, False).endswith("in AT-0112") and other not in only(studio, slug, made).places


def test_nothing_is_kept_by_a_search_that_was_overtaken(
    studio: Studio, slug: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    with_frames(studio, slug, "AT-0112")
    made, looked = point(studio, slug, "AT-0101", BOWL["AT-0101"]), following._found

    def overtaken(*given):  # type: ignore[no-untyped-def]
        monkeypatch.setattr(following, "_found", looked)
        point(studio, slug, "AT-0101", (0.2, 0.2), made)
        return looked(*given)

    monkeypatch.setattr(following, "_found", overtaken)
    follow(studio, slug)
    assert len(only(studio, slug, made).places) == 1, "what was found by the place before says nothing any more"
    with opened(studio, slug) as (_, series):
        assert series.follow_due, "the screen waits for what looks again"
    follow(studio, slug)
    with opened(studio, slug) as (session, _):
        assert session.get_one(models.ThreadRow, made).followed, "and it is looked for anew"


def test_another_outline_finds_anew_and_what_was_found_by_the_one_before_goes(
    studio: Studio, slug: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    with_frames(studio, slug, "AT-0112")
    made, other = point(studio, slug, "AT-0101", BOWL["AT-0101"]), frame_named(studio, slug, "AT-0112")
    follow(studio, slug)
    before = only(studio, slug, made).places[other].grown.outline
    point(studio, slug, "AT-0101", (0.36, 0.62), made)
    monkeypatch.setattr(following, "SURE", 0.0)
    follow(studio, slug)
    assert only(studio, slug, made).places[other].grown.outline != before, "the vase, no more the bowl"
    point(studio, slug, "AT-0101", BOWL["AT-0101"], made)
    monkeypatch.setattr(following, "SURE", 1.1)
    follow(studio, slug)
    assert other not in only(studio, slug, made).places
    walk(studio, slug, False)
    assert only(studio, slug, made).places[other].found, "undo brings back what went"


def test_people_are_not_followed_and_faces_are_threads_from_the_start(studio: Studio, slug: str) -> None:
    with_frames(studio, slug, "AT-0106")
    faces = [thread for thread in every(studio, slug) if thread.kind == "complexion"]
    assert [thread.name for thread in faces] == ["Faces, medium", "Faces, very deep"]
    medium = faces[0].places[frame_named(studio, slug, "AT-0102")]
    assert medium.found and abs(medium.grown.outline.middle[0] - 0.51) < 0.03
    clicked = point(studio, slug, "AT-0102", FACE)
    by_hand = only(studio, slug, clicked).places[frame_named(studio, slug, "AT-0102")]
    apron = point(studio, slug, "AT-0102", APRON)
    follow(studio, slug)
    thread = only(studio, slug, apron)
    assert thread.kind == "figure" and len(thread.places) == 1 and asked(studio, slug) == {}
    point(studio, slug, "AT-0101", BOWL["AT-0101"], apron)
    follow(studio, slug)
    assert only(studio, slug, apron).kind == "thing", "a place beside people is one that can be looked for"
    overlapping = by_hand.grown.outline.mask((300, 200)) & medium.grown.outline.mask((300, 200))
    assert overlapping.sum() > 0.6 * medium.grown.outline.mask((300, 200)).sum(), "a click on a face grows the face"
    with opened(studio, slug) as (session, series):
        threads.drop_thread(session, studio, series, faces[1].id)
    drain(studio)
    assert [t.name for t in every(studio, slug) if t.kind == "complexion"] == ["Faces, medium"], "begun once"


def test_faces_that_come_later_join_their_complexion_or_are_asked_about_once_it_is_a_person(
    studio: Studio, slug: str, tmp_path: Path
) -> None:
    (medium,) = every(studio, slug)
    with_frames(studio, slug, "AT-0123")
    assert frame_named(studio, slug, "AT-0123") in only(studio, slug, medium.id).places

    def witnesses() -> int:
        with opened(studio, slug) as (session, series):
            return len(things.things_of(session, series.id))

    assert witnesses() == 0, "a complexion may be several people"
    with opened(studio, slug) as (session, series):
        threads.change_thread(session, series, medium.id, name="Ida")
    assert only(studio, slug, medium.id).kind == "person" and witnesses() == 2
    pixels = cv2.imread(str(DEMO / "frames" / "AT-0102.jpg"))
    cv2.imwrite(str(tmp_path / "late.jpg"), cv2.convertScaleAbs(pixels, alpha=0.97))
    with opened(studio, slug) as (session, series):
        gathering.add_file(session, studio, series, tmp_path / "late.jpg")
    drain(studio)
    late = frame_named(studio, slug, "late")
    assert late not in only(studio, slug, medium.id).places and late in asked(studio, slug)
    answer(studio, slug, (medium.id, late), "yes")
    assert late in only(studio, slug, medium.id).places


def test_a_series_that_is_gone_empty_or_given_up_is_left_alone(studio: Studio, slug: str) -> None:
    following.follow(studio, uuid.uuid4())
    following.describe_frames(studio, uuid.uuid4())
    with opened(studio, slug) as (session, _):
        empty = catalogue.start_series(session, "Empty")
        threads.let_be_followed(session, studio, empty.id)
        own = empty.id
    following.give_up(studio, own)
    with studio.database.session() as session:
        assert not session.get_one(models.SeriesRow, own).follow_due
        session.execute(update(models.FrameRow).values(faces_followed=True))
        following.queue_if_due(session, studio, own)
        facts = series_facts(session, catalogue.find_series(session, slug))
        assert len(facts) == 5 and session.scalar(select(models.ThreadQuestionRow)) is None
