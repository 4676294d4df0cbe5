"""Threads of a series and the places where they are seen, each change a named step that can be undone."""

import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

from pydantic import ValidationError
from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError, NotFoundError
from nuvett.core.thread.brushing import MAX_POINTS, MAX_STROKES, Brushed
from nuvett.core.thread.colours import Goal
from nuvett.core.thread.growth import MAX_PLACES, Pointed
from nuvett.services.platform import history
from nuvett.services.platform.queue import FOLLOW
from nuvett.services.platform.studio import Studio
from nuvett.services.series.catalogue import find_frame, lock_series
from nuvett.services.series.lighting import let_light_be_evened
from nuvett.services.series.things import key_of
from nuvett.services.threads.changes import POINTED, STROKES, Grown, fill_place, grown_of, recorded, restore, subject_of
from nuvett.store import models

MAX_THREADS = 40
_LONGEST_NAME = 60


@dataclass(frozen=True)
class ThreadPlace:
    """Where a thread is seen in a frame; found : whether nobody pointed at it."""

    thread: uuid.UUID
    frame: uuid.UUID
    grown: Grown
    found: bool = False

    @cached_property
    def key(self) -> str:
        """Names the colours that it is measured by."""
        return key_of(self.grown.colours)


@dataclass(frozen=True)
class Thread:
    """A thing with its places in frames; kind, followed : as its row has them."""

    id: uuid.UUID
    name: str
    goal: Goal
    places: dict[uuid.UUID, ThreadPlace]
    within: float | None = None
    kind: str = "thing"
    followed: str = ""


def names_of(session: Session, series_id: uuid.UUID) -> list[tuple[str, str]]:
    """Ids and names of a series' threads in their order."""
    return [(str(row.id), row.name) for row in _rows(session, series_id)]


def threads_of(session: Session, series_id: uuid.UUID, only: uuid.UUID | None = None) -> list[Thread]:
    """Threads of a series in their order, or one of them, with their places in frames that are there, in theirs."""
    found = {row.id: _thread(row) for row in _rows(session, series_id) if only in (None, row.id)}
    if not found:
        return []
    query = (
        select(models.ThreadPlaceRow)
        .join(models.FrameRow, models.FrameRow.id == models.ThreadPlaceRow.frame_id)
        .where(models.ThreadPlaceRow.thread_id.in_(found), models.FrameRow.state == "ready")
        .order_by(models.FrameRow.position, models.FrameRow.id)
    )
    for row in session.scalars(query):
        found[row.thread_id].places[row.frame_id] = ThreadPlace(row.thread_id, row.frame_id, grown_of(row), row.found)
    return list(found.values())


def _rows(session: Session, series_id: uuid.UUID) -> Sequence[models.ThreadRow]:
    query = select(models.ThreadRow).where(models.ThreadRow.series_id == series_id).order_by(models.ThreadRow.position)
    return session.scalars(query).all()


def _thread(row: models.ThreadRow) -> Thread:
    return Thread(row.id, row.name, Goal.model_validate(row.goal), {}, row.within, row.kind, row.followed)


def parse_pointed(values: object) -> tuple[Pointed, ...]:
    """Places that a person pointed at. Raises InvalidChangeError for what is none, outside, or too many."""
    try:
        pointed = POINTED.validate_python(values)
    except ValidationError as error:
        raise InvalidChangeError("A place is given by x and y.") from error
    if len(pointed) > MAX_PLACES:
        raise InvalidChangeError(f"A thing is pointed at in at most {MAX_PLACES} places; begin it anew.")
    if not all(0 <= one.x <= 1 and 0 <= one.y <= 1 for one in pointed):
        raise InvalidChangeError("That place lies outside the picture.")
    return pointed


def parse_strokes(values: object) -> tuple[Brushed, ...]:
    """Strokes by which an outline is put right. Raises InvalidChangeError for what is none, or too many or too long."""
    try:
        strokes = STROKES.validate_python(values)
    except ValidationError as error:
        raise InvalidChangeError("A stroke is given by points and a radius.") from error
    if len(strokes) > MAX_STROKES or any(not 0 < len(stroke.points) <= MAX_POINTS for stroke in strokes):
        raise InvalidChangeError("That is too much to brush: point at the thing anew.")
    numbers = [value for stroke in strokes for point in stroke.points for value in point]
    if not all(-1 <= value <= 2 for value in numbers) or not all(0 < stroke.radius <= 0.25 for stroke in strokes):
        raise InvalidChangeError("That stroke lies outside the picture.")
    return strokes


def find_thread(session: Session, series: models.SeriesRow, thread_id: uuid.UUID) -> models.ThreadRow:
    """A thread of a series. Raises NotFoundError."""
    row = session.get(models.ThreadRow, thread_id)
    if row is None or row.series_id != series.id:
        raise NotFoundError
    return row


def next_position(session: Session, series_id: uuid.UUID) -> int:
    """The place of a thread after all others of a series."""
    last = select(func.max(models.ThreadRow.position)).where(models.ThreadRow.series_id == series_id)
    return (session.scalar(last) or 0) + 1


def start_thread(session: Session, series: models.SeriesRow, name: str) -> models.ThreadRow:
    """A new thread at the end. Raises InvalidChangeError for a name that cannot be used, or too many threads."""
    lock_series(session, series.id)
    if len(_rows(session, series.id)) >= MAX_THREADS:
        raise InvalidChangeError(f"There are at most {MAX_THREADS} threads; take one away first.")
    position, goal = next_position(session, series.id), Goal().model_dump(mode="json")
    row = models.ThreadRow(series_id=series.id, position=position, name=_named(name), goal=goal)
    with recorded(session, series, f"{row.name}: followed", threads=[row]):
        session.add(row)
    return row


def _named(name: str) -> str:
    plain = " ".join(name.split())
    if not plain or len(plain) > _LONGEST_NAME:
        raise InvalidChangeError(f"A thread has a name of at most {_LONGEST_NAME} characters.")
    return plain


def change_thread(
    session: Session, series: models.SeriesRow, thread_id: uuid.UUID, name: str | None = None, goal: Goal | None = None
) -> None:
    """Give a thread another name or goal. Raises NotFoundError, InvalidChangeError for a name."""
    lock_series(session, series.id)
    row = find_thread(session, series, thread_id)
    words = f"{row.name}: {'called otherwise' if name is not None else 'another goal'}"
    with recorded(session, series, words, threads=[row]):
        if name is not None:
            row.name = _named(name)
            row.kind = "person" if row.kind == "complexion" else row.kind  # who it is has been said
        row.goal = row.goal if goal is None else goal.model_dump(mode="json")


def hold_thread(session: Session, series: models.SeriesRow, thread_id: uuid.UUID, within: float | None) -> None:
    """Hold a thread within so many CIEDE2000 of what it should be, or only watch it. Raises NotFoundError."""
    lock_series(session, series.id)
    row = find_thread(session, series, thread_id)
    words = f"{row.name}: {'only watched' if within is None else f'held within {within:g}'}"
    with recorded(session, series, words, threads=[row]):
        row.within = within


def drop_thread(session: Session, studio: Studio, series: models.SeriesRow, thread_id: uuid.UUID) -> None:
    """Take a thread away with its places. Raises NotFoundError."""
    lock_series(session, series.id)
    row = find_thread(session, series, thread_id)
    seen = [
        (row.id, frame)
        for kind in (models.ThreadPlaceRow, models.ThreadQuestionRow)
        for frame in session.scalars(select(kind.frame_id).where(kind.thread_id == row.id))
    ]
    with recorded(session, series, f"{row.name}: no longer followed", [row], seen):
        session.delete(row)
    let_light_be_evened(session, studio, series.id)


def keep_place(
    session: Session,
    studio: Studio,
    series: models.SeriesRow,
    where: tuple[uuid.UUID, uuid.UUID],
    grown: Grown | None,
) -> None:
    """Let a thread be seen at a place of a frame, or nowhere in it; light is evened by it. Raises NotFoundError.

    where : the thread and the frame
    """
    lock_series(session, series.id)
    thread, frame = find_thread(session, series, where[0]), find_frame(session, series, where[1])
    words = f"{thread.name}: {'not ' if grown is None else ''}in {frame.name}"
    key = (thread.id, frame.id)
    with recorded(session, series, words, seen=[key]):
        place, question = session.get(models.ThreadPlaceRow, key), session.get(models.ThreadQuestionRow, key)
        if grown is None:
            answer_no(session, key)
            if place is not None:
                session.delete(place)
        else:
            place = place or models.ThreadPlaceRow(thread_id=thread.id, frame_id=frame.id)
            fill_place(place, grown, found=False)
            session.add(place)
            if question is not None:
                session.delete(question)
    let_light_be_evened(session, studio, series.id)
    if grown is not None:
        let_be_followed(session, studio, series.id)


def answer_no(session: Session, key: tuple[uuid.UUID, uuid.UUID]) -> None:
    """A thread is not seen in a frame, so that it is not looked for there again. key : the thread and the frame"""
    question = session.get(models.ThreadQuestionRow, key) or models.ThreadQuestionRow(
        thread_id=key[0], frame_id=key[1], place={}
    )
    question.state = "no"
    session.add(question)


def let_be_followed(session: Session, studio: Studio, series_id: uuid.UUID) -> None:
    """Queue looking for the things of a series in its frames, and mark it as due until that is done."""
    due = update(models.SeriesRow).where(models.SeriesRow.id == series_id)
    session.execute(due.values(follow_due=True))
    studio.queue.defer(session, FOLLOW, once=f"follow-{series_id}", series_id=str(series_id))


def walk_threads(session: Session, studio: Studio, series: models.SeriesRow, forward: bool) -> str:
    """Undo or redo one change of threads; its words. Raises InvalidChangeError when there is none."""
    lock_series(session, series.id)
    passed = history.walked(session, subject_of(series), forward)
    restore(session, series, passed.state)
    let_light_be_evened(session, studio, series.id)
    return passed.step.words
