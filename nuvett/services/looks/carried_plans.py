"""What versions did to frames when they were carried, kept so that a carried frame stays as it is until it is carried
again: whatever other frames join, however its light is evened anew, and whatever a newer computation would make of it.
"""

import uuid

from sqlalchemy import ColumnElement, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from nuvett.core.computation import COMPUTATION
from nuvett.services.looks.carrying import versions_followed
from nuvett.services.platform.queue import KEEP_CARRIED
from nuvett.services.platform.studio import Studio
from nuvett.services.platform.workers import give_way
from nuvett.services.series.frame_facts import series_facts
from nuvett.services.series.variants import SHOWN
from nuvett.store import models

_KEEP = insert(models.table_of(models.CarriedPlanRow)).on_conflict_do_nothing()  # once for all: compiled once
_AT_ONCE = 50  # plans that are written in one transaction


def queue_keep_carried(session: Session, studio: Studio, series_id: uuid.UUID) -> None:
    """Queue keeping what the versions that frames follow do to them."""
    studio.queue.defer(session, KEEP_CARRIED, once=f"carried-{series_id}", series_id=str(series_id))


def queue_if_due(session: Session, studio: Studio, series_id: uuid.UUID) -> None:
    """Queue it for a series where it is due."""
    if session.scalar(select(models.FrameRow.id).where(models.FrameRow.series_id == series_id, *_due()).limit(1)):
        queue_keep_carried(session, studio, series_id)


def queue_all_due(session: Session, studio: Studio) -> None:
    """Queue it for every series where it is due, for whatever reason."""
    for series_id in session.scalars(select(models.FrameRow.series_id).where(*_due()).distinct()):
        queue_keep_carried(session, studio, series_id)


def _due() -> tuple[ColumnElement[bool], ...]:
    frame, plan = models.FrameRow, models.CarriedPlanRow
    kept = select(plan.frame_id).where(plan.frame_id == frame.id, plan.version_id == frame.follows_id).exists()
    even = select(models.SeriesRow.id).where(
        models.SeriesRow.id == frame.series_id, models.SeriesRow.light_due.is_(False)
    )
    return frame.follows_id.is_not(None), frame.state.in_(SHOWN), ~kept, even.exists()


def keep_carried(studio: Studio, series_id: uuid.UUID) -> None:
    """Keep what the versions that frames follow do to them, where that is not kept yet. Idempotent.

    Nothing is kept while light is still to be evened. No transaction is open while plans are made.
    """
    with studio.database.session() as session:
        series = session.get(models.SeriesRow, series_id)
        if series is None or series.light_due:
            return
        due = set(session.scalars(select(models.FrameRow.id).where(models.FrameRow.series_id == series_id, *_due())))
        facts, followed = series_facts(session, series), versions_followed(session, series)
    places = [place for place, frame in enumerate(facts) if frame.id in due and frame.id in followed]
    for start in range(0, len(places), _AT_ONCE):
        give_way(studio, KEEP_CARRIED)
        some = places[start : start + _AT_ONCE]
        plans = [studio.bench.planner.look_plan(facts, place, followed[facts[place].id].aimed) for place in some]
        studio.bench.plans.keep(*plans)
        rows = [
            {"frame_id": frame.id, "version_id": followed[frame.id].aimed.version, "key": plan.key}
            | {"basis": frame.basis, "computation": COMPUTATION}
            for frame, plan in zip((facts[place] for place in some), plans, strict=True)
        ]
        _write(studio, rows)


def _write(studio: Studio, rows: list[dict[str, object]]) -> None:
    with studio.database.session() as session:
        ids = [row["frame_id"] for row in rows]
        there = set(
            session.scalars(
                select(models.FrameRow.id).where(models.among(models.FrameRow.id, ids)).with_for_update(read=True)
            )
        )
        kept = [row for row in rows if row["frame_id"] in there]  # a frame may have been deleted meanwhile
        if kept:
            session.execute(_KEEP, kept)
