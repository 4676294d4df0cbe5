"""First small pictures of frames that wait to be measured, so that a series is seen while it is brought in."""

import uuid
from collections.abc import Sequence
from contextlib import suppress
from io import BytesIO

from sqlalchemy import select
from sqlalchemy.orm import Session

from nuvett.core.errors import DiskFullError
from nuvett.imaging.glimpse import glimpse
from nuvett.services.platform.blobs import keeping
from nuvett.services.platform.queue import GLIMPSE
from nuvett.services.platform.studio import Studio
from nuvett.store import models

_EDGE = 240
_AT_ONCE = 12  # that are kept together: what a screen shows changes as often


def queue_glimpses(session: Session, studio: Studio, series_id: uuid.UUID) -> None:
    """Let frames of a series that wait be seen before they are measured."""
    studio.queue.defer(session, GLIMPSE, once=f"glimpse-{series_id}", series_id=str(series_id))


def glimpse_waiting(studio: Studio, series_id: uuid.UUID) -> None:
    """Keep a small picture of every frame that waits and has none; one that cannot be had quickly is left out."""
    tried: set[uuid.UUID] = set()
    with suppress(DiskFullError):  # measuring waits for room and says so; nothing waits for these
        while due := _due(studio, series_id, tried):
            studio.pause()
            _keep(studio, [(frame, _seen(studio, original)) for frame, original in due])
            tried |= {frame for frame, _ in due}


def _due(studio: Studio, series_id: uuid.UUID, tried: set[uuid.UUID]) -> list[tuple[uuid.UUID, str]]:
    row = models.Frame
    query = select(row.id, row.original).where(
        row.series_id == series_id, row.state == "waiting", row.glimpse.is_(None), row.id.not_in(tried)
    )
    with studio.database.session() as session:
        return [(frame, original) for frame, original in session.execute(query.order_by(row.position).limit(_AT_ONCE))]


def _seen(studio: Studio, original: str) -> bytes | None:
    with studio.blobs.local(original) as path:
        return glimpse(path, studio.limits, _EDGE)


def _keep(studio: Studio, made: Sequence[tuple[uuid.UUID, bytes | None]]) -> None:
    with studio.database.session() as session:
        keep = keeping(session, studio)
        for frame_id, small in made:
            frame = session.get(models.Frame, frame_id, with_for_update=True) if small else None
            if small and frame is not None and frame.state == "waiting":
                frame.glimpse = keep.put(BytesIO(small))[0]


def leave(studio: Studio, series_id: uuid.UUID) -> None:
    """Nothing is lost: frames are seen once they have been measured."""
