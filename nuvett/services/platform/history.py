"""Named changes of one subject (a look, a frame's trim, what frames follow): recorded, undone, done again, branched."""

import uuid
from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError
from nuvett.store.models import HistoryRow

LONGEST_NAME = 60


@dataclass(frozen=True)
class HistoryStep:
    """One step of a history as shown: its words, and where it lies.

    undone : ahead of the present; can be done again
    aside : on another branch; name : that a person gave it
    """

    number: int
    words: str
    undone: bool
    aside: bool
    name: str = ""

    @property
    def called(self) -> str:
        """What it is called where it is offered: by its name, or else its number, and what changed."""
        return f"{self.name or f'step {self.number}'}: {self.words}"


@dataclass(frozen=True)
class Passed:
    """A step that is walked over, forward (its `after` holds then) or back (its `before`)."""

    step: HistoryRow
    forward: bool

    @property
    def state(self) -> dict[str, Any]:
        return self.step.after if self.forward else self.step.before


def record(
    session: Session, series_id: uuid.UUID, subject: str, words: str, before: dict[str, Any], after: dict[str, Any]
) -> None:
    """Add a change upon the present. Steps that were undone before it become a branch of their own."""
    head = _head(session, subject)
    session.execute(
        update(HistoryRow).where(HistoryRow.subject == subject, HistoryRow.undone).values(undone=False, aside=True)
    )
    last = session.scalar(select(func.max(HistoryRow.number)).where(HistoryRow.subject == subject)) or 0
    session.add(
        HistoryRow(
            series_id=series_id,
            subject=subject,
            number=last + 1,
            words=words,
            before=before,
            after=after,
            parent=head.number if head else None,
        )
    )
    session.flush()


def _head(session: Session, subject: str) -> HistoryRow | None:
    """The newest step on the way to the present."""
    return session.scalars(
        select(HistoryRow)
        .where(HistoryRow.subject == subject, HistoryRow.undone.is_(False), HistoryRow.aside.is_(False))
        .order_by(HistoryRow.number.desc())
        .limit(1)
        .with_for_update()
    ).first()


def step_back(session: Session, subject: str) -> HistoryRow | None:
    """Mark the last change as undone; the caller restores its `before`. None when nothing is left to undo."""
    found = _head(session, subject)
    if found:
        found.undone = True
        session.flush()
    return found


def step_forward(session: Session, subject: str) -> HistoryRow | None:
    """Mark the first undone change as done again; the caller restores its `after`."""
    found = session.scalars(
        select(HistoryRow)
        .where(HistoryRow.subject == subject, HistoryRow.undone)
        .order_by(HistoryRow.number)
        .limit(1)
        .with_for_update()
    ).first()
    if found:
        found.undone = False
        session.flush()
    return found


def walked(session: Session, subject: str, forward: bool) -> Passed:
    """The step walked over, marked as such, and the state after it. Raises InvalidChangeError when there is none."""
    step = (step_forward if forward else step_back)(session, subject)
    if step is None:
        raise InvalidChangeError("There is nothing to redo." if forward else "There is nothing to undo.")
    return Passed(step, forward)


def travel(session: Session, subject: str, number: int) -> list[Passed]:
    """Go to just after step `number` (0: before the first), on whatever branch it lies; the steps walked over in order.

    From there the newest branch lies ahead. Raises InvalidChangeError for a step that is not there.
    """
    rows = {
        row.number: row
        for row in session.scalars(select(HistoryRow).where(HistoryRow.subject == subject).with_for_update())
    }
    if number and number not in rows:
        raise InvalidChangeError("That step of the history is not there any more.")
    head = max((n for n, row in rows.items() if not row.undone and not row.aside), default=0)
    here, there = _line(rows, head), _line(rows, number)
    passed = [Passed(rows[n], False) for n in reversed(here) if n not in there]
    passed += [Passed(rows[n], True) for n in there if n not in here]
    ahead = _newest_ahead(rows, number)
    for n, row in rows.items():
        row.undone, row.aside = n in ahead, n not in ahead and n not in there
    session.flush()
    return passed


def _line(rows: dict[int, HistoryRow], number: int) -> list[int]:
    """Numbers from the first step to `number`, along parents."""
    found: list[int] = []
    at: int | None = number or None
    while at is not None:
        found.append(at)
        at = rows[at].parent
    return found[::-1]


def _newest_ahead(rows: dict[int, HistoryRow], number: int) -> set[int]:
    ahead: set[int] = set()
    at: int | None = number or None
    while children := [n for n, row in rows.items() if row.parent == at]:
        at = max(children)
        ahead.add(at)
    return ahead


def steps(session: Session, subject: str, most: int = 40) -> list[HistoryStep]:
    """The latest steps of a subject, newest first."""
    columns = select(HistoryRow.number, HistoryRow.words, HistoryRow.undone, HistoryRow.aside, HistoryRow.name)
    rows = session.execute(columns.where(HistoryRow.subject == subject).order_by(HistoryRow.number.desc()).limit(most))
    return [HistoryStep(*row) for row in rows]


def state_at(session: Session, subject: str, number: int) -> dict[str, Any]:
    """What a subject was just after a step. Raises InvalidChangeError for a step that is not there."""
    return _step(session, subject, number).after


def name_step(session: Session, subject: str, number: int, name: str) -> None:
    """Give what a step reached a name, or none. Raises InvalidChangeError for a step that is not there, or too long."""
    name = " ".join(name.split())
    if len(name) > LONGEST_NAME:
        raise InvalidChangeError(f"A name has at most {LONGEST_NAME} characters.")
    _step(session, subject, number).name = name


def _step(session: Session, subject: str, number: int) -> HistoryRow:
    found = session.scalars(
        select(HistoryRow).where(HistoryRow.subject == subject, HistoryRow.number == number)
    ).first()
    if found is None:
        raise InvalidChangeError("That step of the history is not there any more.")
    return found


def undo_words(past: list[HistoryStep]) -> str:
    """Words of the step that undoing would take back; empty when there is none."""
    return next((s.words for s in past if not s.undone and not s.aside), "")


def redo_words(past: list[HistoryStep]) -> str:
    """Words of the step that would be done again; empty when there is none."""
    return next((s.words for s in reversed(past) if s.undone), "")
