"""What the trims of a series have in common: found, taken into the look and off the frames, and taken back."""

import uuid
from collections.abc import Sequence

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError
from nuvett.core.look.common import Common, CommonTrim, added, shared_by, with_common
from nuvett.core.look.look import Look
from nuvett.core.look.words import describe
from nuvett.services.looks.looks import locked_look
from nuvett.services.platform import history
from nuvett.services.series.catalogue import shown_frames
from nuvett.services.series.frame_facts import trim_of
from nuvett.store import models


def in_common(session: Session, series: models.SeriesRow) -> tuple[list[models.FrameRow], list[CommonTrim]]:
    """Frames of a series, variants left out, and what their trims have in common."""
    shown = shown_frames(session, series.id)
    frames = [frame for frame in shown if frame.follows_id and frame.variant_of_id is None]
    numbers = {setup: n for n, setup in enumerate(dict.fromkeys(frame.setup_id for frame in frames))}
    return frames, shared_by([trim_of(frame) for frame in frames], [numbers[frame.setup_id] for frame in frames])


def take_into_look(session: Session, series: models.SeriesRow, name: str) -> str:
    """Take what trims have in common in one number into the look, and off those frames; what was done, in words.

    Frames that carry it follow the new version; all others stay with theirs. So every picture stays as it is. One step
    of the series, which `walk_into_look` takes back. Raises InvalidChangeError when there is nothing in common.
    """
    row = locked_look(session, series)
    frames, found = in_common(session, series)
    shared = next((one for one in found if one.name == name), None)
    if shared is None:
        raise InvalidChangeError("These trims have nothing in common any more.")
    members = [frames[place] for place in shared.frames]
    followed = {frame.follows_id for frame in members}
    if len(followed) != 1:
        raise InvalidChangeError("These frames follow different versions of the look. Carry it to them first.")
    version = session.get_one(models.LookVersionRow, followed.pop())
    words = f"{len(members)} trims in common: {describe(Look(), Look(common=shared.common))}"
    before = _state(row, members)
    made = _version_with(session, version, shared.common)
    draft = Look.model_validate(row.draft)
    row.draft = _added(draft, shared.common).model_dump(mode="json")
    row.revision += 1
    for frame in members:
        trim = with_common(trim_of(frame), shared.common, -1)
        frame.trim = None if trim.is_none else trim.model_dump(mode="json")
        frame.trim_revision += 1
        frame.follows_id = made.id
    session.flush()
    history.record(session, series.id, f"common:{series.id}", words, before, _state(row, members))
    return words


def walk_into_look(session: Session, series: models.SeriesRow, forward: bool) -> str:
    """Undo or redo what was taken into the look; its words. Raises InvalidChangeError when there is none.

    Raises InvalidChangeError, too, when the look or one of the frames has been changed since.
    """
    row = locked_look(session, series)
    passed = history.walked(session, f"common:{series.id}", forward)
    state, other = passed.state, passed.step.before if forward else passed.step.after
    by_id = {str(frame.id): frame for frame in shown_frames(session, series.id)}
    members = [by_id[key] for key in state["frames"] if key in by_id]
    if _state(row, members) != {**other, "frames": {str(f.id): other["frames"][str(f.id)] for f in members}}:
        raise InvalidChangeError("The look or one of these frames has been changed since; undo that first.")
    row.draft = state["draft"]
    row.revision += 1
    for frame in members:
        own = state["frames"][str(frame.id)]
        frame.trim, frame.follows_id = own["trim"], uuid.UUID(own["follows"]) if own["follows"] else None
        frame.trim_revision += 1
    return passed.step.words


def _state(look: models.LookRow, frames: Sequence[models.FrameRow]) -> dict[str, object]:
    return {
        "draft": look.draft,
        "frames": {
            str(frame.id): {"trim": frame.trim, "follows": str(frame.follows_id) if frame.follows_id else None}
            for frame in frames
        },
    }


def _added(look: Look, common: Common) -> Look:
    """A look with something more in common."""
    return look.model_copy(update={"common": added(look.common, common)})


def _version_with(session: Session, version: models.LookVersionRow, common: Common) -> models.LookVersionRow:
    """A new version of a look that differs from one in what is in common alone."""
    newest = select(func.max(models.LookVersionRow.number)).where(models.LookVersionRow.look_id == version.look_id)
    number = (session.scalar(newest) or 0) + 1
    document = _added(Look.model_validate(version.document), common).model_dump(mode="json")
    made = models.LookVersionRow(
        look_id=version.look_id,
        target_id=version.target_id,
        number=number,
        document=document,
        origin=version.origin,
    )
    session.add(made)
    session.flush()
    return made
