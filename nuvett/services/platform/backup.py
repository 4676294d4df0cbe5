"""Backups: the database as it was at one moment, and the files that it used then, in a folder of its own.

Files lie there by their content, so that the next backup copies only what is new. It is made while the application
runs: what goes out of use meanwhile lies in quarantine for longer than a backup takes.
"""

import json
import shutil
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from pydantic import BaseModel
from sqlalchemy import func, inspect, select, text
from sqlalchemy.orm import Session

from nuvett.core.errors import BackupError, MissingBlobError, StoreAbsentError
from nuvett.services.platform.blobs import blobs_in_use
from nuvett.services.platform.folders import overlap
from nuvett.services.platform.installation import recognise
from nuvett.services.platform.opening import open_installation
from nuvett.services.platform.studio import Studio
from nuvett.store import dumps, models
from nuvett.store.blobs import digest_of
from nuvett.store.quarantine import Quarantine

_DUMP, _LIST = "database.dump", "backup.json"
_FULL = "This installation holds series already. Restore into an empty one. Nothing was changed."


class Listed(BaseModel):
    """What a backup holds: identity of the installation, its schema, and names of files; those that were missing."""

    identity: str
    schema_revision: str
    created: datetime
    files: list[str]
    missing: list[str] = []


@dataclass(frozen=True)
class BackupReport:
    """A backup that was made or checked: its folder, how many files it holds, how many were new, which are missing."""

    folder: Path
    files: int
    copied: int
    missing: tuple[str, ...]


def _place(folder: Path, name: str) -> Path:
    return folder / "blobs" / name[:2] / name


def _is_whole(path: Path, name: str) -> bool:
    try:
        with path.open("rb") as stream:
            return digest_of(stream) == name
    except OSError:
        return False


def back_up(studio: Studio, folder: Path, deep: bool = False) -> BackupReport:
    """Back up into a folder; `deep` reads again what an earlier backup copied there.

    Raises BackupError, StoreAbsentError, ForeignStoreError.
    """
    if not recognise(studio):
        raise StoreAbsentError
    if "://" not in studio.blobs.address and overlap(folder, Path(studio.blobs.address)):
        raise BackupError("A backup cannot lie in the storage that it is made of. Choose another folder.")
    moment = datetime.now(UTC)
    own = folder / "backups" / f"{moment:%Y-%m-%dT%H-%M-%S-%f}"
    own.mkdir(parents=True, exist_ok=False)
    try:
        with studio.database.session() as session:
            session.connection(execution_options={"isolation_level": "REPEATABLE READ"})
            snapshot = session.scalar(select(func.pg_export_snapshot()))
            listed = _listed(session, moment)
            dumps.dump(studio.settings.database, str(snapshot), own / _DUMP)
        copied, missing = _copy_all(studio, folder, listed.files, deep)
        listed.missing = missing
        (own / _LIST).write_text(listed.model_dump_json(indent=1) + "\n")
    except BaseException:
        shutil.rmtree(own, ignore_errors=True)  # half a backup is none; files that were copied serve the next one
        raise
    return BackupReport(own, len(listed.files), copied, tuple(missing))


def _listed(session: Session, moment: datetime) -> Listed:
    revision = session.scalar(text("SELECT version_num FROM alembic_version"))
    identity = session.get_one(models.InstallationRow, 1).identity
    files = sorted(blobs_in_use(session))
    return Listed(identity=identity, schema_revision=str(revision), created=moment, files=files)


def _copy_all(studio: Studio, folder: Path, names: Iterable[str], deep: bool) -> tuple[int, list[str]]:
    copied, missing = 0, []
    for name in names:
        place = _place(folder, name)
        if place.exists() and (not deep or _is_whole(place, name)):
            continue
        try:
            _copy(studio, name, place)
            copied += 1
        except MissingBlobError:
            missing.append(name)
    return copied, missing


def _copy(studio: Studio, name: str, place: Path) -> None:
    """Copy a blob and read the copy again. Raises MissingBlobError for one that is missing or damaged."""
    if not studio.blobs.exists(name):
        Quarantine(studio.blobs).bring_back(name)
    place.parent.mkdir(parents=True, exist_ok=True)
    partial = place.with_name(f".{name}.part")
    try:
        with studio.blobs.local(name) as path:
            shutil.copyfile(path, partial)
        if not _is_whole(partial, name):
            raise MissingBlobError(name)
        partial.replace(place)
    finally:
        partial.unlink(missing_ok=True)


def backups_in(folder: Path) -> list[Path]:
    """Whole backups in a folder, the oldest first."""
    return sorted(path.parent for path in (folder / "backups").glob(f"*/{_LIST}"))


def verify(folder: Path, own: Path) -> list[str]:
    """Names of files of a backup that are not in it as they were."""
    listed = Listed.model_validate(json.loads((own / _LIST).read_text()))
    return [name for name in listed.files if name not in listed.missing and not _is_whole(_place(folder, name), name)]


def restore(studio: Studio, folder: Path, which: str | None = None) -> BackupReport:
    """Fill an empty installation from a backup, the newest by default, and bring it up to date with this version.

    Raises BackupError where there is no such backup, where it is damaged, or where the installation is not empty;
    nothing was changed then. The database comes last, so that a restore that was interrupted can be run again.
    """
    found = [path for path in backups_in(folder) if which in (None, path.name)]
    if not found:
        raise BackupError(f"There is no backup {which or ''} in {folder}.".replace("  ", " "))
    own = found[-1]
    listed = Listed.model_validate(json.loads((own / _LIST).read_text()))
    _refuse_used(studio, listed)
    damaged = verify(folder, own)
    if damaged:
        raise BackupError(f"{len(damaged)} files of this backup are damaged or missing, the first {damaged[0][:12]}.")
    for name in listed.files:
        if name not in listed.missing and not studio.blobs.exists(name):
            studio.blobs.put_file(_place(folder, name))
    dumps.load(studio.settings.database, own / _DUMP)
    studio.blobs.mark(listed.identity)
    open_installation(studio)
    return BackupReport(own, len(listed.files), len(listed.files) - len(listed.missing), tuple(listed.missing))


def _refuse_used(studio: Studio, listed: Listed) -> None:
    """Refuse a database with series, and a store that holds others' pictures; its own store may be there still."""
    studio.blobs.expect(None)
    engine = studio.database.engine
    if inspect(engine).has_table(models.SeriesRow.__tablename__):
        with engine.connect() as connection:
            if connection.scalar(text("SELECT count(*) FROM series")):
                raise BackupError(_FULL)
    if studio.blobs.identity() != listed.identity and studio.blobs.names() - set(listed.files):
        raise BackupError("The storage holds other pictures already. Restore into an empty one. Nothing was changed.")
