"""Threads of faces: begun by themselves once a series is evened, one a complexion, and joined by new faces.

A complexion that has been named is a person: another face of that complexion is then asked about, not taken.
"""

import uuid
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass
from itertools import chain, count

import numpy as np
from sqlalchemy import select, update
from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError
from nuvett.core.look.look import Look
from nuvett.core.measure.sampling import Sample
from nuvett.core.planning.planning import evened
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.thread.colours import Goal, middle
from nuvett.core.thread.complexions import complexions, nearest, words_for
from nuvett.core.types import OKLab
from nuvett.services.engine.facts import Facts, FrameFacts
from nuvett.services.platform.studio import Studio
from nuvett.services.series.catalogue import lock_series
from nuvett.services.series.things import colours_of
from nuvett.services.threads.changes import Grown, fill_place
from nuvett.services.threads.outlines import grow_face
from nuvett.services.threads.questions import place_asked
from nuvett.services.threads.threads import next_position
from nuvett.store import models

OF_FACES = ("complexion", "person")
"""Kinds of threads that faces belong to."""


@dataclass(frozen=True)
class _Face:
    """A face of a frame, its evened colour (3,), and the place that was grown from it."""

    frame: uuid.UUID
    colour: OKLab
    grown: Grown


def frames_with_new_faces(session: Session, series_id: uuid.UUID) -> set[uuid.UUID]:
    """Frames with faces that are in no thread yet."""
    frame = models.FrameRow
    new = select(frame.id).where(frame.series_id == series_id, frame.state == "ready", frame.faces_followed.is_(False))
    return set(session.scalars(new.where(frame.faces["seen"] != [])))


def follow_faces(studio: Studio, series_id: uuid.UUID, facts: Facts) -> None:
    """Let new faces of a series that is evened join the threads of their complexions, or begin some. Idempotent."""
    with studio.database.session() as session:
        series = session.get(models.SeriesRow, series_id)
        if series is None or series.light_due:
            return
        new = frames_with_new_faces(session, series_id)
    frames = [frame for frame in facts.firsts if frame.id in new]
    faces = [face for frame in frames for face in _faces(studio, frame)]
    if not frames:
        return
    with studio.database.session() as session:
        if lock_series(session, series_id):
            new &= frames_with_new_faces(session, series_id)
            _begin(session, series_id, _join(session, series_id, facts, [face for face in faces if face.frame in new]))
            done = update(models.FrameRow).where(models.FrameRow.id.in_([frame.id for frame in frames]))
            session.execute(done.values(faces_followed=True))


def _rows(session: Session, series_id: uuid.UUID) -> Sequence[models.ThreadRow]:
    thread = models.ThreadRow
    query = select(thread).where(thread.series_id == series_id, thread.kind.in_(OF_FACES)).order_by(thread.position)
    return session.scalars(query).all()


def _faces(studio: Studio, frame: FrameFacts) -> list[_Face]:
    """Faces of a frame, the largest first."""
    found = []
    for face in sorted(frame.faces, key=lambda face: -face.box[2] * face.box[3]):
        with suppress(InvalidChangeError):
            grown = grow_face(studio.bench, frame, face, face.middle)
            found.append(_Face(frame.id, _evened(frame, grown.colours), grown))
    return found


def _evened(frame: FrameFacts, colours: Sample) -> OKLab:
    lab = linear_to_oklab(evened(colours.colours, frame.even, Look()))
    return OKLab(np.median(lab, axis=0))


def _begin(session: Session, series_id: uuid.UUID, faces: Sequence[_Face]) -> None:
    """A thread for each complexion of faces that none is known of."""
    groups = complexions(OKLab(np.array([face.colour for face in faces]).reshape(-1, 3)))
    first = next_position(session, series_id)
    names = list(session.scalars(select(models.ThreadRow.name).where(models.ThreadRow.series_id == series_id)))
    for number in sorted(set(groups)):
        own = [face for face, group in zip(faces, groups, strict=True) if group == number]
        words = f"Faces, {words_for([face.colour for face in own])}"
        names.append(_unlike(words, names))
        row = models.ThreadRow(series_id=series_id, position=first + number, name=names[-1], kind="complexion")
        row.id, row.goal = uuid.uuid4(), Goal().model_dump(mode="json")
        session.add(row)
        session.flush()
        for face in {face.frame: face for face in reversed(own)}.values():  # the largest of each frame
            _keep(session, row.id, face)


def _unlike(words: str, names: Sequence[str]) -> str:
    """A name that no other thread has."""
    return next(name for name in chain([words], (f"{words} {n}" for n in count(2))) if name not in names)


def _keep(session: Session, thread: uuid.UUID, face: _Face) -> None:
    place = models.ThreadPlaceRow(thread_id=thread, frame_id=face.frame)
    fill_place(place, face.grown, found=True)
    session.add(place)


def _join(session: Session, series_id: uuid.UUID, facts: Facts, faces: Sequence[_Face]) -> list[_Face]:
    """Let faces join the threads of their complexions; somebody who was named is asked about. Those of no thread."""
    middles = {row: found for row in _rows(session, series_id) if (found := _middle(session, row, facts)) is not None}
    rows, left = list(middles), []
    for face in faces:
        index = nearest(face.colour, list(middles.values()))
        if index is None:
            left.append(face)
            continue
        row, seen = rows[index], (rows[index].id, face.frame)
        if session.get(models.ThreadPlaceRow, seen) or session.get(models.ThreadQuestionRow, seen):
            continue
        if row.kind == "complexion":
            _keep(session, row.id, face)
        else:
            place = place_asked(face.grown)
            session.add(models.ThreadQuestionRow(thread_id=seen[0], frame_id=seen[1], state="asked", place=place))
        session.flush()
    return left


def _middle(session: Session, row: models.ThreadRow, facts: Facts) -> OKLab | None:
    """The middle of the evened colours of a thread's places."""
    places = session.scalars(select(models.ThreadPlaceRow).where(models.ThreadPlaceRow.thread_id == row.id)).all()
    seen = {i: place for place in places if (i := facts.index_of(place.frame_id)) is not None}
    colours = [_evened(facts[i], colours_of(place.colours)) for i, place in sorted(seen.items())]
    return middle(colours) if colours else None
