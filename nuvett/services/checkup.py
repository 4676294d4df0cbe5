"""Checking the store against the database: files that are missing or damaged, and files that nothing uses."""

import uuid
from dataclasses import dataclass, field
from typing import Any, cast

from sqlalchemy import or_, select
from sqlalchemy.orm import Session

from nuvett.core.errors import MissingBlobError
from nuvett.services.catalogue import BLOB_COLUMNS, blobs_in_use, sweep
from nuvett.services.queue import INGEST_CLIP, INGEST_FRAME, INGEST_REFERENCE
from nuvett.services.studio import Studio
from nuvett.settings import Settings
from nuvett.store import models

Kept = models.Frame | models.Reference | models.Clip

Kind = type[models.Frame] | type[models.Reference] | type[models.Clip]

# The task that makes a row's other files anew from its original, and what that is handed.
_REMADE: dict[str, tuple[str, str]] = {
    "Frame": (INGEST_FRAME, "frame_id"),
    "Reference": (INGEST_REFERENCE, "reference_id"),
    "Clip": (INGEST_CLIP, "clip_id"),
}
_KINDS: tuple[Kind, ...] = (models.Frame, models.Reference, models.Clip)


@dataclass
class Findings:
    """What a check found, in words, and names of blobs.

    missing : what uses a file that is not there or is damaged, in words, by the file's name
    orphans : files that nothing uses; parts : files that were never finished
    """

    missing: dict[str, list[str]] = field(default_factory=dict)
    orphans: set[str] = field(default_factory=set)
    parts: int = 0

    @property
    def words(self) -> list[str]:
        """One line for each finding."""
        lines = [
            f"{user}: its file {name[:12]} is missing or damaged"
            for name, users in self.missing.items()
            for user in users
        ]
        if self.orphans:
            lines.append(f"Files in the store that nothing uses: {len(self.orphans)}")
        if self.parts:
            lines.append(f"Files that were never finished: {self.parts}")
        return lines


def check(studio: Studio, deep: bool = False) -> Findings:
    """Compare the store with the database; `deep` reads every file to see whether it is what was kept."""
    with studio.database.session() as session:
        used = blobs_in_use(session)
    present = studio.blobs.names()
    gone = used - present
    if deep:
        gone |= {name for name in used & present if not studio.blobs.is_whole(name)}
    with studio.database.session() as session:
        missing = {name: [words for _, words in _users(session, name)] for name in sorted(gone)}
    return Findings(missing, present - used, len(studio.blobs.parts()))


def mend(studio: Studio, findings: Findings) -> None:
    """Make anew what can be made from originals, set the rest aside with words, clear what nothing uses.

    Unfinished files are only cleared when nobody else writes: at the start of the application.
    """
    for name in findings.missing:
        set_aside(studio, name)
    with studio.database.session() as session:
        sweep(session, studio.blobs, findings.orphans)


def set_aside(studio: Studio, name: str) -> int:
    """Deal with a missing or damaged blob, so that only what uses it is harmed; how many rows that changed.

    What was made from an original is made anew; what has lost its original is refused and says so.
    """
    if not studio.blobs.is_whole(name):
        studio.blobs.remove(name)
    changed = 0
    with studio.database.session() as session:
        for row, _ in _users(session, name):
            if isinstance(row, models.DeliveryFile):
                row.state, row.problem, row.blob = "failed", MissingBlobError(name).message, None
            elif row.state == "ready":
                _remake(session, studio, row, name)
            else:
                continue
            changed += 1
    return changed


def _remake(session: Session, studio: Studio, row: Kept, name: str) -> None:
    task, argument = _REMADE[type(row).__name__]
    if row.original == name or not studio.blobs.exists(row.original):
        row.state, row.problem = "refused", MissingBlobError(name).message
        return
    row.state, row.problem = "waiting", "A file made from it was missing and is being made anew."
    session.flush()
    handed: dict[str, Any] = {argument: str(row.id)}
    studio.queue.defer(session, task, **handed)


def _users(session: Session, name: str) -> list[tuple[Kept | models.DeliveryFile, str]]:
    """Rows that use a blob, and what they are in words."""
    found: list[tuple[Kept | models.DeliveryFile, str]] = []
    for kind in _KINDS:
        columns = [column for column in BLOB_COLUMNS if column.class_ is kind]
        rows = session.scalars(select(kind).where(or_(*(column == name for column in columns)))).all()
        for row in cast("list[Kept]", rows):
            found.append((row, f"{kind.__name__} {row.name} of {_title(session, row.series_id)}"))
    for file in session.scalars(select(models.DeliveryFile).where(models.DeliveryFile.blob == name)):
        found.append((file, f"Finished file {file.name}"))
    return found


def _title(session: Session, series_id: uuid.UUID) -> str:
    series = session.get(models.Series, series_id)
    return series.title if series else "a deleted series"


def clear_orphans(studio: Studio) -> int:
    """Clear what nothing uses; for a worker that starts and is alone. How many files there were."""
    with studio.database.session() as session:
        orphans = studio.blobs.names() - blobs_in_use(session)
    with studio.database.session() as session:
        sweep(session, studio.blobs, orphans)
    return len(orphans)


def check_installation(deep: bool, mending: bool) -> Findings:
    """Check the installation that the environment names, and mend it if asked to."""
    studio = Studio.of(Settings())
    try:
        findings = check(studio, deep)
        if mending:
            mend(studio, findings)
        return findings
    finally:
        studio.database.close()
