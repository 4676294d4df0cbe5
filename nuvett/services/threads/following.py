"""Things followed through a series in the background: what is sure is taken, what is doubtful is asked about.

People are not followed: in the same pose, another one looks the same. Faces are (`nuvett.services.threads.faces`).
"""

import hashlib
import uuid
from collections.abc import Iterable, Sequence
from contextlib import suppress
from dataclasses import dataclass

import numpy as np
from sqlalchemy import delete, exists, select, update
from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError
from nuvett.core.thread.cells import COLUMNS, Described
from nuvett.core.thread.following import DOUBTFUL, SURE, Candidate, Known, region_of, surest
from nuvett.core.thread.growth import EDGE
from nuvett.imaging.descriptors import describe, in_cells
from nuvett.imaging.proxy import fit_within
from nuvett.services.engine.arrays import dump_array, load_array
from nuvett.services.engine.facts import Facts, FrameFacts
from nuvett.services.platform.blobs import keeping
from nuvett.services.platform.queue import DESCRIBE, FOLLOW
from nuvett.services.platform.studio import Studio
from nuvett.services.platform.workers import give_way, twin_waits
from nuvett.services.series.catalogue import lock_series
from nuvett.services.series.frame_facts import series_facts
from nuvett.services.series.lighting import let_light_be_evened
from nuvett.services.threads.changes import Grown, fill_place, recorded
from nuvett.services.threads.faces import follow_faces, frames_with_new_faces
from nuvett.services.threads.outlines import grow_about
from nuvett.services.threads.questions import place_asked
from nuvett.services.threads.threads import Thread, ThreadPlace, threads_of
from nuvett.store import models

OF_THINGS = ("thing", "figure")
"""Kinds of threads that a person began by a click; which of them it is, places tell."""
MAX_QUESTIONS = 3
"""Questions about a thread at once."""
_SOURCES = 3  # places that a thing is looked for by
_FIRST = 12  # frames that are looked through before what was found is shown
_PERSON = 0.5  # of a place that lies on people
Seen = tuple[uuid.UUID, uuid.UUID]
"""A thread and a frame."""


def queue_if_due(session: Session, studio: Studio, series_id: uuid.UUID) -> None:
    """Queue looking for things, where any are followed or faces are still to be, after frames have come."""
    followed = exists().where(models.ThreadRow.series_id == series_id)
    if session.scalar(select(followed)) or frames_with_new_faces(session, series_id):
        studio.queue.defer(session, FOLLOW, once=_name(series_id), series_id=str(series_id))


def get_ready(session: Session, studio: Studio, series_id: uuid.UUID) -> None:
    """Have frames described that are not yet, before somebody points at something in one."""
    frame = models.FrameRow
    left = exists().where(frame.series_id == series_id, frame.state == "ready", frame.described.is_(None))
    if session.scalar(select(left)):
        studio.queue.defer(session, DESCRIBE, once=f"describe-{series_id}", series_id=str(series_id))


def describe_frames(studio: Studio, series_id: uuid.UUID) -> None:
    """Describe the frames of a series that are not yet. Idempotent."""
    with studio.database.session() as session:
        series = session.get(models.SeriesRow, series_id)
        facts = series_facts(session, series) if series is not None else Facts()
    for frame in facts.firsts:
        if not frame.described:
            give_way(studio, DESCRIBE)
            described_of(studio, frame)


def leave(studio: Studio, series_id: uuid.UUID) -> None:
    """Nothing is lost: frames are then described when something is looked for in them."""


def follow(studio: Studio, series_id: uuid.UUID) -> None:
    """Look for the things and faces of a series in the frames that nobody has answered for. Idempotent."""
    with studio.database.session() as session:
        series = session.get(models.SeriesRow, series_id)
        if series is None:
            return
        facts, threads = series_facts(session, series), threads_of(session, series_id)
        answered = _answered(session, series_id)
    follow_faces(studio, series_id, facts)
    for thread in threads:
        search = _Search.of(thread, facts, answered)
        if thread.kind in OF_THINGS and search.sources and search.key != thread.followed:
            _follow(studio, series_id, search)
    if not twin_waits(studio, _name(series_id)):  # which looks again, by what has changed meanwhile
        give_up(studio, series_id)


def _name(series_id: uuid.UUID) -> str:
    return f"follow-{series_id}"


def give_up(studio: Studio, series_id: uuid.UUID) -> None:
    """Nothing is looked for any more; nothing is lost: things are then pointed at by hand."""
    with studio.database.session() as session:
        session.execute(update(models.SeriesRow).where(models.SeriesRow.id == series_id).values(follow_due=False))


def _answered(session: Session, series_id: uuid.UUID) -> set[Seen]:
    """Threads and frames that a person has answered for: not there, or left open."""
    question, thread = models.ThreadQuestionRow, models.ThreadRow
    query = select(question.thread_id, question.frame_id).join(thread, thread.id == question.thread_id)
    found = session.execute(query.where(thread.series_id == series_id, question.state != "asked"))
    return {(row.thread_id, row.frame_id) for row in found}


@dataclass(frozen=True)
class _Search:
    """A thread that is looked for: by which of its places, which a person has seen, and in which frames.

    key : names all of that
    """

    thread: Thread
    sources: tuple[tuple[FrameFacts, ThreadPlace], ...]
    frames: tuple[FrameFacts, ...]
    key: str

    @classmethod
    def of(cls, thread: Thread, facts: Facts, answered: set[Seen]) -> "_Search":
        """Frames nearest to the places are looked through first."""
        firsts = facts.firsts
        seen = [(frame, thread.places[frame.id]) for frame in firsts if frame.id in thread.places]
        sure = [(frame, place) for frame, place in seen if not place.found]
        spread = np.unique(np.linspace(0, len(sure) - 1, min(len(sure), _SOURCES)).round().astype(int))
        sources = tuple(sure[index] for index in spread)
        order = {frame.id: index for index, frame in enumerate(firsts)}
        own = {frame.id for frame, _ in sure}
        due = [f for f in firsts if f.id not in own and (thread.id, f.id) not in answered]
        near = sorted(due, key=lambda f: min((abs(order[f.id] - order[s.id]) for s, _ in sources), default=0))
        known = [str(frame.id) + place.key for frame, place in sure], [str(frame.id) for frame in firsts]
        return cls(thread, sources, tuple(near), hashlib.sha256(repr(known).encode()).hexdigest())


def _follow(studio: Studio, series_id: uuid.UUID, search: _Search) -> None:
    if all(_is_person(studio, frame, place) for frame, place in search.sources):
        with studio.database.session() as session:
            own = update(models.ThreadRow).where(models.ThreadRow.id == search.thread.id)
            session.execute(own.values(kind="figure", followed=search.key))
        return
    sources = [_source(studio, frame, place) for frame, place in search.sources]
    doubtful: list[_Place] = []
    for frames in (search.frames[:_FIRST], search.frames[_FIRST:]):
        places = _found(studio, frames, sources)
        doubtful += [place for place in places if place.sure < SURE]
        if not _kept(studio, series_id, search, frames, [place for place in places if place.sure >= SURE]):
            return
    _ask(studio, series_id, search, sorted(doubtful, key=lambda place: -place.sure)[:MAX_QUESTIONS])


@dataclass(frozen=True)
class _Place:
    """Where a thing may be in a frame, how sure, and the share of a picture that it covers elsewhere."""

    frame: FrameFacts
    found: Candidate
    share: float

    @property
    def sure(self) -> float:
        return self.found.sure


def _found(studio: Studio, frames: Iterable[FrameFacts], sources: Sequence[Known]) -> list[_Place]:
    """Frames that may show a thing, each with the surest place by any of the sources."""
    found = []
    for frame in frames:
        studio.pause()
        best = surest(sources, described_of(studio, frame))
        if best is not None and best[0].sure >= DOUBTFUL:
            found.append(_Place(frame, *best))
    return found


def _grown(studio: Studio, places: Iterable[_Place]) -> dict[uuid.UUID, Grown]:
    """Places with their outlines, by frame; where nothing can be told apart there is none."""
    made = {}
    for place in places:
        with suppress(InvalidChangeError):
            grown = grow_about(studio.bench, place.frame, place.found.place, place.found.cells, place.share)
            made[place.frame.id] = grown
    return made


def _is_person(studio: Studio, frame: FrameFacts, place: ThreadPlace) -> bool:
    """Whether a place lies on a person; people are looked for where a face was found."""
    if not frame.faces:
        return False
    people = studio.bench.areas.people(frame)
    mask = place.grown.outline.mask((people.shape[1], people.shape[0]))
    return bool(mask.any() and people[mask].mean() > _PERSON)


def _source(studio: Studio, frame: FrameFacts, place: ThreadPlace) -> Known:
    described = described_of(studio, frame)
    mask = place.grown.outline.mask(fit_within(frame.width, frame.height, EDGE))
    return Known(described, region_of(mask, described), max(float(mask.mean()), 1e-4))


def described_of(studio: Studio, frame: FrameFacts) -> Described:
    """A frame in cells, evened. What kind of place each is, is kept with the frame once it has been found."""
    if frame.described:
        kinds = load_array(studio.blobs.read(frame.described)).astype(np.int8)
    else:
        kinds = describe(studio.bench.sources.view(frame.view))
        with studio.database.session() as session:
            blob, _ = keeping(session, studio).put(dump_array(kinds))
            rows = update(models.FrameRow).where(
                models.FrameRow.view == frame.view, models.FrameRow.described.is_(None)
            )
            session.execute(rows.values(described=blob))
    return in_cells(kinds, studio.bench.sources.linear_view(frame, COLUMNS), frame.even)


def _kept(
    studio: Studio, series_id: uuid.UUID, search: _Search, frames: Iterable[FrameFacts], places: Sequence[_Place]
) -> bool:
    """Keep places that are sure as one step, instead of what was found in those frames before.

    Whether the thread is still as it was when it was looked for.
    """
    thread_id, name, sure = search.thread.id, search.thread.name, _grown(studio, places)
    with studio.database.session() as session:
        lock_series(session, series_id)
        series = session.get(models.SeriesRow, series_id)
        if series is None or not _as_it_was(session, search):
            return False
        free = [seen for frame in frames if _is_free(session, seen := (thread_id, frame.id))]
        count = sum(frame in sure for _, frame in free)
        words = f"{name}: found in {count} {'frame' if count == 1 else 'frames'}"
        with recorded(session, series, words, seen=free):
            for seen in free:
                _replace(session, seen, sure.get(seen[1]))
        let_light_be_evened(session, studio, series_id)
    return True


def _replace(session: Session, seen: Seen, grown: Grown | None) -> None:
    """Let what was found of a thread in a frame be this, or nothing."""
    row = session.get(models.ThreadPlaceRow, seen)
    if grown is None:
        if row is not None:
            session.delete(row)
        return
    row = row or models.ThreadPlaceRow(thread_id=seen[0], frame_id=seen[1])
    fill_place(row, grown, found=True)
    session.add(row)


def _as_it_was(session: Session, search: _Search) -> bool:
    rows = [session.get(models.ThreadPlaceRow, (search.thread.id, frame.id)) for frame, _ in search.sources]
    places = [place.grown.outline.model_dump(mode="json") for _, place in search.sources]
    return all(row is not None and row.outline == place for row, place in zip(rows, places, strict=True))


def _is_free(session: Session, seen: Seen) -> bool:
    """Whether nobody has pointed at a thread in a frame, or answered for it, meanwhile; and the frame is there."""
    question, frame = session.get(models.ThreadQuestionRow, seen), session.get(models.FrameRow, seen[1])
    place = session.get(models.ThreadPlaceRow, seen)
    answered = question is not None and question.state != "asked"
    there = frame is not None and frame.state == "ready"
    return there and not answered and (place is None or place.found)


def _ask(studio: Studio, series_id: uuid.UUID, search: _Search, places: Sequence[_Place]) -> None:
    """Ask about places, instead of what was asked about the thread before."""
    thread_id, question, sure = search.thread.id, models.ThreadQuestionRow, {p.frame.id: p.sure for p in places}
    grown = _grown(studio, places)
    with studio.database.session() as session:
        lock_series(session, series_id)
        if not _as_it_was(session, search):
            return
        session.execute(delete(question).where(question.thread_id == thread_id, question.state == "asked"))
        for frame, own in grown.items():
            if _is_free(session, (thread_id, frame)):
                place = place_asked(own)
                row = question(thread_id=thread_id, frame_id=frame, state="asked", place=place, sure=sure[frame])
                session.add(row)
        done = update(models.ThreadRow).where(models.ThreadRow.id == thread_id)
        session.execute(done.values(kind="thing", followed=search.key))
