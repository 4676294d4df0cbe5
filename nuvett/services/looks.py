"""The look of a series being made: its draft, with a history, and the frames it is tried on."""

import uuid

from sqlalchemy import select
from sqlalchemy.orm import Session

from nuvett.core.errors import ConflictError, InvalidChangeError
from nuvett.core.look.look import Look, take_parts
from nuvett.core.look.words import describe
from nuvett.services import history
from nuvett.services.catalogue import look_of, ready_frames
from nuvett.services.facts import Aimed
from nuvett.services.targets import latest_target, target_document
from nuvett.store import models

MOST_PROOFS = 12


def draft_of(session: Session, series: models.Series) -> Aimed | None:
    """The draft with the newest target; none before a target exists."""
    target = latest_target(session, series.id)
    if target is None:
        return None
    look = Look.model_validate(look_of(session, series).draft)
    return Aimed(look, target_document(target), str(target.id))


def walked(session: Session, subject: str, forward: bool) -> history.Passed:
    """The step walked over, marked as such, and the state after it. Raises InvalidChangeError when there is none."""
    step = (history.step_forward if forward else history.step_back)(session, subject)
    if step is None:
        raise InvalidChangeError("There is nothing to do again." if forward else "There is nothing to undo.")
    return history.Passed(step, forward)


def change_look(
    session: Session, series: models.Series, look: Look, revision: int, words: str | None = None
) -> models.Look:
    """Change the draft; the history says what changed, or `words`.

    Raises ConflictError when it has been changed elsewhere since `revision`.
    """
    row = locked_look(session, series)
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


def locked_look(session: Session, series: models.Series) -> models.Look:
    return session.get_one(models.Look, look_of(session, series).id, with_for_update=True, populate_existing=True)


def walk_look(session: Session, series: models.Series, forward: bool) -> tuple[models.Look, str]:
    """Undo or redo one step of the draft; the look and what was walked over. Raises InvalidChangeError at the end."""
    row = locked_look(session, series)
    passed = walked(session, f"look:{row.id}", forward)
    row.draft, row.revision = passed.state, row.revision + 1
    return row, passed.step.words


def travel_look(session: Session, series: models.Series, number: int) -> models.Look:
    """Go to just after a step of the draft's history (0: before the first), on whatever branch it lies."""
    row = locked_look(session, series)
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


def set_proofs(session: Session, series: models.Series, frames: list[uuid.UUID] | None) -> None:
    """Choose the frames that the look is tried on, or none for the most different ones.

    Raises InvalidChangeError for too many, or a frame that is not of the series.
    """
    row = locked_look(session, series)
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
    theirs, row = Look.model_validate(look_of(session, source).draft), locked_look(session, series)
    taken = theirs if parts is None else take_parts(Look.model_validate(row.draft), theirs, parts)
    words = f"Look of {source.title}" if parts is None else f"{len(parts)} parts of the look of {source.title}"
    change_look(session, series, taken, row.revision, words)


def look_text(session: Session, series: models.Series) -> str:
    """The draft as JSON text, the same document that the command line reads."""
    return Look.model_validate(look_of(session, series).draft).model_dump_json(indent=2) + "\n"
