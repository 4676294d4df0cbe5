"""Named changes of one subject (a look, a frame's trim, what frames follow): recorded, undone, done again."""

import uuid
from dataclasses import dataclass
from typing import Any

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from nuvett.store.models import History


@dataclass(frozen=True)
class Step:
    """One step of a history as shown: its words, and whether it is undone."""

    number: int
    words: str
    undone: bool


def record(
    session: Session, series_id: uuid.UUID, subject: str, words: str, before: dict[str, Any], after: dict[str, Any]
) -> None:
    """Add a change. Steps undone before it can no longer be done again."""
    session.execute(delete(History).where(History.subject == subject, History.undone))
    last = session.scalar(select(func.max(History.number)).where(History.subject == subject)) or 0
    session.add(History(series_id=series_id, subject=subject, number=last + 1, words=words, before=before, after=after))
    session.flush()


def step_back(session: Session, subject: str) -> History | None:
    """Mark the last change as undone; the caller restores its `before`. None when nothing is left to undo."""
    found = session.scalars(
        select(History)
        .where(History.subject == subject, History.undone.is_(False))
        .order_by(History.number.desc())
        .limit(1)
        .with_for_update()
    ).first()
    if found:
        found.undone = True
    return found


def step_forward(session: Session, subject: str) -> History | None:
    """Mark the first undone change as done again; the caller restores its `after`."""
    found = session.scalars(
        select(History)
        .where(History.subject == subject, History.undone)
        .order_by(History.number)
        .limit(1)
        .with_for_update()
    ).first()
    if found:
        found.undone = False
    return found


def steps(session: Session, subject: str, most: int = 40) -> list[Step]:
    """The latest steps of a subject, newest first."""
    rows = session.scalars(
        select(History).where(History.subject == subject).order_by(History.number.desc()).limit(most)
    )
    return [Step(row.number, row.words, row.undone) for row in rows]
