"""Checking the store against the database: files that are missing, damaged, found again, or used by nothing."""

from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import or_, select, update
from sqlalchemy.orm import Session

from nuvett.core.errors import StoreAbsentError
from nuvett.services.platform.blobs import OWNERS, Owner, blobs_in_use, owner_of, sweep
from nuvett.services.platform.installation import absence, recognise
from nuvett.services.platform.studio import Studio
from nuvett.store import models
from nuvett.store.quarantine import Quarantine, Quarantined

KEPT_DAYS = 7
"""Days that unused files lie in quarantine before they are removed."""

_FEW, _SHARE, _MANY = 8, 0.05, 200  # files that may go without asking: few, or a small share that is not many
_OLD_PART = 24 * 3600.0  # seconds after which nobody writes a file any more
_REMADE = "A file made from it was missing and is being made anew."
_LOST = "The file is missing from the store of this installation, or damaged there. Bring it in again."


@dataclass
class Findings:
    """What a check found, in words, and names of blobs.

    absent : that the store is not there at all, in words; nothing else is known then
    missing : what uses a file that is not there or is damaged, in words, by the file's name
    found : rows that had lost a file which is there again
    unused : files that nothing uses; parts : files that were never finished; held : what lies in quarantine
    """

    absent: str = ""
    missing: dict[str, list[str]] = field(default_factory=dict)
    found: int = 0
    unused: set[str] = field(default_factory=set)
    parts: int = 0
    held: list[Quarantined] = field(default_factory=list)
    asks: bool = False

    @property
    def words(self) -> list[str]:
        """One line for each thing that is not as it should be."""
        if self.absent:
            return [self.absent]
        lines = [
            f"{user}: its file {name[:12]} is missing or damaged"
            for name, users in self.missing.items()
            for user in users
        ]
        if self.found:
            lines.append(f"Frames, references and clips whose lost file is there again: {self.found}")
        if self.unused:
            more = "; that is too many to put away unasked, see --quarantine-unused" if self.asks else ""
            lines.append(f"Files in the store that nothing uses: {len(self.unused)}{more}")
        if self.parts:
            lines.append(f"Files that were never finished: {self.parts}")
        return lines


def are_many(unused: int, present: int) -> bool:
    """Whether so many unused files, of those present, are more than may be put away without asking."""
    return unused > _MANY or unused > max(_FEW, _SHARE * present)


def check(studio: Studio, deep: bool = False) -> Findings:
    """Compare the store with the database; `deep` reads every file to see whether it is what was kept."""
    absent = absence(studio)
    if absent:
        return Findings(absent)
    present = studio.blobs.names()
    with studio.database.session() as session:
        used = blobs_in_use(session)
    gone = used - present
    if deep:
        gone |= {name for name in used & present if not studio.blobs.is_whole(name)}
    with studio.database.session() as session:
        missing = {
            name: [owner_of(row).title(row) + _where(session, row) for row in _users(session, name)]
            for name in sorted(gone)
        }
        found = sum(row.original in present for row in _lost(session))
    unused = present - used
    parts, held = len(studio.blobs.parts(_OLD_PART)), Quarantine(studio.blobs).held()
    return Findings("", missing, found, unused, parts, held, are_many(len(unused), len(present)))


def _where(session: Session, row: Any) -> str:
    series = session.get(models.SeriesRow, row.series_id) if hasattr(row, "series_id") else None
    return f" of {series.title}" if series else ""


def mend(studio: Studio, findings: Findings, quarantine_unused: bool = False) -> None:
    """Make anew what can be made from originals, find again what was lost, put what nothing uses into quarantine.

    Many unused files are only put there when that is asked for: something else may be wrong.
    Raises StoreAbsentError while the store is not there.
    """
    for name in findings.missing:
        set_aside(studio, name)
    find_again(studio)
    if not findings.asks or quarantine_unused:
        sweep(studio, findings.unused)
        _remember(studio, None)
    studio.blobs.remove_parts(_OLD_PART)


def set_aside(studio: Studio, name: str) -> int:
    """Deal with a missing or damaged blob, so that only what uses it is harmed; how many rows that concerned.

    One that lies in quarantine is brought back. What was made from an original is made anew; what has lost its
    original is refused and says so. Raises StoreAbsentError: then nothing is missing.
    """
    if not studio.blobs.is_whole(name):
        studio.blobs.remove(name)
        Quarantine(studio.blobs).bring_back(name)
    back = studio.blobs.is_whole(name)
    with studio.database.session() as session:
        users = _users(session, name)
        return len(users) if back else sum(_deprive(session, studio, row, name) for row in users)


def _deprive(session: Session, studio: Studio, row: Any, name: str) -> bool:
    owner = owner_of(row)
    if owner.remade is None:
        if owner.without is not None:
            owner.without(row)
        return owner.without is not None
    if row.state != "ready":
        return False
    if row.original == name or not studio.blobs.exists(row.original):
        row.state, row.problem, row.lost = "refused", _LOST, True
    else:
        queue_anew(session, studio, row, _REMADE)
    return True


def queue_anew(session: Session, studio: Studio, row: Any, problem: str = "") -> None:
    """Let all that is made from a row's original be made anew."""
    remade = owner_of(row).remade
    assert remade is not None
    row.state, row.problem, row.lost = "waiting", problem, False
    session.flush()
    handed: dict[str, Any] = {remade.argument: str(row.id)}
    studio.queue.defer(session, remade.task, **handed)


def _originals() -> list[Owner]:
    return [owner for owner in OWNERS if owner.remade is not None]


def _lost(session: Session) -> list[Any]:
    return [row for owner in _originals() for row in session.scalars(select(owner.row).where(owner.row.lost))]


def find_again(studio: Studio) -> int:
    """Let rows whose lost file is there again be measured anew; how many they were. Idempotent."""
    with studio.database.session() as session:
        rows = [row for row in _lost(session) if studio.blobs.exists(row.original)]
        for row in rows:
            session.refresh(row, with_for_update=True)
            if row.lost:
                queue_anew(session, studio, row)
    return len(rows)


def _users(session: Session, name: str) -> list[Any]:
    """Rows that use a blob."""
    return [
        row
        for owner in OWNERS
        for row in session.scalars(select(owner.row).where(or_(*(column == name for column in owner.columns))))
    ]


def tidy(studio: Studio) -> None:
    """Find lost files again, put the few that nothing uses into quarantine and ask about many, let old ones go.

    Raises StoreAbsentError.
    """
    find_again(studio)
    studio.blobs.remove_parts(_OLD_PART)
    Quarantine(studio.blobs).let_go(KEPT_DAYS)
    unused, present = _unused(studio)
    if not are_many(len(unused), len(present)):
        sweep(studio, unused)
        return
    with studio.database.session() as session:
        row = session.get(models.InstallationRow, 1)
        if row is not None and (row.unused or {}).get("left", -1) != len(unused):
            row.unused = {"count": len(unused), "of": len(present)}


def _unused(studio: Studio) -> tuple[set[str], set[str]]:
    """Files that nothing uses, and all that are there; what came into use since they were listed is among neither."""
    present = studio.blobs.names()
    with studio.database.session() as session:
        return present - blobs_in_use(session), present


def question_of_unused(session: Session) -> tuple[int, int] | None:
    """How many files of how many nothing uses, where somebody has to say what becomes of them; else none."""
    row = session.get(models.InstallationRow, 1)
    asked = row.unused if row is not None else None
    return (asked["count"], asked["of"]) if asked and "count" in asked else None


def take_unused(studio: Studio) -> int:
    """Put all files that nothing uses into quarantine; how many they were."""
    unused, _ = _unused(studio)
    count = sweep(studio, unused)
    _remember(studio, None)
    return count


def leave_unused(studio: Studio) -> None:
    """Leave the files that nothing uses where they are, and ask no more while they are as many."""
    with studio.database.session() as session:
        asked = question_of_unused(session)
    _remember(studio, {"left": asked[0]} if asked else None)


def in_quarantine(studio: Studio) -> tuple[int, int]:
    """How many files lie in quarantine, and their bytes; none while the store is not there."""
    try:
        held = Quarantine(studio.blobs).held()
    except (StoreAbsentError, OSError):
        return 0, 0
    return len(held), sum(one.bytes for one in held)


def empty_quarantine(studio: Studio) -> int:
    """Remove for good what lies in quarantine, since a person asked for room; how many. Raises StoreAbsentError."""
    return Quarantine(studio.blobs).let_go(0)


def _remember(studio: Studio, unused: models.Json | None) -> None:
    with studio.database.session() as session:
        session.execute(update(models.InstallationRow).values(unused=unused))


@dataclass(frozen=True)
class CheckRequest:
    """What a check is asked for beside looking: read every file, mend, put away all that is unused, bring back.

    back : names of files in quarantine or their beginnings, or "all"
    """

    deep: bool = False
    mend: bool = False
    quarantine_unused: bool = False
    back: tuple[str, ...] = ()


def check_installation(studio: Studio, asked: CheckRequest) -> Findings:
    """Check an installation, and do what is asked. Raises ForeignStoreError, StoreAbsentError."""
    recognise(studio)
    quarantine = Quarantine(studio.blobs)
    if asked.back:
        for one in quarantine.held():
            if "all" in asked.back or one.name.startswith(asked.back):
                quarantine.put_back(one)
    findings = check(studio, asked.deep)
    if asked.mend and not findings.absent:
        mend(studio, findings, asked.quarantine_unused)
        findings.held = quarantine.held()
    return findings
