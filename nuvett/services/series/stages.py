"""The stage bar: where a series stands."""

from dataclasses import dataclass

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from nuvett.services.series.catalogue import look_of
from nuvett.store import models


@dataclass(frozen=True)
class SeriesStage:
    """One stage: its screen, title, a count in words, and whether something has been done there."""

    screen: str
    title: str
    count: str
    done: bool


def stages_of(session: Session, series: models.SeriesRow) -> list[SeriesStage]:
    """All stages of a series, in the order people do them."""
    frames, followed, trimmed = session.execute(
        select(
            func.count().filter(models.FrameRow.state == "ready"),
            func.count(models.FrameRow.follows_id),
            func.count(models.FrameRow.trim),
        ).where(
            models.FrameRow.series_id == series.id,
            models.FrameRow.state != "removed",
            models.FrameRow.variant_of_id.is_(None),
        )
    ).one()
    read = session.scalar(
        select(func.count()).where(
            models.ReferenceRow.series_id == series.id,
            models.ReferenceRow.state == "ready",
            models.ReferenceRow.removed.is_(False),
        )
    )
    made = session.scalar(select(func.count()).where(models.DeliveryRow.series_id == series.id))
    look = look_of(session, series)
    return [
        SeriesStage("gather", "Gather", str(frames or ""), bool(frames)),
        SeriesStage("read", "Read", str(read or ""), bool(read)),
        SeriesStage("shape", "Shape", "", look.revision > 1 or bool(followed)),
        SeriesStage("carry", "Carry", str(followed or ""), bool(followed)),
        SeriesStage("trim", "Trim", str(trimmed or ""), bool(trimmed)),
        SeriesStage("handover", "Hand over", str(made or ""), bool(made)),
    ]
