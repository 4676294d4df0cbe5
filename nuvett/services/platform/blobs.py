"""Who owns blobs, and the one way to keep some and to let some go.

A blob is kept under a lock that is shared, and goes into quarantine under the same lock held alone, so that none that
was just put is taken for unused before the row that owns it is there.
"""

import uuid
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any

from sqlalchemy import ARRAY, Select, String, any_, bindparam, select, union
from sqlalchemy.orm import InstrumentedAttribute, Session

from nuvett.core.errors import MissingBlobError
from nuvett.services.platform.locks import Lock, hold
from nuvett.services.platform.queue import INGEST_CLIP, INGEST_FRAME, INGEST_REFERENCE
from nuvett.services.platform.studio import Studio
from nuvett.store import models
from nuvett.store.blobs import BlobStore
from nuvett.store.quarantine import Quarantine

_AT_ONCE = 200  # blobs that are swept under one hold of the lock, since nothing can be kept meanwhile
Column = InstrumentedAttribute[str] | InstrumentedAttribute[str | None]


@dataclass(frozen=True)
class Remade:
    """How a row's other blobs are made anew from its original: the task, and what that is handed."""

    task: str
    argument: str


@dataclass(frozen=True)
class Owner:
    """A kind of row that owns blobs.

    columns : that hold names of blobs; title : what a row is, in words
    remade : how what was made of its original is made anew; for rows that have an original
    without : what becomes of a row whose blob is gone for good; for rows that can do without
    of_series : its blobs by the series that it belongs to; none for what is of no series
    """

    row: type[Any]
    columns: tuple[Any, ...]
    title: Callable[[Any], str]
    remade: Remade | None = None
    without: Callable[[Any], None] | None = None
    of_series: Callable[[Select[Any], uuid.UUID], Select[Any]] | None = None


def _by_series(row: Any) -> Callable[[Select[Any], uuid.UUID], Select[Any]]:
    return lambda query, series: query.where(row.series_id == series)


def _by_delivery(query: Select[Any], series: uuid.UUID) -> Select[Any]:
    return query.join(models.DeliveryRow).where(models.DeliveryRow.series_id == series)


def _file_is_gone(file: models.DeliveryFileRow) -> None:
    file.state, file.problem, file.blob = "failed", MissingBlobError().message, None


def _table_is_gone(table: models.LookupTableRow) -> None:
    table.state, table.problem = "refused", MissingBlobError().message


def _picture_is_gone(look: models.KeptLookRow) -> None:
    look.thumbnail = None


_FRAME, _REFERENCE, _CLIP, _PAIR = models.FrameRow, models.ReferenceRow, models.ClipRow, models.PairRow
OWNERS = (
    Owner(
        _FRAME,
        (
            *(_FRAME.original, _FRAME.companion, _FRAME.developed, _FRAME.view),
            *(_FRAME.sample, _FRAME.points, _FRAME.subject, _FRAME.described),
        ),
        lambda row: f"Frame {row.name}",
        Remade(INGEST_FRAME, "frame_id"),
        of_series=_by_series(_FRAME),
    ),
    Owner(
        _REFERENCE,
        (_REFERENCE.original, _REFERENCE.view, _REFERENCE.proxy),
        lambda row: f"Reference {row.name}",
        Remade(INGEST_REFERENCE, "reference_id"),
        of_series=_by_series(_REFERENCE),
    ),
    Owner(
        _CLIP,
        (_CLIP.original, _CLIP.index, _CLIP.thumbnails),
        lambda row: f"Clip {row.name}",
        Remade(INGEST_CLIP, "clip_id"),
        of_series=_by_series(_CLIP),
    ),
    Owner(
        models.DeliveryFileRow,
        (models.DeliveryFileRow.blob,),
        lambda row: f"Finished file {row.name}",
        without=_file_is_gone,
        of_series=_by_delivery,
    ),
    Owner(
        models.KeptLookRow,
        (models.KeptLookRow.thumbnail,),
        lambda row: f"Picture of the kept look {row.name}",
        without=_picture_is_gone,
    ),
    Owner(
        models.LookupTableRow,
        (models.LookupTableRow.file,),
        lambda row: f"Lookup table {row.name}",
        without=_table_is_gone,
    ),
    Owner(_PAIR, (_PAIR.before, _PAIR.after, _PAIR.veil), lambda row: f"Pair {row.name}"),
    Owner(
        models.FinishedRow,
        (models.FinishedRow.view, models.FinishedRow.sample),
        lambda row: f"Finished picture {row.name}",
    ),
)
_COLUMNS = tuple(column for owner in OWNERS for column in owner.columns)


def owner_of(row: object) -> Owner:
    """What is known of a row that owns blobs."""
    return next(owner for owner in OWNERS if isinstance(row, owner.row))


def blobs_of(row: object) -> set[str]:
    """Names of all blobs of a row."""
    return {name for column in owner_of(row).columns if (name := getattr(row, column.key))}


def blobs_of_series(session: Session, series_id: uuid.UUID) -> set[str]:
    """Names of all blobs of a series and of what hangs on it."""
    found: set[str | None] = set()
    for owner in OWNERS:
        if owner.of_series is not None:
            for column in owner.columns:
                found.update(session.scalars(owner.of_series(select(column), series_id)))
    return {name for name in found if name}


def blobs_in_use(session: Session) -> set[str]:
    """Names of all blobs that some row uses."""
    return {name for name in session.scalars(union(*(select(column) for column in _COLUMNS))) if name}


class Keeping:
    """Puts blobs within a transaction; nothing is swept until that ends, so that a row can come to own them."""

    def __init__(self, session: Session, blobs: BlobStore) -> None:
        hold(session, Lock.BLOBS, shared=True)
        self._blobs = blobs

    def put(self, stream: IO[bytes]) -> tuple[str, int]:
        """Keep a stream; its name and size. Raises DiskFullError, StoreAbsentError."""
        return self._blobs.put(stream)

    def put_file(self, path: Path) -> tuple[str, int]:
        """Keep a file's content; its name and size. Raises DiskFullError, StoreAbsentError."""
        return self._blobs.put_file(path)


def keeping(session: Session, studio: Studio) -> Keeping:
    """Means to keep blobs in a transaction, for rows that are added to it."""
    return Keeping(session, studio.blobs)


def sweep(studio: Studio, names: Iterable[str]) -> int:
    """Put those blobs of `names` that no row uses any more into quarantine; how many they were.

    In transactions of its own, after what used them was committed as gone. Raises StoreAbsentError.
    """
    asked, taken = sorted(set(names)), 0
    for start in range(0, len(asked), _AT_ONCE):
        some = set(asked[start : start + _AT_ONCE])
        with studio.database.session() as session:
            hold(session, Lock.BLOBS)
            array = any_(bindparam("names", sorted(some), ARRAY(String)))
            used = set(session.scalars(union(*(select(column).where(column == array) for column in _COLUMNS))))
            taken += Quarantine(studio.blobs).take(some - used)
    return taken
