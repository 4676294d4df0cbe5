"""Changes of threads, their places and what is answered of them, each a named step that can be undone."""

import uuid
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

import numpy as np
from pydantic import TypeAdapter
from sqlalchemy.orm import Session

from nuvett.core.measure.sampling import Sample
from nuvett.core.thread.brushing import Brushed
from nuvett.core.thread.growth import Pointed
from nuvett.core.thread.places import Outline
from nuvett.services.platform import history
from nuvett.services.series.things import colours_of
from nuvett.store import models
from nuvett.store.models import Json

POINTED = TypeAdapter(tuple[Pointed, ...])
STROKES = TypeAdapter(tuple[Brushed, ...])
State = dict[str, Json | None]
"""Threads, places and questions by what names them; none for one that is not there."""
_QUESTION = "?"
Row = models.ThreadRow | models.ThreadPlaceRow | models.ThreadQuestionRow


@dataclass(frozen=True)
class Grown:
    """A place as it was grown: what was pointed at, its outline, which of the outlines it is, and some colours.

    strokes : by which a person put the outline right
    """

    pointed: tuple[Pointed, ...]
    outline: Outline
    choice: int
    colours: Sample
    strokes: tuple[Brushed, ...] = ()


def grown_of(row: models.ThreadPlaceRow) -> Grown:
    """A place as its row keeps it."""
    pointed = POINTED.validate_python(row.pointed["places"])
    strokes = STROKES.validate_python(row.pointed.get("strokes", ()))
    return Grown(pointed, Outline.model_validate(row.outline), row.choice, colours_of(row.colours), strokes)


def fill_place(row: models.ThreadPlaceRow, grown: Grown, found: bool) -> None:
    """Keep a place in its row. found : whether nobody pointed at it"""
    row.pointed = {"places": POINTED.dump_python(grown.pointed, mode="json")}
    if grown.strokes:
        row.pointed["strokes"] = STROKES.dump_python(grown.strokes, mode="json")
    row.outline, row.choice, row.found = grown.outline.model_dump(mode="json"), grown.choice, found
    row.colours = {
        "colours": np.round(grown.colours.colours, 5).tolist(),
        "places": np.round(grown.colours.places, 4).tolist(),
    }


def subject_of(series: models.SeriesRow) -> str:
    """What the history of a series' threads goes by."""
    return f"threads:{series.id}"


@contextmanager
def recorded(
    session: Session,
    series: models.SeriesRow,
    words: str,
    threads: Sequence[models.ThreadRow] = (),
    seen: Sequence[tuple[uuid.UUID, uuid.UUID]] = (),
) -> Iterator[None]:
    """A change of some threads, and of places and questions by thread and frame, kept in the history."""
    for row in threads:
        row.id = row.id or uuid.uuid4()
    names = [str(row.id) for row in threads]
    for thread, frame in seen:
        names += [f"{thread} {frame}", f"{thread} {frame} {_QUESTION}"]
    before = _state(session, names)
    yield
    session.flush()
    after = _state(session, names)
    if before != after:
        history.record(session, series.id, subject_of(series), words, before, after)


def restore(session: Session, series: models.SeriesRow, state: dict[str, Any]) -> None:
    """Put threads, places and answers back; those of frames that are gone stay away."""
    for name in sorted(state, key=len):  # threads before what belongs to them
        _restore(session, series, name, state[name])
        session.flush()


def _ids(name: str) -> list[uuid.UUID]:
    """The thread that a name is of, and the frame where it is of a place or a question."""
    return [uuid.UUID(part) for part in name.split() if part != _QUESTION]


def _found(session: Session, name: str) -> Row | None:
    thread, *frame = _ids(name)
    if not frame:
        return session.get(models.ThreadRow, thread)
    if name.endswith(_QUESTION):
        return session.get(models.ThreadQuestionRow, (thread, frame[0]))
    return session.get(models.ThreadPlaceRow, (thread, frame[0]))


_KEPT: dict[type[Row], tuple[str, ...]] = {
    models.ThreadRow: ("name", "kind", "goal", "position", "within"),
    models.ThreadPlaceRow: ("pointed", "outline", "colours", "choice", "found"),
    models.ThreadQuestionRow: ("state", "place", "sure"),
}


def _state(session: Session, names: Sequence[str]) -> State:
    rows = {name: _found(session, name) for name in names}
    return {
        name: None if row is None else {column: getattr(row, column) for column in _KEPT[type(row)]}
        for name, row in rows.items()
    }


def _restore(session: Session, series: models.SeriesRow, name: str, values: Json | None) -> None:
    row = _found(session, name)
    if values is None:
        if row is not None:
            session.delete(row)
        return
    made = row or _new(session, series, name)
    if made is None:
        return
    for column, value in values.items():
        setattr(made, column, value)
    session.add(made)


def _new(session: Session, series: models.SeriesRow, name: str) -> Row | None:
    """A row to be filled; none where what it belongs to is gone."""
    thread, *frame = _ids(name)
    if not frame:
        return models.ThreadRow(id=thread, series_id=series.id)
    if session.get(models.ThreadRow, thread) is None or session.get(models.FrameRow, frame[0]) is None:
        return None
    if name.endswith(_QUESTION):
        return models.ThreadQuestionRow(thread_id=thread, frame_id=frame[0])
    return models.ThreadPlaceRow(thread_id=thread, frame_id=frame[0])
