"""What stands out in frames: found in the background once an area asks for it, and kept."""

import uuid

import numpy as np
from sqlalchemy import update
from sqlalchemy.orm import Session

from nuvett.core.look.local import Locals
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.imaging.subject import find_subject
from nuvett.services.engine.arrays import dump_array
from nuvett.services.platform.blobs import keeping
from nuvett.services.platform.queue import FIND_SUBJECTS
from nuvett.services.platform.studio import Studio
from nuvett.services.platform.workers import give_way
from nuvett.services.series.catalogue import look_of, shown_frames
from nuvett.services.series.frame_facts import trim_of
from nuvett.store import models


def asks_for_subject(areas: Locals) -> bool:
    """Whether any of a document's areas looks for what stands out."""
    return any("subject" in own.area.looks_at for own in areas)


def queue_subjects(session: Session, studio: Studio, series: models.SeriesRow, document: Look | Trim) -> None:
    """Queue finding what stands out, where a document that was kept asks for it."""
    if asks_for_subject(document.areas):
        name = f"subjects-{series.id}"
        studio.queue.defer(session, FIND_SUBJECTS, once=name, series_id=str(series.id))


def find_subjects(studio: Studio, series_id: uuid.UUID) -> None:
    """Find what stands out in the frames of a series that are asked for it, one by one. Idempotent."""
    with studio.database.session() as session:
        series = session.get(models.SeriesRow, series_id)
        if series is None:
            return
        everywhere = asks_for_subject(Look.model_validate(look_of(session, series).draft).areas)
        due = {
            row.original: row.view
            for row in shown_frames(session, series_id)
            if not row.subject and row.view and (everywhere or asks_for_subject(trim_of(row).areas))
        }
    for original, view in due.items():
        give_way(studio, FIND_SUBJECTS)
        found = find_subject(studio.bench.sources.view(view))
        with studio.database.session() as session:
            keep = keeping(session, studio)
            blob, _ = keep.put(dump_array(np.rint(found * 255).astype(np.uint8)))
            rows = update(models.FrameRow).where(
                models.FrameRow.series_id == series_id, models.FrameRow.original == original
            )
            session.execute(rows.values(subject=blob))


def give_up(studio: Studio, series_id: uuid.UUID) -> None:
    """Nothing is lost: what stands out is then found where it is drawn."""
