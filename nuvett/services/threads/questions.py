"""Questions about threads: is this it? Answered by yes, by no, or left open."""

import uuid
from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from nuvett.core.errors import NotFoundError
from nuvett.core.thread.following import Answer
from nuvett.core.thread.growth import Pointed
from nuvett.core.thread.places import Outline
from nuvett.services.engine.facts import FrameFacts
from nuvett.services.platform.studio import Studio
from nuvett.services.series.catalogue import find_frame, find_series, lock_series
from nuvett.services.series.frame_facts import facts_of
from nuvett.services.threads.changes import POINTED, Grown, recorded
from nuvett.services.threads.outlines import grow
from nuvett.services.threads.threads import find_thread, keep_place
from nuvett.store import models
from nuvett.store.models import Json


@dataclass(frozen=True)
class Question:
    """Whether a thread is seen at a place of a frame."""

    thread: uuid.UUID
    frame: uuid.UUID
    pointed: tuple[Pointed, ...]
    choice: int
    outline: Outline
    sure: float


def place_asked(grown: Grown) -> Json:
    """A place that is asked about, as its row keeps it."""
    return {
        "places": POINTED.dump_python(grown.pointed, mode="json"),
        "choice": grown.choice,
        "outline": grown.outline.model_dump(mode="json"),
    }


def _question(row: models.ThreadQuestionRow) -> Question:
    pointed, outline = POINTED.validate_python(row.place["places"]), Outline.model_validate(row.place["outline"])
    return Question(row.thread_id, row.frame_id, pointed, int(row.place["choice"]), outline, row.sure)


def questions_of(session: Session, series_id: uuid.UUID) -> list[Question]:
    """What is asked of a series' threads, the surest first."""
    question, thread, frame = models.ThreadQuestionRow, models.ThreadRow, models.FrameRow
    query = (
        select(question)
        .join(thread, thread.id == question.thread_id)
        .join(frame, frame.id == question.frame_id)
        .where(thread.series_id == series_id, question.state == "asked", frame.state == "ready")
        .order_by(thread.position, question.sure.desc(), frame.position)
    )
    return [_question(row) for row in session.scalars(query)]


def answer(studio: Studio, slug: str, seen: tuple[uuid.UUID, uuid.UUID], by: Answer) -> None:
    """Answer whether a thread is seen in a frame. Raises NotFoundError where that is not asked any more.

    seen : the thread and the frame; a place is grown before anything is locked
    """
    asked, frame = _asked(studio, slug, seen)
    grown = grow(studio.bench, frame, asked.pointed, asked.choice) if by == "yes" else None
    with studio.database.session() as session:
        series = find_series(session, slug)
        if grown is not None:
            keep_place(session, studio, series, seen, grown)
        else:
            _refuse(session, series, seen, by)


def _asked(studio: Studio, slug: str, seen: tuple[uuid.UUID, uuid.UUID]) -> tuple[Question, FrameFacts]:
    with studio.database.session() as session:
        series = find_series(session, slug)
        find_thread(session, series, seen[0])
        frame = find_frame(session, series, seen[1])
        row = session.get(models.ThreadQuestionRow, seen)
        if row is None or row.state != "asked" or frame.state != "ready":
            raise NotFoundError
        return _question(row), facts_of(frame)


def _refuse(session: Session, series: models.SeriesRow, seen: tuple[uuid.UUID, uuid.UUID], by: Answer) -> None:
    lock_series(session, series.id)
    thread, frame = find_thread(session, series, seen[0]), find_frame(session, series, seen[1])
    row = session.get(models.ThreadQuestionRow, seen)
    if row is None:
        raise NotFoundError
    words = f"{thread.name}: {'not in' if by == 'no' else 'left open in'} {frame.name}"
    with recorded(session, series, words, seen=[seen]):
        row.state = "no" if by == "no" else "skipped"
