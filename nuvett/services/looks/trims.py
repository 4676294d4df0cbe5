"""One frame's own departure from the look, with a history."""

from sqlalchemy.orm import Session

from nuvett.core.errors import ConflictError
from nuvett.core.look.trim import Trim
from nuvett.core.look.words import describe
from nuvett.services.platform import history
from nuvett.store import models


def set_trim(session: Session, series: models.SeriesRow, frame: models.FrameRow, trim: Trim, revision: int) -> None:
    """Change one frame's trim; the look is not touched.

    Raises ConflictError when it has been changed elsewhere since `revision`.
    """
    session.flush()
    session.refresh(frame, with_for_update=True)
    _refuse_changed(frame, revision)
    before = frame.trim or Trim().model_dump(mode="json")
    after = trim.model_dump(mode="json")
    if after != before:
        history.record(
            session, series.id, subject_of(frame), describe(Trim.model_validate(before), trim), before, after
        )
        frame.trim, frame.trim_revision = None if trim.is_none else after, revision + 1


def subject_of(frame: models.FrameRow) -> str:
    """What a frame's trim is called in the history."""
    return f"trim:{frame.id}"


def _refuse_changed(frame: models.FrameRow, revision: int | None) -> None:
    if revision is not None and frame.trim_revision != revision:
        raise ConflictError("This frame was trimmed in another window. This window now shows that newer state.")


def walk_trim(session: Session, frame: models.FrameRow, forward: bool, revision: int | None = None) -> str:
    """Undo or redo one step of a frame's trim; its words.

    Raises InvalidChangeError when there is none, ConflictError when it has been changed elsewhere since `revision`.
    """
    session.flush()
    session.refresh(frame, with_for_update=True)
    _refuse_changed(frame, revision)
    passed = history.walked(session, subject_of(frame), forward)
    _restore(frame, passed)
    return passed.step.words


def travel_trim(session: Session, frame: models.FrameRow, number: int, revision: int | None = None) -> None:
    """Go to just after a step of a trim's history (0: before the first), on whatever branch it lies.

    Raises InvalidChangeError for a step that is not there, and ConflictError as `walk_trim`.
    """
    session.flush()
    session.refresh(frame, with_for_update=True)
    _refuse_changed(frame, revision)
    passed = history.travel(session, subject_of(frame), number)
    if passed:
        _restore(frame, passed[-1])


def trim_at_step(session: Session, frame: models.FrameRow, number: int) -> Trim:
    """A frame's trim as it was just after a step of its history. Raises InvalidChangeError for one not there."""
    return Trim.model_validate(history.state_at(session, subject_of(frame), number))


def _restore(frame: models.FrameRow, passed: history.Passed) -> None:
    trim = Trim.model_validate(passed.state)
    frame.trim = None if trim.is_none else trim.model_dump(mode="json")
    frame.trim_revision += 1
