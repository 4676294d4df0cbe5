"""The stage bar: where a series stands."""

from dataclasses import dataclass

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from nuvett.services.series.catalogue import look_of
from nuvett.store import models


@dataclass(frozen=True)
class Stage:
    """One stage: its screen, title, a count in words, and whether something has been done there."""

    screen: str
    title: str
    count: str
    done: bool


def stages_of(session: Session, series: models.Series) -> list[Stage]:
    """All stages of a series, in the order people do them."""
    frames, followed, trimmed = session.execute(
        select(
            func.count().filter(models.Frame.state == "ready"),
            func.count(models.Frame.follows_id),
            func.count(models.Frame.trim),
        ).where(
            models.Frame.series_id == series.id,
            models.Frame.state != "removed",
            models.Frame.variant_of_id.is_(None),
        )
    ).one()
    read = session.scalar(
        select(func.count()).where(
            models.Reference.series_id == series.id,
            models.Reference.state == "ready",
            models.Reference.removed.is_(False),
        )
    )
    made = session.scalar(select(func.count()).where(models.Delivery.series_id == series.id))
    look = look_of(session, series)
    return [
        Stage("gather", "Gather", str(frames or ""), bool(frames)),
        Stage("read", "Read", str(read or ""), bool(read)),
        Stage("shape", "Shape", "", look.revision > 1 or bool(followed)),
        Stage("carry", "Carry", str(followed or ""), bool(followed)),
        Stage("trim", "Trim", str(trimmed or ""), bool(trimmed)),
        Stage("handover", "Hand over", str(made or ""), bool(made)),
    ]
