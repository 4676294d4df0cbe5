"""Watched folders: files that arrive in a folder of this machine become frames while shooting goes on.

A file is taken once it has kept its size for a while, so that one that is still being written is left alone. What has
been taken is remembered by path, size and time, so that nothing is taken twice, also after a restart.
"""

import logging
import os
import time
import uuid
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path

from sqlalchemy import Select, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from nuvett.core.errors import DiskFullError, DuplicateFileError, InvalidChangeError, NuvettError, StoreAbsentError
from nuvett.imaging.decode import DECODERS
from nuvett.services.platform.folders import check_folder, folder_at, overlap
from nuvett.services.platform.studio import Studio
from nuvett.services.series.catalogue import last_version, look_of
from nuvett.services.series.gathering import add_file
from nuvett.store import models

log = logging.getLogger("nuvett.watching")
SETTLED = 1.5
"""Seconds for which a file keeps its size before it is taken."""

_SUFFIXES = frozenset(suffix for decoder in DECODERS for suffix in decoder.suffixes)
_MAX_FILES = 20_000
_UNSEEN = 60.0  # seconds after which a folder that was not looked into is said to be left alone
_FAULT = "Nuvett could not take this file (internal error). It is tried again when the file changes."
_ALL_FAULT = "Nuvett could not look into this folder (internal error). It goes on trying; nothing was lost."
_DEAD = "The folder has not been looked into since {}. Background processing is not running; it restarts by itself."
_GONE = "The folder {} is not there, or cannot be read. It is looked for again; nothing was lost."
Stamp = dict[str, float]
Seen = dict[Path, tuple[Stamp, float]]
"""Files that wait to be taken, with their stamp and since when they have had it."""


def watch(
    session: Session, studio: Studio, series: models.SeriesRow, folder: str, carries: bool
) -> models.WatchedFolderRow:
    """Watch a folder for a series, instead of any other. Raises InvalidChangeError for one that cannot be watched."""
    name = folder.strip().strip("/")
    check_folder(studio, name)
    _refuse_overlap(session, studio, series, name)
    row = session.get(models.WatchedFolderRow, series.id)
    if row is not None and row.folder != name:
        session.delete(row)
        session.flush()
        row = None
    if row is None:
        row = models.WatchedFolderRow(series_id=series.id, folder=name)
        session.add(row)
    row.carries, row.problem = carries, ""
    session.flush()
    return row


def _refuse_overlap(session: Session, studio: Studio, series: models.SeriesRow, name: str) -> None:
    folder = folder_at(studio, name)
    others = select(models.WatchedFolderRow.folder).where(models.WatchedFolderRow.series_id != series.id)
    for other in session.scalars(others):
        if overlap(folder, folder_at(studio, other)):
            raise InvalidChangeError(f"The folder {name} overlaps with {other}, which is watched for another series.")
    handed = models.DeliveryRow.settings["folder"].astext
    for other in session.scalars(select(handed).where(handed != "").distinct()):
        if overlap(folder, folder_at(studio, other)):
            raise InvalidChangeError(
                f"The folder {name} overlaps with {other}, which finished files were handed over into: they would "
                "become frames. Watch another folder, or remove those deliveries on Hand over first."
            )


def watch_no_longer(session: Session, series: models.SeriesRow) -> None:
    """Stop watching for a series; what was taken stays."""
    row = session.get(models.WatchedFolderRow, series.id)
    if row is not None:
        session.delete(row)
        session.flush()


def watched(session: Session, series: models.SeriesRow) -> models.WatchedFolderRow | None:
    """The folder that is watched for a series."""
    return session.get(models.WatchedFolderRow, series.id)


def refused_there(session: Session, series: models.SeriesRow) -> list[tuple[str, str]]:
    """Files of a watched folder that were not taken, with the reason."""
    query = select(models.WatchedFileRow.path, models.WatchedFileRow.problem).where(
        models.WatchedFileRow.series_id == series.id, models.WatchedFileRow.problem != ""
    )
    return [(path, problem) for path, problem in session.execute(query.order_by(models.WatchedFileRow.path))]


def _watched() -> Select[models.WatchedFolderRow]:
    """What is watched: no folder of a series in the bin."""
    return select(models.WatchedFolderRow).join(models.SeriesRow).where(models.SeriesRow.deleted.is_(None))


def watched_paths(studio: Studio) -> list[Path]:
    """All folders that are watched and are there."""
    with studio.database.session() as session:
        names = [row.folder for row in session.scalars(_watched())]
    return [path for path in (folder_at(studio, name) for name in names) if path.is_dir()]


def look_into_all(studio: Studio, waiting: dict[uuid.UUID, Seen], settled: float = SETTLED) -> bool:
    """Take what has arrived and settled in all watched folders; whether any file still waits to settle.

    waiting : what was seen before, by series; kept up to date
    """
    with studio.database.session() as session:
        rows = list(session.scalars(_watched()))
    for gone in set(waiting) - {row.series_id for row in rows}:
        del waiting[gone]
    for row in rows:
        seen = waiting.setdefault(row.series_id, {})
        problem = ""
        try:
            _look_into(studio, row, seen, settled)
        except (DiskFullError, StoreAbsentError) as error:
            problem = error.message
        except OSError:
            problem = _GONE.format(row.folder)
            seen.clear()
        except Exception:  # the folders of other series are watched all the same
            log.exception("The folder %s could not be looked into", row.folder)
            problem = _ALL_FAULT
        with studio.database.session() as session:
            again = session.get(models.WatchedFolderRow, row.series_id)
            if again is not None:
                again.problem, again.seen = problem, datetime.now(UTC)
    return any(waiting.values())


def path_in(folder: Path, path: Path) -> str:
    """A file's path below a folder as text, whatever bytes its name has."""
    return os.fsencode(path.relative_to(folder)).decode("utf-8", "backslashreplace")


def problem_of(row: models.WatchedFolderRow) -> str:
    """What keeps a watched folder from being taken from, in words; nothing when all is well."""
    if row.problem or row.seen is None:
        return row.problem
    silent = (datetime.now(UTC) - row.seen).total_seconds() > _UNSEEN
    return _DEAD.format(f"{row.seen:%H:%M}") if silent else ""


def _files(folder: Path) -> Iterator[Path]:
    """Picture files of a folder and of those in it, by their names; hidden and half-written ones are left out."""
    found = 0
    for path in sorted(folder.rglob("*")):
        inside = path.relative_to(folder)
        shown = path.suffix.lower() in _SUFFIXES and not any(part.startswith(".") for part in inside.parts)
        if shown and path.is_file() and not path.is_symlink():
            found += 1
            if found > _MAX_FILES:
                return
            yield path


def _look_into(studio: Studio, row: models.WatchedFolderRow, seen: Seen, settled: float) -> None:
    folder = folder_at(studio, row.folder)
    if not folder.is_dir():
        raise FileNotFoundError(folder)
    with studio.database.session() as session:
        known = dict(
            session.execute(
                select(models.WatchedFileRow.path, models.WatchedFileRow.stamp).where(
                    models.WatchedFileRow.series_id == row.series_id
                )
            ).all()
        )
    now, present = time.monotonic(), set()
    for path in _files(folder):
        try:
            stat = path.stat()
        except OSError:
            continue  # it was taken away meanwhile
        stamp: Stamp = {"size": float(stat.st_size), "changed": stat.st_mtime}
        if known.get(path_in(folder, path)) == stamp:
            continue
        present.add(path)
        before = seen.get(path)
        if before is None or before[0] != stamp:
            seen[path] = (stamp, now)
        elif now - before[1] >= settled and stat.st_size > 0:
            _take(studio, row.series_id, folder, path, stamp)
            present.discard(path)
    for gone in set(seen) - present:
        del seen[gone]


def _take(studio: Studio, series_id: uuid.UUID, folder: Path, path: Path, stamp: Stamp) -> None:
    problem, taken = "", 0
    with studio.database.session() as session:
        series, row = session.get(models.SeriesRow, series_id), session.get(models.WatchedFolderRow, series_id)
        if series is None or row is None:
            return
        try:
            with session.begin_nested():
                frame = add_file(session, studio, series, path)
                taken = 1
                if row.carries:
                    newest = last_version(session, look_of(session, series))
                    frame.follows_id = newest.id if newest else None
        except (DiskFullError, StoreAbsentError):
            raise
        except DuplicateFileError:
            pass  # it is there already, and needs no word
        except NuvettError as error:
            problem = error.message
        except Exception:
            log.exception("The file %r of a watched folder could not be taken", path)
            problem = _FAULT
        row.taken += taken
        values = {"stamp": stamp, "problem": problem}
        kept = insert(models.WatchedFileRow).values(series_id=series_id, path=path_in(folder, path), **values)
        session.execute(kept.on_conflict_do_update(index_elements=["series_id", "path"], set_=values))
