"""Series: starting, finding, listing and deleting them."""

import re
import unicodedata
import uuid

from sqlalchemy import ARRAY, String, any_, bindparam, func, select, union
from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError, NotFoundError
from nuvett.core.look.look import Look
from nuvett.services.variants import VARIANT, with_variants
from nuvett.store import models
from nuvett.store.blobs import BlobStore

_LONGEST_TITLE = 120
BLOB_LOCK = 7201  # advisory lock: keeping a blob takes it shared, sweeping takes it alone
FRAME_BLOBS = (
    models.Frame.original,
    models.Frame.companion,
    models.Frame.developed,
    models.Frame.view,
    models.Frame.sample,
    models.Frame.points,
    models.Frame.subject,
)
BLOB_COLUMNS = (
    *FRAME_BLOBS,
    models.Reference.original,
    models.Reference.view,
    models.Reference.proxy,
    models.Clip.original,
    models.Clip.index,
    models.Clip.thumbnails,
    models.DeliveryFile.blob,
    models.KeptLook.thumbnail,
    models.LookupTable.file,
    models.Pair.before,
    models.Pair.after,
    models.Pair.veil,
    models.Finished.view,
    models.Finished.sample,
)


def slug_of(title: str) -> str:
    """A title as it stands in an address: plain letters, digits and hyphens."""
    plain = unicodedata.normalize("NFKD", title).encode("ascii", "ignore").decode().lower()
    return re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:60] or "series"


def start_series(session: Session, title: str, credit: str = "") -> models.Series:
    """Start an empty series with a look to be made. Raises InvalidChangeError without a usable title."""
    title = " ".join(title.split())
    if not title or len(title) > _LONGEST_TITLE:
        raise InvalidChangeError(f"A series needs a title of 1 to {_LONGEST_TITLE} characters.")
    base = slug_of(title)
    taken = set(session.scalars(select(models.Series.slug).where(models.Series.slug.startswith(base))))
    slug = next(s for s in (base, *(f"{base}-{n}" for n in range(2, len(taken) + 3))) if s not in taken)
    series = models.Series(slug=slug, title=title, credit=" ".join(credit.split())[:_LONGEST_TITLE])
    session.add(series)
    session.flush()
    session.add(models.Look(series_id=series.id, name=title, draft=Look().model_dump(mode="json")))
    session.flush()
    return series


def find_series(session: Session, slug: str) -> models.Series:
    """The series at an address. Raises NotFoundError."""
    series = session.scalars(select(models.Series).where(models.Series.slug == slug)).first()
    if series is None:
        raise NotFoundError
    return series


def list_series(session: Session) -> list[models.Series]:
    """All series, newest first."""
    return list(session.scalars(select(models.Series).order_by(models.Series.created.desc())))


def find_frame(session: Session, series: models.Series, frame_id: uuid.UUID) -> models.Frame:
    """A frame of a series. Raises NotFoundError."""
    frame = session.get(models.Frame, frame_id)
    if frame is None or frame.series_id != series.id:
        raise NotFoundError
    return frame


def ready_frames(session: Session, series_id: uuid.UUID) -> list[models.Frame]:
    """Frames of a series that have been measured, in shooting order."""
    return list(
        session.scalars(
            select(models.Frame)
            .where(models.Frame.series_id == series_id, models.Frame.state == "ready")
            .order_by(models.Frame.position)
        )
    )


def shown_frames(session: Session, series_id: uuid.UUID) -> list[models.Frame]:
    """Frames of a series that have been measured, in shooting order, each followed by its variants."""
    query = select(models.Frame).where(models.Frame.series_id == series_id, models.Frame.state.in_(("ready", VARIANT)))
    return with_variants(session.scalars(query.order_by(models.Frame.position, models.Frame.created)))


def count_ready(session: Session, series_id: uuid.UUID) -> int:
    """How many frames of a series have been measured."""
    query = select(func.count()).where(models.Frame.series_id == series_id, models.Frame.state == "ready")
    return session.scalar(query) or 0


def lock_series(session: Session, series_id: uuid.UUID) -> bool:
    """Let one change of a series happen at a time; before any row of it is locked. Whether the series is there."""
    return session.get(models.Series, series_id, with_for_update=True) is not None


def find_reference(session: Session, series: models.Series, reference_id: uuid.UUID) -> models.Reference:
    """A reference of a series. Raises NotFoundError."""
    reference = session.get(models.Reference, reference_id)
    if reference is None or reference.series_id != series.id or reference.removed:
        raise NotFoundError
    return reference


def look_of(session: Session, series: models.Series) -> models.Look:
    """The look of a series. Raises NotFoundError."""
    look = session.scalars(select(models.Look).where(models.Look.series_id == series.id)).first()
    if look is None:
        raise NotFoundError
    return look


def delete_series(session: Session, series: models.Series) -> set[str]:
    """Delete a series and all that hangs on it; names of blobs that may now be unused, for `sweep`."""
    blobs = _blobs_of(session, series.id)
    series.hero_id = None
    session.flush()
    session.delete(series)
    session.flush()
    return blobs


def _blobs_of(session: Session, series_id: uuid.UUID) -> set[str]:
    found: set[str | None] = set()
    for column in BLOB_COLUMNS:
        query = select(column)
        if column.class_ is models.DeliveryFile:
            query = query.join(models.Delivery).where(models.Delivery.series_id == series_id)
        elif hasattr(column.class_, "series_id"):
            query = query.where(column.class_.series_id == series_id)
        else:
            continue  # of the lookbook
        found.update(session.scalars(query))
    return {name for name in found if name}


def blobs_of(frame: models.Frame) -> set[str]:
    """Names of all blobs of a frame."""
    return {name for column in FRAME_BLOBS if (name := getattr(frame, column.key))}


def keep_blobs(session: Session) -> None:
    """Hold off sweeping until this transaction ends, so that a blob put in it is not taken for unused."""
    session.execute(select(func.pg_advisory_xact_lock_shared(BLOB_LOCK)))


def sweep(session: Session, blobs: BlobStore, names: set[str]) -> None:
    """Remove those blobs of `names` that no row uses any more; in a transaction of its own, after the deletion."""
    if not names:
        return
    session.execute(select(func.pg_advisory_xact_lock(BLOB_LOCK)))
    # One array and not a parameter for each name: a statement holds 65,535 of those, fewer than a large series has.
    asked = any_(bindparam("names", sorted(names), ARRAY(String)))
    used = session.scalars(union(*(select(column).where(column == asked) for column in BLOB_COLUMNS)))
    for name in names - set(used):
        blobs.remove(name)


def blobs_in_use(session: Session) -> set[str]:
    """Names of all blobs that some row uses."""
    return {name for name in session.scalars(union(*(select(column) for column in BLOB_COLUMNS))) if name}
