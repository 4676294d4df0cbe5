"""One frame's own departure from the look, with a history."""

from sqlalchemy.orm import Session

from nuvett.core.errors import ConflictError
from nuvett.core.look.trim import Trim
from nuvett.core.look.words import describe
from nuvett.services.looks.looks import walked
from nuvett.services.platform import history
from nuvett.store import models


def set_trim(session: Session, series: models.Series, frame: models.Frame, trim: Trim, revision: int) -> None:
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
            session, series.id, f"trim:{frame.id}", describe(Trim.model_validate(before), trim), before, after
        )
        frame.trim, frame.trim_revision = None if trim.is_none else after, revision + 1


def _refuse_changed(frame: models.Frame, revision: int | None) -> None:
    if revision is not None and frame.trim_revision != revision:
        raise ConflictError("This frame was trimmed in another window. This window now shows that newer state.")


def walk_trim(session: Session, frame: models.Frame, forward: bool, revision: int | None = None) -> str:
    """Undo or redo one step of a frame's trim; its words.

    Raises InvalidChangeError when there is none, ConflictError when it has been changed elsewhere since `revision`.
    """
    session.flush()
    session.refresh(frame, with_for_update=True)
    _refuse_changed(frame, revision)
    passed = walked(session, f"trim:{frame.id}", forward)
    trim = Trim.model_validate(passed.state)
    frame.trim = None if trim.is_none else trim.model_dump(mode="json")
    frame.trim_revision += 1
    return passed.step.words
