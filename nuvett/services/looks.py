"""The look of a series: its draft with a history, and the versions that frames follow."""

import uuid
from dataclasses import dataclass
from typing import Any, TypeVar

from pydantic import ValidationError
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from nuvett.core.errors import ConflictError, DocumentError, InvalidChangeError, TargetError
from nuvett.core.even.even_light import EvenLight
from nuvett.core.fit.warnings import FaceSeen
from nuvett.core.look.look import Look, Trim, parse_look, take_parts
from nuvett.core.look.words import describe, describe_trim
from nuvett.core.spaces.rgb import Space
from nuvett.services import history
from nuvett.services.catalogue import look_of, ready_frames
from nuvett.services.facts import Aimed, Facts, FrameFacts
from nuvett.services.sampling import latest_target, lock_series, target_document
from nuvett.store import models

MOST_PROOFS = 12
_Document = TypeVar("_Document", Look, Trim)


@dataclass(frozen=True)
class Following:
    """The look version that a frame follows."""

    number: int
    aimed: Aimed


def faces_of(kept: dict[str, Any] | None) -> tuple[FaceSeen, ...]:
    """Faces of a frame; those that earlier versions kept without a place are looked for no more."""
    return tuple(FaceSeen.model_validate(face) for face in (kept or {}).get("seen", ()))


def facts_of(frame: models.Frame) -> FrameFacts:
    """Plain facts of a measured frame."""
    return FrameFacts(
        id=frame.id,
        original=frame.original,
        view=frame.view or "",
        sample=frame.sample or "",
        domain=Space(frame.domain),
        width=frame.width,
        height=frame.height,
        setup=frame.setup_id,
        even=EvenLight.model_validate(frame.even) if frame.even else EvenLight(),
        trim=Trim.model_validate(frame.trim) if frame.trim else Trim(),
        faces=faces_of(frame.faces),
    )


def series_facts(session: Session, series: models.Series) -> Facts:
    """Plain facts of all measured frames of a series, in shooting order."""
    return Facts(facts_of(frame) for frame in ready_frames(session, series.id))


def draft_of(session: Session, series: models.Series) -> Aimed | None:
    """The draft with the newest target; none before a target exists."""
    target = latest_target(session, series.id)
    if target is None:
        return None
    look = Look.model_validate(look_of(session, series).draft)
    return Aimed(look, target_document(target), str(target.id))


def versions_followed(session: Session, series: models.Series) -> dict[uuid.UUID, Following]:
    """Version that each frame follows, by frame; frames that follow none are left out."""
    rows = session.execute(
        select(models.Frame.id, models.LookVersion.id)
        .join(models.LookVersion, models.Frame.follows_id == models.LookVersion.id)
        .where(models.Frame.series_id == series.id)
    ).all()
    known = followings(session, {version for _, version in rows})
    return {frame: known[version] for frame, version in rows}


def followings(session: Session, versions: set[uuid.UUID]) -> dict[uuid.UUID, Following]:
    """Look versions by their ids, each with its target."""
    known: dict[uuid.UUID, Following] = {}
    for version_id in versions:
        version = session.get_one(models.LookVersion, version_id)
        target = session.get_one(models.Target, version.target_id)
        known[version_id] = Following(
            version.number, Aimed(Look.model_validate(version.document), target_document(target), str(target.id))
        )
    return known


def parse_change(data: object) -> Look:
    """A whole look from a request. Raises InvalidChangeError with the first thing that is wrong."""
    return _parsed(Look, data)


def _parsed(kind: type[_Document], data: object) -> _Document:
    try:
        return kind.model_validate(data)
    except ValidationError as error:
        first = error.errors()[0]
        place = " ".join(str(part) for part in first["loc"])
        raise InvalidChangeError(f"{place}: {first['msg']}. Nothing was changed.") from error


def _walked(session: Session, subject: str, forward: bool) -> models.History:
    """The step walked over, marked as such. Raises InvalidChangeError when there is none."""
    step = (history.step_forward if forward else history.step_back)(session, subject)
    if step is None:
        raise InvalidChangeError("There is nothing to do again." if forward else "There is nothing to undo.")
    return step


def change_look(
    session: Session, series: models.Series, look: Look, revision: int, words: str | None = None
) -> models.Look:
    """Change the draft; the history says what changed, or `words`.

    Raises ConflictError when it has been changed elsewhere since `revision`.
    """
    row = _locked(session, series)
    if row.revision != revision:
        raise ConflictError("The look was changed in another window. This window now shows that newer state.")
    after = look.model_dump(mode="json")
    if after != row.draft:
        history.record(
            session,
            series.id,
            f"look:{row.id}",
            words or describe(Look.model_validate(row.draft), look),
            row.draft,
            after,
        )
        row.draft, row.revision = after, row.revision + 1
    return row


def _locked(session: Session, series: models.Series) -> models.Look:
    return session.get_one(models.Look, look_of(session, series).id, with_for_update=True, populate_existing=True)


def walk_look(session: Session, series: models.Series, forward: bool) -> tuple[models.Look, str]:
    """Undo or redo one step of the draft; the look and what was walked over. Raises InvalidChangeError at the end."""
    row = _locked(session, series)
    step = _walked(session, f"look:{row.id}", forward)
    row.draft, row.revision = (step.after if forward else step.before), row.revision + 1
    return row, step.words


def travel_look(session: Session, series: models.Series, number: int) -> models.Look:
    """Go to just after a step of the draft's history (0: before the first), on whatever branch it lies."""
    row = _locked(session, series)
    passed = history.travel(session, f"look:{row.id}", number)
    if passed:
        row.draft, row.revision = passed[-1].state, row.revision + 1
    return row


def look_at_step(session: Session, series: models.Series, number: int) -> Look:
    """The draft as it was just after a step of its history. Raises InvalidChangeError for a step that is not there."""
    step = session.scalars(
        select(models.History).where(
            models.History.subject == f"look:{look_of(session, series).id}", models.History.number == number
        )
    ).first()
    if step is None:
        raise InvalidChangeError("That step of the history is not there any more.")
    return Look.model_validate(step.after)


def carried_look(session: Session, series: models.Series, number: int) -> Look:
    """The look as it was carried as a version. Raises InvalidChangeError for a version that is not there."""
    row = session.scalars(
        select(models.LookVersion).where(
            models.LookVersion.look_id == look_of(session, series).id, models.LookVersion.number == number
        )
    ).first()
    if row is None:
        raise InvalidChangeError("There is no such version of the look.")
    return Look.model_validate(row.document)


def set_proofs(session: Session, series: models.Series, frames: list[uuid.UUID] | None) -> None:
    """Choose the frames that the look is tried on, or none for the most different ones.

    Raises InvalidChangeError for too many, or a frame that is not of the series.
    """
    row = _locked(session, series)
    known = {frame.id for frame in ready_frames(session, series.id)}
    if frames is not None and not (0 < len(frames) <= MOST_PROOFS and set(frames) <= known):
        raise InvalidChangeError(f"Choose 1 to {MOST_PROOFS} frames of this series.")
    row.proofs = None if frames is None else {"frames": [str(frame) for frame in frames]}


def copy_look(session: Session, series: models.Series, source: models.Series, parts: frozenset[str] | None) -> None:
    """Take another series' look, whole or by named parts, as one step that can be undone.

    Raises DocumentError for a part that is not there, InvalidChangeError for the series' own look.
    """
    if series.id == source.id:
        raise InvalidChangeError("That is this series' own look.")
    theirs, row = Look.model_validate(look_of(session, source).draft), _locked(session, series)
    taken = theirs if parts is None else take_parts(Look.model_validate(row.draft), theirs, parts)
    words = f"Look of {source.title}" if parts is None else f"{len(parts)} parts of the look of {source.title}"
    change_look(session, series, taken, row.revision, words)


def read_look_file(data: bytes) -> Look:
    """A look document from a file. Raises DocumentError."""
    if len(data) > 1_000_000:
        raise DocumentError("This file is too large to be a look.")
    return parse_look(data)


@dataclass(frozen=True)
class CarryState:
    """Where carrying stands: the number the draft would be carried as, how many frames follow which version."""

    next_number: int
    changed: bool
    following: int
    latest: int
    behind: int
    frames: int
    versions: tuple[tuple[int, int], ...]
    undo: str
    redo: str


def carry_state(session: Session, series: models.Series, frames: int) -> CarryState:
    """Where carrying a series' look stands; `frames` is how many have been measured."""
    row = look_of(session, series)
    last = _last_version(session, row)
    target = latest_target(session, series.id)
    changed = last is None or last.document != row.draft or (target is not None and last.target_id != target.id)
    versions = _counts_by_version(session, series)
    following = sum(count for _, count in versions)
    past = history.steps(session, f"carry:{series.id}")
    latest = last.number if last else 0
    return CarryState(
        next_number=latest + 1 if changed else latest,
        changed=changed,
        following=following,
        latest=latest,
        behind=following - dict(versions).get(latest, 0),
        frames=frames,
        versions=versions,
        undo=history.undo_words(past),
        redo=history.redo_words(past),
    )


def _counts_by_version(session: Session, series: models.Series) -> tuple[tuple[int, int], ...]:
    """Number of each version that frames follow, newest first, and how many do."""
    query = (
        select(models.LookVersion.number, func.count())
        .join(models.Frame, models.Frame.follows_id == models.LookVersion.id)
        .where(models.Frame.series_id == series.id, models.Frame.state == "ready")
        .group_by(models.LookVersion.number)
        .order_by(models.LookVersion.number.desc())
    )
    return tuple((number, count) for number, count in session.execute(query))


def _last_version(session: Session, look: models.Look) -> models.LookVersion | None:
    return session.scalars(
        select(models.LookVersion)
        .where(models.LookVersion.look_id == look.id)
        .order_by(models.LookVersion.number.desc())
        .limit(1)
    ).first()


def look_text(session: Session, series: models.Series) -> str:
    """The draft as JSON text, the same document that the command line reads."""
    return Look.model_validate(look_of(session, series).draft).model_dump_json(indent=2) + "\n"


def carry(session: Session, series: models.Series, frame_ids: list[uuid.UUID] | None = None) -> models.LookVersion:
    """Make frames (all that are measured, by default) follow the draft as a version; it replaces what they followed.

    A version is made only when the draft or the target differs from the last one. Trims are not touched.
    Raises TargetError before anything was read, InvalidChangeError without frames.
    """
    lock_series(session, series)  # so that the target is not renewed meanwhile
    row = _locked(session, series)
    target = latest_target(session, series.id)
    if target is None:
        raise TargetError("There is no target yet: read a reference first.")
    frames = [f for f in ready_frames(session, series.id) if frame_ids is None or f.id in frame_ids]
    if not frames:
        raise InvalidChangeError("There are no frames to carry the look to.")
    last = _last_version(session, row)
    if last is None or last.document != row.draft or last.target_id != target.id:
        last = models.LookVersion(
            look_id=row.id, target_id=target.id, number=last.number + 1 if last else 1, document=row.draft
        )
        session.add(last)
        session.flush()
    before = {str(f.id): str(f.follows_id) if f.follows_id else None for f in frames}
    after = {str(f.id): str(last.id) for f in frames}
    if before != after:
        words = f"Carried v{last.number} to {len(frames)} frames"
        history.record(session, series.id, f"carry:{series.id}", words, {"follows": before}, {"follows": after})
        for frame in frames:
            frame.follows_id = last.id
    return last


def walk_carry(session: Session, series: models.Series, forward: bool) -> str:
    """Undo or redo the last carrying; its words. Raises InvalidChangeError when there is none."""
    lock_series(session, series)
    step = _walked(session, f"carry:{series.id}", forward)
    follows = (step.after if forward else step.before)["follows"]
    for frame in ready_frames(session, series.id):
        if str(frame.id) in follows:
            version = follows[str(frame.id)]
            frame.follows_id = uuid.UUID(version) if version else None
    return step.words


def set_trim(session: Session, series: models.Series, frame: models.Frame, trim: Trim, revision: int) -> None:
    """Change one frame's trim; the look is not touched.

    Raises ConflictError when it has been changed elsewhere since `revision`.
    """
    session.flush()
    session.refresh(frame, with_for_update=True)
    if frame.trim_revision != revision:
        raise ConflictError("This frame was trimmed in another window. Reload to see that newer state.")
    before = frame.trim or Trim().model_dump(mode="json")
    after = trim.model_dump(mode="json")
    if after != before:
        history.record(
            session, series.id, f"trim:{frame.id}", describe_trim(Trim.model_validate(before), trim), before, after
        )
        frame.trim, frame.trim_revision = None if trim.is_none else after, revision + 1


def parse_trim(data: object) -> Trim:
    """A whole trim from a request. Raises InvalidChangeError."""
    return _parsed(Trim, data)


def walk_trim(session: Session, frame: models.Frame, forward: bool) -> str:
    """Undo or redo one step of a frame's trim; its words. Raises InvalidChangeError when there is none."""
    session.flush()
    session.refresh(frame, with_for_update=True)
    step = _walked(session, f"trim:{frame.id}", forward)
    trim = Trim.model_validate(step.after if forward else step.before)
    frame.trim = None if trim.is_none else trim.model_dump(mode="json")
    frame.trim_revision += 1
    return step.words
