"""Threads of a series and the places where they are seen, each change a named step that can be undone."""

import uuid
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from pydantic import TypeAdapter, ValidationError
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError, NotFoundError
from nuvett.core.measure.sampling import Sample
from nuvett.core.thread.colours import Goal
from nuvett.core.thread.growing import MOST_PLACES, Pointed
from nuvett.core.thread.places import Outline
from nuvett.services.platform import history
from nuvett.services.platform.studio import Studio
from nuvett.services.series.catalogue import find_frame, lock_series
from nuvett.services.series.lighting import let_light_be_evened
from nuvett.services.series.things import colours_of, key_of
from nuvett.store import models
from nuvett.store.models import Json

MOST_THREADS = 40
_LONGEST_NAME = 60
_POINTED = TypeAdapter(tuple[Pointed, ...])
State = dict[str, Json | None]
"""Threads and places by what names them; none for one that is not there."""


@dataclass(frozen=True)
class Grown:
    """A place as it was grown: what was pointed at, its outline, which of the outlines it is, and some colours."""

    pointed: tuple[Pointed, ...]
    outline: Outline
    choice: int
    colours: Sample


@dataclass(frozen=True)
class Place:
    """Where a thread is seen in a frame."""

    thread: uuid.UUID
    frame: uuid.UUID
    grown: Grown

    @cached_property
    def key(self) -> str:
        """Names the colours that it is measured by."""
        return key_of(self.grown.colours)


@dataclass(frozen=True)
class Thread:
    """A thing with its places in frames."""

    id: uuid.UUID
    name: str
    goal: Goal
    places: dict[uuid.UUID, Place]
    within: float | None = None


def subject_of(series: models.Series) -> str:
    """What the history of a series' threads goes by."""
    return f"threads:{series.id}"


def threads_of(session: Session, series_id: uuid.UUID) -> list[Thread]:
    """Threads of a series in their order, with their places in frames that are there."""
    found = {row.id: _thread(row) for row in _rows(session, series_id)}
    if not found:
        return []
    query = (
        select(models.ThreadPlace)
        .join(models.Frame, models.Frame.id == models.ThreadPlace.frame_id)
        .where(models.ThreadPlace.thread_id.in_(found), models.Frame.state == "ready")
    )
    for row in session.scalars(query):
        found[row.thread_id].places[row.frame_id] = Place(row.thread_id, row.frame_id, _grown(row))
    return list(found.values())


def _rows(session: Session, series_id: uuid.UUID) -> Sequence[models.Thread]:
    query = select(models.Thread).where(models.Thread.series_id == series_id).order_by(models.Thread.position)
    return session.scalars(query).all()


def _thread(row: models.Thread) -> Thread:
    return Thread(row.id, row.name, Goal.model_validate(row.goal), {}, row.within)


def _grown(row: models.ThreadPlace) -> Grown:
    pointed = _POINTED.validate_python(row.pointed["places"])
    return Grown(pointed, Outline.model_validate(row.outline), row.choice, colours_of(row.colours))


def _plain(grown: Grown) -> Json:
    colours = {
        "colours": np.round(grown.colours.colours, 5).tolist(),
        "places": np.round(grown.colours.places, 4).tolist(),
    }
    return {
        "pointed": {"places": _POINTED.dump_python(grown.pointed, mode="json")},
        "outline": grown.outline.model_dump(mode="json"),
        "colours": colours,
        "choice": grown.choice,
    }


def parse_pointed(values: object) -> tuple[Pointed, ...]:
    """Places that a person pointed at. Raises InvalidChangeError for what is none, outside, or too many."""
    try:
        pointed = _POINTED.validate_python(values)
    except ValidationError as error:
        raise InvalidChangeError("A place is given by x and y.") from error
    if len(pointed) > MOST_PLACES:
        raise InvalidChangeError(f"A thing is pointed at in at most {MOST_PLACES} places; begin it anew.")
    if not all(0 <= one.x <= 1 and 0 <= one.y <= 1 for one in pointed):
        raise InvalidChangeError("That place lies outside the picture.")
    return pointed


def find_thread(session: Session, series: models.Series, thread_id: uuid.UUID) -> models.Thread:
    """A thread of a series. Raises NotFoundError."""
    row = session.get(models.Thread, thread_id)
    if row is None or row.series_id != series.id:
        raise NotFoundError
    return row


def start_thread(session: Session, series: models.Series, name: str) -> models.Thread:
    """A new thread at the end. Raises InvalidChangeError for a name that cannot be used, or too many threads."""
    lock_series(session, series.id)
    if len(_rows(session, series.id)) >= MOST_THREADS:
        raise InvalidChangeError(f"There are at most {MOST_THREADS} threads; take one away first.")
    last = session.scalar(select(func.max(models.Thread.position)).where(models.Thread.series_id == series.id)) or 0
    row = models.Thread(series_id=series.id, position=last + 1, name=_named(name), goal=Goal().model_dump(mode="json"))
    with _recorded(session, series, f"{row.name}: followed", threads=[row]):
        session.add(row)
        session.flush()
    return row


def _named(name: str) -> str:
    plain = " ".join(name.split())
    if not plain or len(plain) > _LONGEST_NAME:
        raise InvalidChangeError(f"A thread has a name of at most {_LONGEST_NAME} characters.")
    return plain


def change_thread(
    session: Session, series: models.Series, thread_id: uuid.UUID, name: str | None = None, goal: Goal | None = None
) -> None:
    """Give a thread another name or goal. Raises NotFoundError, InvalidChangeError for a name."""
    lock_series(session, series.id)
    row = find_thread(session, series, thread_id)
    words = f"{row.name}: {'called otherwise' if name is not None else 'another goal'}"
    with _recorded(session, series, words, threads=[row]):
        row.name = row.name if name is None else _named(name)
        row.goal = row.goal if goal is None else goal.model_dump(mode="json")
        session.flush()


def hold_thread(session: Session, series: models.Series, thread_id: uuid.UUID, within: float | None) -> None:
    """Hold a thread within so many CIEDE2000 of what it should be, or only watch it. Raises NotFoundError."""
    lock_series(session, series.id)
    row = find_thread(session, series, thread_id)
    words = f"{row.name}: {'only watched' if within is None else f'held within {within:g}'}"
    with _recorded(session, series, words, threads=[row]):
        row.within = within
        session.flush()


def drop_thread(session: Session, studio: Studio, series: models.Series, thread_id: uuid.UUID) -> None:
    """Take a thread away with its places. Raises NotFoundError."""
    lock_series(session, series.id)
    row = find_thread(session, series, thread_id)
    own = session.scalars(select(models.ThreadPlace).where(models.ThreadPlace.thread_id == row.id)).all()
    with _recorded(session, series, f"{row.name}: no longer followed", threads=[row], places=own):
        session.delete(row)
        session.flush()
    let_light_be_evened(session, studio, series.id)


def keep_place(
    session: Session,
    studio: Studio,
    series: models.Series,
    where: tuple[uuid.UUID, uuid.UUID],
    grown: Grown | None,
) -> None:
    """Let a thread be seen at a place of a frame, or nowhere in it; light is evened by it. Raises NotFoundError.

    where : the thread and the frame
    """
    thread_id, frame_id = where
    lock_series(session, series.id)
    thread, frame = find_thread(session, series, thread_id), find_frame(session, series, frame_id)
    row = session.get(models.ThreadPlace, (thread.id, frame.id))
    words = f"{thread.name}: {'not ' if grown is None else ''}in {frame.name}"
    named = row or models.ThreadPlace(thread_id=thread.id, frame_id=frame.id)
    with _recorded(session, series, words, places=[named]):
        if grown is None:
            if row is not None:
                session.delete(row)
        else:
            _fill(named, _plain(grown))
            session.add(named)
        session.flush()
    let_light_be_evened(session, studio, series.id)


def _fill(row: models.ThreadPlace, values: Json) -> None:
    row.pointed, row.outline, row.colours = values["pointed"], values["outline"], values["colours"]
    row.choice = values["choice"]


@contextmanager
def _recorded(
    session: Session,
    series: models.Series,
    words: str,
    threads: Sequence[models.Thread] = (),
    places: Sequence[models.ThreadPlace] = (),
) -> Iterator[None]:
    """A change of some threads and places, kept in the history under its words."""
    for row in threads:
        row.id = row.id or uuid.uuid4()
    asked = [str(row.id) for row in threads], [f"{row.thread_id} {row.frame_id}" for row in places]
    before = _state(session, *asked)
    yield
    after = _state(session, *asked)
    if before != after:
        history.record(session, series.id, subject_of(series), words, before, after)


def _state(session: Session, threads: Sequence[str], places: Sequence[str]) -> State:
    found: State = {}
    for name in threads:
        row = session.get(models.Thread, uuid.UUID(name))
        found[name] = None if row is None else _values(row)
    for name in places:
        thread, frame = (uuid.UUID(part) for part in name.split())
        place = session.get(models.ThreadPlace, (thread, frame))
        found[name] = None if place is None else _plain(_grown(place))
    return found


def _values(row: models.Thread) -> Json:
    return {"name": row.name, "goal": row.goal, "position": row.position, "within": row.within}


def walk_threads(session: Session, studio: Studio, series: models.Series, forward: bool) -> str:
    """Undo or redo one change of threads; its words. Raises InvalidChangeError when there is none."""
    lock_series(session, series.id)
    passed = history.walked(session, subject_of(series), forward)
    _restore(session, series, passed.state)
    let_light_be_evened(session, studio, series.id)
    return passed.step.words


def _restore(session: Session, series: models.Series, state: dict[str, Any]) -> None:
    """Put threads and places back; those of frames that are gone stay away."""
    for name in sorted(state, key=len):  # threads before their places
        values = state[name]
        if " " not in name:
            _restore_thread(session, series, uuid.UUID(name), values)
            continue
        thread, frame = (uuid.UUID(part) for part in name.split())
        row = session.get(models.ThreadPlace, (thread, frame))
        if values is None:
            if row is not None:
                session.delete(row)
        elif session.get(models.Thread, thread) is not None and session.get(models.Frame, frame) is not None:
            row = row or models.ThreadPlace(thread_id=thread, frame_id=frame)
            _fill(row, values)
            session.add(row)
        session.flush()


def _restore_thread(session: Session, series: models.Series, thread: uuid.UUID, values: Json | None) -> None:
    row = session.get(models.Thread, thread)
    if values is None:
        if row is not None:
            session.delete(row)
    else:
        row = row or models.Thread(id=thread, series_id=series.id)
        row.name, row.goal, row.position = values["name"], values["goal"], values["position"]
        row.within = values["within"]
        session.add(row)
    session.flush()
