"""The lookbook: kept looks in versions, with what people know them by."""

import hashlib
import json
import uuid
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any, Literal

from pydantic import ValidationError
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from nuvett.core.book.files import MAX_NAME, Labels
from nuvett.core.book.kept import PARTS, Kept
from nuvett.core.errors import ConflictError, InvalidChangeError, NotFoundError
from nuvett.core.look.words import describe
from nuvett.core.reading.reading import Target
from nuvett.core.steps.lookup import TableStep
from nuvett.core.table.expects import EXPECTS
from nuvett.services.references.targets import target_document
from nuvett.store import models

KEPT, AWAY, TRIAL = "kept", "away", "trial"
Sort = Literal["name", "used", "suits"]
_MAX_LOOKS = 2000
_ROOM = 6  # characters that a number behind a name may take


def keep_target(session: Session, target: Target) -> models.TargetRow:
    """The row of what a kept look aims at; the same target is kept once, and never changed."""
    document = target.model_dump(mode="json")
    digest = hashlib.sha256(json.dumps(document, sort_keys=True).encode()).hexdigest()
    row = session.scalars(select(models.TargetRow).where(models.TargetRow.digest == digest)).first()
    if row is None:
        row = models.TargetRow(series_id=None, number=0, document=document, digest=digest)
        session.add(row)
        session.flush()
    return row


def find_kept(session: Session, look_id: uuid.UUID) -> models.KeptLookRow:
    """A kept look. Raises NotFoundError."""
    row = session.get(models.KeptLookRow, look_id)
    if row is None:
        raise NotFoundError("This look is not in the lookbook any more.")
    return row


@dataclass(frozen=True)
class KeptVersion:
    """One version of a kept look, ready for use; `target_key` names its target by its row, empty where it has none."""

    look_id: uuid.UUID
    id: uuid.UUID
    number: int
    name: str
    strength: float
    kept: Kept
    target_key: str

    @property
    def origin(self) -> dict[str, Any]:
        """What a series remembers of it."""
        return {"kept": str(self.look_id), "number": self.number, "name": self.name}


def newest_row(session: Session, look_id: uuid.UUID, number: int | None = None) -> models.KeptVersionRow:
    """A version of a kept look, the newest unless a number is given. Raises NotFoundError."""
    query = select(models.KeptVersionRow).where(models.KeptVersionRow.look_id == look_id)
    if number is not None:
        query = query.where(models.KeptVersionRow.number == number)
    row = session.scalars(query.order_by(models.KeptVersionRow.number.desc()).limit(1)).first()
    if row is None:
        raise NotFoundError("There is no such version of this look.")
    return row


def version_of(session: Session, look_id: uuid.UUID, number: int | None = None) -> KeptVersion:
    """A version of a kept look with its target. Raises NotFoundError."""
    look, row = find_kept(session, look_id), newest_row(session, look_id, number)
    target = session.get_one(models.TargetRow, row.target_id) if row.target_id else None
    kept = Kept.model_validate(row.document)
    if target is not None:
        kept = kept.model_copy(update={"target": target_document(target)})
    return KeptVersion(look.id, row.id, row.number, look.name, look.strength, kept, str(target.id) if target else "")


def parse_labels(values: dict[str, Any]) -> Labels:
    """Labels from a person's words. Raises InvalidChangeError with what is wrong."""
    plain = {k: " ".join(v.split()) if isinstance(v, str) else v for k, v in values.items()}
    try:
        return Labels.model_validate(plain)
    except ValidationError as error:
        first = error.errors()[0]
        field = str(first["loc"][0]).replace("_", " ")
        if first["type"] == "string_too_short":
            raise InvalidChangeError("A look needs a name to be kept by; nothing was changed.") from error
        if first["type"] == "string_too_long":
            most = first["ctx"]["max_length"]
            raise InvalidChangeError(
                f"The {field} has at most {most} characters; this one has {len(str(plain[str(first['loc'][0])]))}."
            ) from error
        raise InvalidChangeError(f"{field}: {first['msg']}. Nothing was changed.") from error


def _is_taken(session: Session, name: str, but: uuid.UUID | None = None) -> bool:
    query = select(models.KeptLookRow.id).where(
        func.lower(models.KeptLookRow.name) == name.lower(), models.KeptLookRow.state != TRIAL
    )
    return any(found != but for found in session.scalars(query))


def free_name(session: Session, name: str) -> str:
    """A name that no kept look has: with a number behind it where it is taken."""
    return FreeNames.of(session).taken(name)


class FreeNames:
    """Names that no kept look has yet, handed out one after the other."""

    def __init__(self, used: Iterable[str]) -> None:
        self._used = {name.lower() for name in used}

    @classmethod
    def of(cls, session: Session) -> "FreeNames":
        """Those that are free now."""
        return cls(session.scalars(select(models.KeptLookRow.name).where(models.KeptLookRow.state != TRIAL)))

    def taken(self, name: str) -> str:
        """The name, with a number behind it where it is not free; taken from now on."""
        base = name[: MAX_NAME - _ROOM]
        tries = (name, *(f"{base} {n}" for n in range(2, _MAX_LOOKS + 2)))
        free = next(one for one in tries if one.lower() not in self._used)
        self._used.add(free.lower())
        return free


def add_kept(session: Session, labels: Labels, kept: Kept, words: str = "", **also: Any) -> models.KeptLookRow:
    """Add a look to the book, with its first version. `also` holds state, starter, and thumbnail with its domain.

    Raises InvalidChangeError for a name that is taken, and when the book is full.
    """
    if also.get("state") != TRIAL and _is_taken(session, labels.name):
        raise InvalidChangeError(f"There is a look called {labels.name} already. Give this one another name.")
    if (session.scalar(select(func.count()).select_from(models.KeptLookRow)) or 0) >= _MAX_LOOKS:
        raise InvalidChangeError(f"A lookbook holds {_MAX_LOOKS} looks; delete some first.")
    row = models.KeptLookRow(**labels.model_dump(), **also)
    session.add(row)
    session.flush()
    _add_version(session, row, 1, kept, words or "Kept")
    return row


def _add_version(session: Session, row: models.KeptLookRow, number: int, kept: Kept, words: str) -> None:
    target = keep_target(session, kept.target) if kept.target else None
    document = kept.model_copy(update={"target": None}).model_dump(mode="json")
    version = models.KeptVersionRow(
        look_id=row.id, target_id=target.id if target else None, number=number, document=document, words=words
    )
    session.add(version)
    session.flush()


def revise(session: Session, row: models.KeptLookRow, kept: Kept, number: int) -> int:
    """Add a version made upon version `number`; the number of it, the same one where nothing changed.

    Raises ConflictError when a newer one was made meanwhile, InvalidChangeError for a starter, which is copied instead.
    """
    if row.starter:
        raise InvalidChangeError(f"{row.name} came with the application. Keep the changed one under another name.")
    session.refresh(row, with_for_update=True)
    newest = version_of(session, row.id)
    if newest.number != number:
        raise ConflictError(f"{row.name} has a version {newest.number} by now. Look at it and revise that one.")
    if _plain(newest.kept) == _plain(kept):
        return number
    _add_version(session, row, number + 1, kept, _changes(newest.kept, kept))
    return number + 1


def expect(session: Session, row: models.KeptLookRow, expects: str) -> int:
    """Let the table of a look take colours as something else, as a new version; the number of it.

    Raises InvalidChangeError for a look without a table, or an encoding that is not known.
    """
    newest = version_of(session, row.id)
    step = newest.kept.look.step(TableStep)
    if not step.table.digest or expects not in EXPECTS:
        raise InvalidChangeError("There is no such encoding of a table; nothing was changed.")
    look = newest.kept.look.with_step(step.model_copy(update={"expects": expects}))
    kept = newest.kept.model_copy(update={"look": look})
    if row.state == TRIAL:
        replace_trial(session, row, kept)
        return newest.number
    return revise(session, row, kept, newest.number)


def _changes(before: Kept, after: Kept) -> str:
    said = []
    if before.look != after.look:
        said.append(describe(before.look, after.look))
    if _plain(before.target) != _plain(after.target):
        said.append("aims at another target")
    came, went = ([PARTS[p] for p in PARTS if p in a and p not in b] for a, b in _both_ways(before, after))
    said += [f"with {', '.join(came)}"] if came else []
    said += [f"without {', '.join(went)}"] if went else []
    return "; ".join(said) or "its frame's geometry or areas"


def _plain(document: Kept | Target | None) -> str:
    """What a document says, to be compared: arrays in it are not told apart by themselves."""
    return document.model_dump_json() if document else ""


def _both_ways(before: Kept, after: Kept) -> tuple[tuple[set[str], set[str]], tuple[set[str], set[str]]]:
    old, new = set(before.parts), set(after.parts)
    return (new, old), (old, new)


def replace_trial(session: Session, row: models.KeptLookRow, kept: Kept) -> None:
    """Let a look that is on trial be another one. Raises InvalidChangeError once it has been kept."""
    if row.state != TRIAL:
        raise InvalidChangeError("This look has been kept already.")
    version = newest_row(session, row.id)
    target = keep_target(session, kept.target) if kept.target else None
    version.document = kept.model_copy(update={"target": None}).model_dump(mode="json")
    version.target_id = target.id if target else None


def keep_trial(session: Session, row: models.KeptLookRow, changes: dict[str, Any]) -> None:
    """Keep a look that was on trial, under the labels given. Raises as `relabel`."""
    if row.state != TRIAL:
        raise InvalidChangeError("This look has been kept already.")
    relabel(session, row, changes)
    row.state = KEPT


def relabel(session: Session, row: models.KeptLookRow, changes: dict[str, Any]) -> None:
    """Change name, note, group, favourite or strength. Raises InvalidChangeError for a name that is taken or unfit."""
    present = {name: getattr(row, name) for name in Labels.model_fields}
    labels = parse_labels(present | changes)
    if _is_taken(session, labels.name, but=row.id):
        raise InvalidChangeError(f"There is a look called {labels.name} already; nothing was changed.")
    for name, value in labels.model_dump().items():
        setattr(row, name, value)


def copy_kept(session: Session, row: models.KeptLookRow) -> models.KeptLookRow:
    """A copy of the newest version under a name of its own, to be changed."""
    version = version_of(session, row.id)
    labels = parse_labels({name: getattr(row, name) for name in Labels.model_fields} | {"favourite": False})
    named = labels.model_copy(update={"name": free_name(session, f"{row.name[:68]}, a copy")})
    words = f"Copied from {row.name}, version {version.number}"
    return add_kept(session, named, version.kept, words, thumbnail=row.thumbnail, domain=row.domain)


def set_state(row: models.KeptLookRow, state: str) -> None:
    """Put a look away, or back. Raises InvalidChangeError for one that has only been worked out."""
    if row.state == TRIAL or state not in (KEPT, AWAY):
        raise InvalidChangeError("Keep this look first.")
    row.state = state


def delete_kept(session: Session, row: models.KeptLookRow) -> set[str]:
    """Delete a look that was put away, or only worked out; names of blobs that may now be unused, for `sweep`.

    Series that use it keep their own copies. Raises InvalidChangeError for one that is in use in the book.
    """
    if row.state == KEPT:
        raise InvalidChangeError("Put this look away first; from there it can be deleted for good.")
    blobs = {row.thumbnail}
    for pair in session.scalars(select(models.PairRow).where(models.PairRow.look_id == row.id)):
        blobs |= {pair.before, pair.after, pair.veil}
    for picture in session.scalars(select(models.FinishedRow).where(models.FinishedRow.look_id == row.id)):
        blobs |= {picture.view, picture.sample}
    session.delete(row)
    session.flush()
    return {name for name in blobs if name}


def mark_used(session: Session, look_id: uuid.UUID) -> None:
    """Remember that a look was used now."""
    find_kept(session, look_id).used = datetime.now(UTC)
