"""The look of a series being made: its draft, with a history, and the frames it is tried on."""

import uuid
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy.orm import Session

from nuvett.core.errors import ConflictError, InvalidChangeError
from nuvett.core.look.look import Look
from nuvett.core.look.words import describe
from nuvett.services.engine.facts import Aimed
from nuvett.services.platform import history
from nuvett.services.references.targets import latest_target, target_document
from nuvett.services.series.catalogue import look_of, ready_frames
from nuvett.store import models

MAX_PROOFS = 12
_AIM = "aim"  # beside the look in the states of a history
Plain = dict[str, Any]


@dataclass(frozen=True)
class DraftAim:
    """What a draft aims at beside the series' own target, and the kept look that it came from; none for neither.

    by_hand : whether it aims at nothing, because it was made before there was any target
    """

    target: uuid.UUID | None = None
    origin: Plain | None = None
    by_hand: bool = False

    @classmethod
    def of(cls, row: models.LookRow) -> "DraftAim":
        """The aim of a draft."""
        return cls(row.target_id, row.origin, row.by_hand)


def aim_of_draft(session: Session, series: models.SeriesRow, row: models.LookRow) -> models.TargetRow | None:
    """The target that a draft aims at: the one of a kept look, else the series' newest.

    None before there is any, and for a draft that was made by hand before.
    """
    if row.by_hand:
        return None
    return session.get_one(models.TargetRow, row.target_id) if row.target_id else latest_target(session, series.id)


def draft_of(session: Session, series: models.SeriesRow, row: models.LookRow | None = None) -> Aimed:
    """The draft with what it aims at. row : the look of the series, where it is at hand"""
    row = row or look_of(session, series)
    return aimed_at(Look.model_validate(row.draft), aim_of_draft(session, series, row))


def aimed_at(look: Look, target: models.TargetRow | None, version: uuid.UUID | None = None) -> Aimed:
    """A look with the target of a row, if there is one. Raises TargetError when that is of another schema."""
    return Aimed(look, target_document(target), str(target.id), version) if target else Aimed(look, version=version)


def change_look(
    session: Session,
    series: models.SeriesRow,
    look: Look,
    revision: int,
    words: str | None = None,
    aim: DraftAim | None = None,
) -> models.LookRow:
    """Change the draft, and what it aims at if asked to; the history says what changed, or `words`.

    Raises ConflictError when it has been changed elsewhere since `revision`.
    """
    row = _unchanged_look(session, series, revision)
    if aim is None:
        aim = replace(DraftAim.of(row), by_hand=aim_of_draft(session, series, row) is None)
    before, after = _state_of(row), _state(look.model_dump(mode="json"), aim)
    if after != before:
        words = words or describe(Look.model_validate(row.draft), look)
        history.record(session, series.id, f"look:{row.id}", words, before, after)
        _restore(row, after)
    return row


def _unchanged_look(session: Session, series: models.SeriesRow, revision: int | None) -> models.LookRow:
    row = locked_look(session, series)
    if revision is not None and row.revision != revision:
        raise ConflictError("The look was changed in another window. This window now shows that newer state.")
    return row


def _state(draft: Plain, aim: DraftAim) -> Plain:
    """A state of a draft as histories keep it: the look, and beside it the aim where it is not the series' own."""
    if aim == DraftAim():
        return draft
    said = {"target": str(aim.target) if aim.target else None, "origin": aim.origin}
    return {**draft, _AIM: said | ({"by_hand": True} if aim.by_hand else {})}


def _state_of(row: models.LookRow) -> Plain:
    return _state(row.draft, DraftAim.of(row))


def _restore(row: models.LookRow, state: Plain) -> None:
    aim = state.get(_AIM) or {}
    row.draft = {name: value for name, value in state.items() if name != _AIM}
    row.target_id = uuid.UUID(aim["target"]) if aim.get("target") else None
    row.origin = aim.get("origin")
    row.by_hand = aim.get("by_hand", False)
    row.revision += 1


def locked_look(session: Session, series: models.SeriesRow) -> models.LookRow:
    return session.get_one(models.LookRow, look_of(session, series).id, with_for_update=True, populate_existing=True)


def walk_look(
    session: Session, series: models.SeriesRow, forward: bool, revision: int | None = None
) -> tuple[models.LookRow, str]:
    """Undo or redo one step of the draft; the look and what was walked over.

    Raises InvalidChangeError at the end, ConflictError when it has been changed elsewhere since `revision`.
    """
    row = _unchanged_look(session, series, revision)
    passed = history.walked(session, f"look:{row.id}", forward)
    _restore(row, passed.state)
    return row, passed.step.words


def travel_look(session: Session, series: models.SeriesRow, number: int, revision: int | None = None) -> models.LookRow:
    """Go to just after a step of the draft's history (0: before the first), on whatever branch it lies.

    Raises InvalidChangeError, and ConflictError as `walk_look`.
    """
    row = _unchanged_look(session, series, revision)
    passed = history.travel(session, f"look:{row.id}", number)
    if passed:
        _restore(row, passed[-1].state)
    return row


def look_at_step(session: Session, series: models.SeriesRow, number: int) -> Look:
    """The draft as it was just after a step of its history. Raises InvalidChangeError for a step that is not there."""
    state = history.state_at(session, subject_of(session, series), number)
    return Look.model_validate({name: value for name, value in state.items() if name != _AIM})


def subject_of(session: Session, series: models.SeriesRow) -> str:
    """What the draft of a series is called in the history."""
    return f"look:{look_of(session, series).id}"


def proofs_of(row: models.LookRow) -> tuple[uuid.UUID, ...]:
    """The frames chosen to try a look on; empty where the most different ones are tried."""
    return tuple(uuid.UUID(frame) for frame in (row.proofs or {}).get("frames", []))


def set_proofs(session: Session, series: models.SeriesRow, frames: list[uuid.UUID] | None) -> None:
    """Choose the frames that the look is tried on, or none for the most different ones.

    Raises InvalidChangeError for too many, or a frame that is not of the series.
    """
    row = locked_look(session, series)
    known = {frame.id for frame in ready_frames(session, series.id)}
    if frames is not None and not (0 < len(frames) <= MAX_PROOFS and set(frames) <= known):
        raise InvalidChangeError(f"Choose 1 to {MAX_PROOFS} frames of this series.")
    row.proofs = None if frames is None else {"frames": [str(frame) for frame in frames]}


def look_text(session: Session, series: models.SeriesRow) -> str:
    """The draft as JSON text, the same document that the command line reads."""
    return Look.model_validate(look_of(session, series).draft).model_dump_json(indent=2) + "\n"
