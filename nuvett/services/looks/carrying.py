"""Carrying: the versions of a look that frames follow."""

import uuid
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from nuvett.core.computation import COMPUTATION
from nuvett.core.errors import InvalidChangeError
from nuvett.core.look.look import Look
from nuvett.core.reading.reading import Target
from nuvett.services.engine.facts import Aimed, Facts, FrameFacts
from nuvett.services.looks.looks import aim_of_draft, aimed_at, locked_look
from nuvett.services.platform import history
from nuvett.services.references.targets import frames_read, lock_series
from nuvett.services.series.catalogue import last_version, look_of
from nuvett.services.series.frame_facts import series_facts
from nuvett.services.series.labels import labels_of
from nuvett.services.series.variants import SHOWN
from nuvett.store import models


@dataclass(frozen=True)
class Following:
    """The look version that a frame follows."""

    number: int
    aimed: Aimed


def versions_followed(session: Session, series: models.SeriesRow) -> dict[uuid.UUID, Following]:
    """Version that each frame follows, by frame; frames that follow none are left out."""
    follows = {frame: own.follows for frame, own in labels_of(session, series).items() if own.follows}
    known = followings(session, set(follows.values()))
    return {frame: known[version] for frame, version in follows.items()}


def number_followed(session: Session, frame: models.FrameRow) -> int:
    """Number of the version that a frame follows, 0 for none."""
    return session.get_one(models.LookVersionRow, frame.follows_id).number if frame.follows_id else 0


def target_followed(session: Session, frame: models.FrameRow) -> Target | None:
    """What the version that a frame follows aims at, if anything."""
    return followings(session, {frame.follows_id})[frame.follows_id].aimed.target if frame.follows_id else None


def followings(session: Session, versions: set[uuid.UUID]) -> dict[uuid.UUID, Following]:
    """Look versions by their ids, each with its target."""
    rows = session.execute(
        select(models.LookVersionRow, models.TargetRow)
        .outerjoin(models.TargetRow, models.TargetRow.id == models.LookVersionRow.target_id)
        .where(models.LookVersionRow.id.in_(versions))
    )
    return {version.id: _following(version, target) for version, target in rows}


def _following(version: models.LookVersionRow, target: models.TargetRow | None) -> Following:
    return Following(version.number, aimed_at(Look.model_validate(version.document), target, version.id))


def version_numbered(session: Session, series: models.SeriesRow, number: int) -> models.LookVersionRow:
    """A version that the look was carried as. Raises InvalidChangeError for one that is not there."""
    row = session.scalars(
        select(models.LookVersionRow).where(
            models.LookVersionRow.look_id == look_of(session, series).id, models.LookVersionRow.number == number
        )
    ).first()
    if row is None:
        raise InvalidChangeError("There is no such version of the look.")
    return row


def carried_look(session: Session, series: models.SeriesRow, number: int) -> Look:
    """The look as it was carried as a version. Raises as `version_numbered`."""
    return Look.model_validate(version_numbered(session, series, number).document)


@dataclass(frozen=True)
class CarryState:
    """Where carrying stands.

    next_number : that the draft would be carried as; changed : whether it differs from what was carried last
    staying : how many follow nothing and are not carried unasked, since the target was read from them
    aimed : whether the draft aims at a target
    versions : numbers of versions with how many frames follow them; behind : how many follow an older one
    stale : how many would come out otherwise if they were carried again, since their light or the computation changed
    """

    next_number: int
    changed: bool
    following: int
    latest: int
    behind: int
    frames: int
    versions: tuple[tuple[int, int], ...]
    stale: int
    undo: str
    redo: str
    staying: int = 0
    aimed: bool = False

    @property
    def is_settled(self) -> bool:
        """Whether carrying the draft to all would change nothing."""
        up_to_date = not (self.changed or self.stale or self.behind)
        return up_to_date and self.frames > 0 and self.following + self.staying >= self.frames


def carry_state(session: Session, series: models.SeriesRow, facts: Facts | None = None) -> CarryState:
    """Where carrying a series' look stands. facts : its frames, none to leave stale ones aside"""
    row = look_of(session, series)
    last = last_version(session, row)
    target = aim_of_draft(session, series, row)
    changed = last is None or last.document != row.draft or last.target_id != (target.id if target else None)
    versions = _counts_by_version(session, series)
    stale = len(stale_frames(session, series, facts)) if versions and facts else 0
    following = sum(count for _, count in versions)
    past = history.steps(session, f"carry:{series.id}")
    latest = last.number if last else 0
    heroes = _follow_of(session, series, frames_read(target))
    older = sum(version is not None and (last is None or version != last.id) for version in heroes)
    return CarryState(
        next_number=latest + 1 if changed or stale else latest,
        changed=changed,
        following=following,
        latest=latest,
        behind=following - dict(versions).get(latest, 0) - older,
        frames=len(facts.firsts) if facts else 0,
        versions=versions,
        stale=stale,
        undo=history.undo_words(past),
        redo=history.redo_words(past),
        staying=sum(version is None for version in heroes),
        aimed=target is not None,
    )


def _follow_of(session: Session, series: models.SeriesRow, frames: set[uuid.UUID]) -> list[uuid.UUID | None]:
    """The versions that some frames of a series follow."""
    if not frames:
        return []
    own = models.FrameRow.series_id == series.id, models.FrameRow.state == "ready"
    return list(
        session.scalars(select(models.FrameRow.follows_id).where(models.among(models.FrameRow.id, frames), *own))
    )


def stale_frames(session: Session, series: models.SeriesRow, frames: Iterable[FrameFacts]) -> set[uuid.UUID]:
    """Those of some frames that would come out otherwise if what they follow were carried anew.

    That is where a frame's light or development was changed since, or the computation is a newer one.
    """
    plan = models.CarriedPlanRow
    query = select(plan.frame_id, plan.basis, plan.computation).join(
        models.FrameRow, (models.FrameRow.id == plan.frame_id) & (models.FrameRow.follows_id == plan.version_id)
    )
    rows = session.execute(query.where(models.FrameRow.series_id == series.id))
    kept = {frame: (basis, computation) for frame, basis, computation in rows}
    return {own.id for own in frames if own.id in kept and kept[own.id] != (own.basis, COMPUTATION)}


def _counts_by_version(session: Session, series: models.SeriesRow) -> tuple[tuple[int, int], ...]:
    """Number of each version that frames follow, newest first, and how many do."""
    query = (
        select(models.LookVersionRow.number, func.count())
        .join(models.FrameRow, models.FrameRow.follows_id == models.LookVersionRow.id)
        .where(models.FrameRow.series_id == series.id, models.FrameRow.state == "ready")
        .group_by(models.LookVersionRow.number)
        .order_by(models.LookVersionRow.number.desc())
    )
    return tuple((number, count) for number, count in session.execute(query))


def carry(
    session: Session, series: models.SeriesRow, frame_ids: list[uuid.UUID] | None = None
) -> models.LookVersionRow:
    """Make frames (all that are measured, by default) follow the draft as a version; it replaces what they followed.

    A version is made only when the draft or the target differs from the last one, or when a frame would come out
    otherwise than it did when that one was carried. Trims are not touched.
    Raises InvalidChangeError without frames.
    """
    lock_series(session, series)  # so that the target is not renewed meanwhile
    row = locked_look(session, series)
    target = aim_of_draft(session, series, row)
    return carry_as(session, series, Carried(row.draft, target.id if target else None, row.origin), frame_ids)


@dataclass(frozen=True)
class Carried:
    """What is carried: a look, the target it aims at if any, and the kept look it came from."""

    document: dict[str, Any]
    target: uuid.UUID | None
    origin: dict[str, Any] | None = None


def carry_as(
    session: Session, series: models.SeriesRow, carried: Carried, frame_ids: list[uuid.UUID] | None = None
) -> models.LookVersionRow:
    """Make frames follow a look as a version of the series' look, whatever the draft is; as `carry`."""
    lock_series(session, series)
    row = locked_look(session, series)
    wanted = None if frame_ids is None else set(frame_ids)
    frames = [frame for frame in series_facts(session, series) if wanted is None or frame.id in wanted]
    if not frames:
        raise InvalidChangeError("There are no frames to carry the look to.")
    last = last_version(session, row)
    same = (
        last is not None
        and Carried(last.document, last.target_id, last.origin) == carried
        and last.computation == COMPUTATION
    )
    if last is None or not same or stale_frames(session, series, frames):
        last = models.LookVersionRow(
            look_id=row.id,
            target_id=carried.target,
            number=last.number + 1 if last else 1,
            document=carried.document,
            origin=carried.origin,
        )
        session.add(last)
        session.flush()
    labels = labels_of(session, series)
    before = {str(f.id): str(version) if (version := labels[f.id].follows) else None for f in frames}
    after = {str(f.id): str(last.id) for f in frames}
    if before != after:
        words = f"Carried v{last.number} to {len(frames)} frames"
        history.record(session, series.id, f"carry:{series.id}", words, {"follows": before}, {"follows": after})
        _follow(session, series, after)
    return last


def _follow(session: Session, series: models.SeriesRow, follows: Mapping[str, str | None]) -> None:
    """Let those frames of a series that are still shown follow versions by their ids, in a statement for each."""
    members: dict[str | None, list[uuid.UUID]] = {}
    for frame, version in follows.items():
        members.setdefault(version, []).append(uuid.UUID(frame))
    for version, ids in members.items():
        shown = (
            models.FrameRow.series_id == series.id,
            models.FrameRow.state.in_(SHOWN),
            models.among(models.FrameRow.id, ids),
        )
        session.execute(
            update(models.FrameRow).where(*shown).values(follows_id=uuid.UUID(version) if version else None)
        )


def renew(session: Session, series: models.SeriesRow) -> int:
    """Carry anew what frames follow, where they would come out otherwise today; how many. Raises InvalidChangeError."""
    lock_series(session, series)
    stale = stale_frames(session, series, series_facts(session, series))
    if not stale:
        raise InvalidChangeError("All frames would come out as they are.")
    followed: dict[uuid.UUID, list[uuid.UUID]] = {}
    for frame, own in labels_of(session, series).items():
        if frame in stale and own.follows:
            followed.setdefault(own.follows, []).append(frame)
    for version_id, members in followed.items():
        version = session.get_one(models.LookVersionRow, version_id)
        carry_as(session, series, Carried(version.document, version.target_id, version.origin), members)
    return len(stale)


def walk_carry(session: Session, series: models.SeriesRow, forward: bool) -> str:
    """Undo or redo the last carrying; its words. Raises InvalidChangeError when there is none."""
    lock_series(session, series)
    passed = history.walked(session, f"carry:{series.id}", forward)
    _follow(session, series, passed.state["follows"])
    return passed.step.words
