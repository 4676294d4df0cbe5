"""Finished frames as references: a frame as it is handed over, read like any other picture, renewed when it changed.

A renewed reference is another row in the place of the one before, which is taken out: Undo brings that one back.
"""

import hashlib
import tempfile
import uuid
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError, NotFoundError
from nuvett.core.output.sizes import Resize
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.spaces.rgb import Space
from nuvett.imaging.encode import Format
from nuvett.imaging.facts import Keep
from nuvett.services.engine.facts import Aimed, Facts, FrameFacts
from nuvett.services.engine.workbench import Workbench
from nuvett.services.files.writing import Written
from nuvett.services.looks.carried_plans import queue_keep_carried
from nuvett.services.looks.carrying import carry, followings
from nuvett.services.looks.looks import aim_of_draft, draft_of
from nuvett.services.platform.finished_files import write_frame
from nuvett.services.platform.studio import Studio
from nuvett.services.references import reading_history
from nuvett.services.references.kept_references import ready_references
from nuvett.services.references.new_references import add_reference
from nuvett.services.references.targets import frames_read, weighs
from nuvett.services.series.catalogue import find_series, look_of
from nuvett.services.series.frame_facts import series_facts, trim_of
from nuvett.services.series.labels import FrameLabels, labels_of
from nuvett.services.series.variants import SHOWN
from nuvett.store import models

_EDGE = 2560
_HOW = Written(format=Format.PNG16, resize=Resize(by="long", pixels=_EDGE), space=Space.P3, keep=Keep.NONE)
FINISHED = "finished"


@dataclass(frozen=True)
class Finish:
    """A frame as it is finished: by the version it follows, else by its trim alone, else by the draft of its series.

    key : names all of it that the frame does not share with others, so that a change of it is noticed
    """

    facts: Facts
    index: int
    name: str
    aimed: Aimed | None

    @property
    def frame(self) -> FrameFacts:
        return self.facts[self.index]

    @property
    def key(self) -> str:
        parts = (self.frame.key, self.aimed.key if self.aimed else "", self.aimed and self.aimed.version)
        return hashlib.sha256(repr(parts).encode()).hexdigest()[:32]

    def plan(self, bench: Workbench) -> FramePlan:
        """What is done to it."""
        return bench.planner.finished(self.facts, self.index, self.aimed)


def finish_of(session: Session, frame_id: uuid.UUID) -> Finish:
    """A measured frame of any series, or a variant of one, as it is finished. Raises NotFoundError."""
    row = session.get(models.FrameRow, frame_id)
    if row is None or row.state not in SHOWN:
        raise NotFoundError
    series = session.get_one(models.SeriesRow, row.series_id)
    facts = series_facts(session, series)
    index = facts.index_of(frame_id)
    if index is None:
        raise NotFoundError
    return Finish(facts, index, row.name, _aimed(session, series, row, facts[index]))


def _aimed(session: Session, series: models.SeriesRow, row: models.FrameRow, frame: FrameFacts) -> Aimed | None:
    if row.follows_id:
        return followings(session, {row.follows_id})[row.follows_id].aimed
    return None if frame.is_trimmed else draft_of(session, series)


@contextmanager
def _drawn(studio: Studio, finish: Finish) -> Iterator[BinaryIO]:
    """A frame as it is finished, drawn, as a file to be read."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "finished.png"
        write_frame(studio, finish.frame, finish.plan(studio.bench), _HOW, path)
        with path.open("rb") as stream:
            yield stream


def _added(
    session: Session, studio: Studio, series: models.SeriesRow, finish: Finish, stream: BinaryIO
) -> models.ReferenceRow:
    """A new reference that is a drawn frame."""
    row = add_reference(session, studio, series, f"{finish.name}, {FINISHED}", stream)
    row.frame_id, row.finished = finish.frame.id, finish.key
    return row


def take_finished(studio: Studio, slug: str, frame_id: uuid.UUID) -> str:
    """Take a frame of this or another series, as it is finished, as a reference; its name.

    No transaction is open while it is drawn. Raises NotFoundError, and as `add_reference` and `write_frame`.
    """
    with studio.database.session() as session:
        _fix(session, studio, find_series(session, slug), frame_id)
        finish = finish_of(session, frame_id)
    with _drawn(studio, finish) as stream, studio.database.session() as session:
        series = find_series(session, slug)
        with reading_history.recorded(session, series, f"{finish.name} taken as it is finished"):
            row = _added(session, studio, series, finish, stream)
        return row.name


def _fix(session: Session, studio: Studio, series: models.SeriesRow, frame_id: uuid.UUID) -> None:
    """Let a frame of a series that is finished by its draft alone follow that, so that it stays what it is."""
    row = session.get(models.FrameRow, frame_id)
    if row is None or row.series_id != series.id or row.state != "ready":
        return
    if row.follows_id is None and not trim_of(row).acts:
        carry(session, series, [frame_id])
        queue_keep_carried(session, studio, series.id)
        session.flush()


def frames_to_carry(session: Session, series: models.SeriesRow) -> list[uuid.UUID] | None:
    """Frames that the draft is carried to unasked, none for all: not those left out, nor its target's own heroes.

    Were these carried as well, each would be made like itself, and no longer be what the others are made like.
    """
    target = aim_of_draft(session, series, look_of(session, series))
    return to_carry(labels_of(session, series), target)


def to_carry(frames: Mapping[uuid.UUID, FrameLabels], target: models.TargetRow | None) -> list[uuid.UUID] | None:
    """The same of frames and their variants, toward a target."""
    stay = frames_read(target) | {frame for frame, own in frames.items() if own.left_out}
    kept = [frame for frame in frames if frame not in stay]
    return kept if len(kept) < len(frames) else None


@dataclass(frozen=True)
class HeroStanding:
    """How a reference that is a finished frame stands to that frame.

    problem : why it cannot be renewed, empty where it can; outdated : whether the frame was worked on since
    follow : how many frames follow a version of the look that aims at a target with this reference in it
    """

    problem: str
    outdated: bool
    follow: int

    @property
    def words(self) -> str:
        """What is said of it."""
        if self.problem:
            return self.problem
        if not self.outdated:
            return "as it is finished now"
        follow = f"; {self.follow} frames follow it and stay until carried again" if self.follow else ""
        return f"worked on since it was read{follow}"


def standings(session: Session, series: models.SeriesRow) -> dict[uuid.UUID, HeroStanding]:
    """How the references of a series that are finished frames stand to their frames, by their ids."""
    rows = [row for row in ready_references(session, series.id, readings=False) if row.finished]
    return {row.id: _standing(session, series, row) for row in rows}


def _standing(session: Session, series: models.SeriesRow, row: models.ReferenceRow) -> HeroStanding:
    frame = session.get(models.FrameRow, row.frame_id) if row.frame_id else None
    if frame is None or frame.state not in SHOWN:
        return HeroStanding("its frame was taken out; it stays as it was read", False, 0)
    outdated = finish_of(session, frame.id).key != row.finished
    return HeroStanding("", outdated, _following(session, series, row.id) if outdated else 0)


def _following(session: Session, series: models.SeriesRow, reference: uuid.UUID) -> int:
    """How many frames of a series follow a version that aims at a target with a reference in it."""
    version, target = models.LookVersionRow, models.TargetRow
    rows = session.execute(
        select(target.sources, func.count())
        .join(version, target.id == version.target_id)
        .join(models.FrameRow, models.FrameRow.follows_id == version.id)
        .where(models.FrameRow.series_id == series.id, target.series_id == series.id)
        .group_by(target.id)
    )
    return sum(count for sources, count in rows if weighs(sources, reference))


def renew_finished(studio: Studio, slug: str, reference_id: uuid.UUID) -> str:
    """Read a finished frame anew in place of how it was read before, sampled and weighed alike, as one step.

    No transaction is open while it is drawn. Raises NotFoundError for a reference that is none, InvalidChangeError
    where its frame is gone or unchanged.
    """
    with studio.database.session() as session:
        finish = _renewable(session, find_series(session, slug), reference_id)
    with _drawn(studio, finish) as stream, studio.database.session() as session:
        series = find_series(session, slug)
        with reading_history.recorded(session, series, f"{finish.name} renewed"):
            old = session.get_one(models.ReferenceRow, reference_id, with_for_update=True)
            old.removed = True
            session.flush()
            row = _added(session, studio, series, finish, stream)
            row.sampling, row.position = old.sampling, old.position
            row.tone_weight, row.colour_weight = old.tone_weight, old.colour_weight
    return finish.name


def _renewable(session: Session, series: models.SeriesRow, reference_id: uuid.UUID) -> Finish:
    row = session.get(models.ReferenceRow, reference_id)
    if row is None or row.series_id != series.id or not row.finished or row.removed:
        raise NotFoundError
    standing = _standing(session, series, row)
    if standing.problem or row.frame_id is None:
        raise InvalidChangeError(f"{row.name} cannot be renewed: {standing.problem}.")
    if not standing.outdated:
        raise InvalidChangeError(f"{row.name} is read as it is finished now.")
    return finish_of(session, row.frame_id)
