"""Series: starting, finding, listing and deleting them."""

import re
import unicodedata
import uuid

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError, NotFoundError
from nuvett.core.look.look import Look
from nuvett.services.series.variants import SHOWN, with_variants
from nuvett.store import models

_LONGEST_TITLE = 120


def slug_of(title: str) -> str:
    """A title as it stands in an address: plain letters, digits and hyphens."""
    plain = unicodedata.normalize("NFKD", title).encode("ascii", "ignore").decode().lower()
    return re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:60] or "series"


def usable_title(title: str) -> str:
    """A title as it is kept. Raises InvalidChangeError for one that is empty or too long."""
    plain = " ".join(title.split())
    if not plain or len(plain) > _LONGEST_TITLE:
        raise InvalidChangeError(f"A series needs a title of 1 to {_LONGEST_TITLE} characters.")
    return plain


def free_slug(session: Session, title: str) -> str:
    """An address for a title that no series has, also none in the bin."""
    base = slug_of(title)
    taken = set(session.scalars(select(models.SeriesRow.slug).where(models.SeriesRow.slug.startswith(base))))
    return next(s for s in (base, *(f"{base}-{n}" for n in range(2, len(taken) + 3))) if s not in taken)


def start_series(session: Session, title: str, credit: str = "") -> models.SeriesRow:
    """Start an empty series with a look to be made. Raises InvalidChangeError without a usable title."""
    title = usable_title(title)
    series = models.SeriesRow(
        slug=free_slug(session, title), title=title, credit=" ".join(credit.split())[:_LONGEST_TITLE]
    )
    session.add(series)
    session.flush()
    session.add(models.LookRow(series_id=series.id, name=title, draft=Look().model_dump(mode="json")))
    session.flush()
    return series


def find_series(session: Session, slug: str, in_bin: bool = False) -> models.SeriesRow:
    """The series at an address, out of the bin or in it. Raises NotFoundError, also for one that is in the other."""
    deleted = models.SeriesRow.deleted
    where = deleted.is_not(None) if in_bin else deleted.is_(None)
    series = session.scalars(select(models.SeriesRow).where(models.SeriesRow.slug == slug, where)).first()
    if series is None:
        raise NotFoundError
    return series


def list_series(session: Session) -> list[models.SeriesRow]:
    """All series but those in the bin, newest first."""
    query = select(models.SeriesRow).where(models.SeriesRow.deleted.is_(None))
    return list(session.scalars(query.order_by(models.SeriesRow.created.desc())))


def other_series(session: Session, series: models.SeriesRow) -> list[tuple[str, str]]:
    """All series but one and those in the bin, by their slugs and titles, newest first."""
    return [(other.slug, other.title) for other in list_series(session) if other.id != series.id]


def find_frame(session: Session, series: models.SeriesRow, frame_id: uuid.UUID) -> models.FrameRow:
    """A frame of a series. Raises NotFoundError."""
    frame = session.get(models.FrameRow, frame_id)
    if frame is None or frame.series_id != series.id:
        raise NotFoundError
    return frame


def frame_at(session: Session, slug: str, frame_id: uuid.UUID) -> models.FrameRow:
    """A frame of the series at an address, by one question. Raises NotFoundError, also for a series in the bin."""
    row = models.FrameRow
    query = select(row).join(models.SeriesRow, models.SeriesRow.id == row.series_id)
    where = models.SeriesRow.slug == slug, models.SeriesRow.deleted.is_(None), row.id == frame_id
    frame = session.scalars(query.where(*where)).first()
    if frame is None:
        raise NotFoundError
    return frame


def ready_frames(session: Session, series_id: uuid.UUID) -> list[models.FrameRow]:
    """Frames of a series that have been measured, in shooting order."""
    return list(
        session.scalars(
            select(models.FrameRow)
            .where(models.FrameRow.series_id == series_id, models.FrameRow.state == "ready")
            .order_by(models.FrameRow.position)
        )
    )


def shown_frames(session: Session, series_id: uuid.UUID) -> list[models.FrameRow]:
    """Frames of a series that have been measured, in shooting order, each followed by its variants."""
    query = select(models.FrameRow).where(models.FrameRow.series_id == series_id, models.FrameRow.state.in_(SHOWN))
    return with_variants(session.scalars(query.order_by(models.FrameRow.position, models.FrameRow.created)))


def count_ready(session: Session, series_id: uuid.UUID) -> int:
    """How many frames of a series have been measured."""
    query = select(func.count()).where(models.FrameRow.series_id == series_id, models.FrameRow.state == "ready")
    return session.scalar(query) or 0


def lock_series(session: Session, series_id: uuid.UUID) -> bool:
    """Let one change of a series happen at a time; before any row of it is locked. Whether the series is there."""
    return session.get(models.SeriesRow, series_id, with_for_update=True) is not None


def find_reference(session: Session, series: models.SeriesRow, reference_id: uuid.UUID) -> models.ReferenceRow:
    """A reference of a series. Raises NotFoundError."""
    reference = session.get(models.ReferenceRow, reference_id)
    if reference is None or reference.series_id != series.id or reference.removed:
        raise NotFoundError
    return reference


def look_of(session: Session, series: models.SeriesRow) -> models.LookRow:
    """The look of a series. Raises NotFoundError."""
    look = session.scalars(select(models.LookRow).where(models.LookRow.series_id == series.id)).first()
    if look is None:
        raise NotFoundError
    return look


def last_version(session: Session, look: models.LookRow) -> models.LookVersionRow | None:
    """The newest version that a look was carried as; none before it was."""
    return session.scalars(
        select(models.LookVersionRow)
        .where(models.LookVersionRow.look_id == look.id)
        .order_by(models.LookVersionRow.number.desc())
        .limit(1)
    ).first()
