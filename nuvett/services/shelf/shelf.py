"""The shelf: where every series stands, from counts and numbers that are kept, without planning anything."""

import uuid
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from pydantic import TypeAdapter
from sqlalchemy import Select, Text, cast, func, literal, select, update
from sqlalchemy.dialects.postgresql import aggregate_order_by, distinct_on
from sqlalchemy.orm import Session

from nuvett.core.evenly import evenly
from nuvett.core.reading.palette import Palette
from nuvett.services.engine.wall import Show, build_wall
from nuvett.services.looks.carrying import versions_followed
from nuvett.services.platform.studio import Studio
from nuvett.services.series.catalogue import list_series
from nuvett.services.series.frame_facts import series_facts
from nuvett.store import models

_MEASURED = 120  # frames of a long series that its drift is told by while the others are not measured
_PALETTE: TypeAdapter[Palette] = TypeAdapter(Palette)


@dataclass(frozen=True)
class SeriesDrift:
    """Mean drift of frames as they came and now. whole : whether all of a series are among them."""

    came: float
    now: float
    whole: bool


@dataclass(frozen=True)
class ShelfSeries:
    """One series on the shelf.

    key : names all that its strip shows
    drift : mean drift as it came and as it is now, as measured last under that key; none when that is to be done
    """

    slug: str
    title: str
    credit: str
    put_away: bool
    frames: int
    waiting: int
    following: int
    key: str
    drift: SeriesDrift | None
    target: Palette
    delivered: datetime | None


def standings(session: Session) -> list[ShelfSeries]:
    """All series, newest first."""
    counts: dict[uuid.UUID, Any] = {row.series_id: row for row in session.execute(_counts())}
    palettes: dict[uuid.UUID, Any] = {row[0]: row[1] for row in session.execute(_newest_palettes())}
    last = (
        select(models.DeliveryRow.series_id, func.max(models.DeliveryRow.finished))
        .where(models.DeliveryRow.state == "done")
        .group_by(models.DeliveryRow.series_id)
    )
    delivered: dict[uuid.UUID, datetime | None] = {row[0]: row[1] for row in session.execute(last)}
    return [
        _standing(series, counts.get(series.id), palettes.get(series.id), delivered.get(series.id))
        for series in list_series(session)
    ]


def _standing(series: models.SeriesRow, counted: Any, palette: Any, delivered: datetime | None) -> ShelfSeries:
    key = (counted.key if counted else None) or ""
    return ShelfSeries(
        slug=series.slug,
        title=series.title,
        credit=series.credit,
        put_away=series.put_away,
        frames=counted.ready if counted else 0,
        waiting=counted.waiting if counted else 0,
        following=counted.following if counted else 0,
        key=key,
        drift=_kept_drift(series) if series.drift_key == key else None,
        target=_PALETTE.validate_python(palette) if palette else (),
        delivered=delivered,
    )


def _kept_drift(series: models.SeriesRow) -> SeriesDrift | None:
    if series.drift_before is None or series.drift_now is None:
        return None
    return SeriesDrift(series.drift_before, series.drift_now, whole=True)


def _counts() -> Select[Any]:
    frame = models.FrameRow
    columns = (frame.view, frame.sample, frame.follows_id, frame.setup_id, frame.even, frame.trim)
    facts = func.concat_ws("|", *(cast(column, Text) for column in columns))
    in_order = func.string_agg(facts, aggregate_order_by(literal(","), frame.position))
    return select(
        frame.series_id,
        func.count().filter(frame.state == "ready").label("ready"),
        func.count().filter(frame.state == "waiting").label("waiting"),
        func.count(frame.follows_id).filter(frame.state == "ready").label("following"),
        func.md5(in_order.filter(frame.state == "ready")).label("key"),
    ).group_by(frame.series_id)


def _newest_palettes() -> Select[Any]:
    target = models.TargetRow
    return (
        select(target.series_id, target.document["palette"])
        .ext(distinct_on(target.series_id))
        .order_by(target.series_id, target.number.desc())
    )


def measure_series(studio: Studio, series_id: uuid.UUID) -> SeriesDrift | None:
    """Mean drift of the frames that follow a look, of a long series of some that lie evenly. None when none follow.

    What is told by all of them is kept for the shelf.
    """
    with studio.database.reading() as session:
        series = session.get_one(models.SeriesRow, series_id)
        counted = session.execute(_counts().where(models.FrameRow.series_id == series_id)).first()
        key = counted.key if counted else ""
        facts, followed = series_facts(session, series), versions_followed(session, series)
    aims = [followed[frame.id].aimed if frame.id in followed else None for frame in facts]
    wall = build_wall(studio.bench, facts, aims, Show.LOOK, evenly(range(len(facts)), _MEASURED))
    if wall.drift is None:
        return None
    found = SeriesDrift(*wall.drift, whole=not wall.missing)
    if found.whole:
        with studio.database.session() as session:
            row = update(models.SeriesRow).where(models.SeriesRow.id == series_id)
            session.execute(row.values(drift_key=key or "", drift_before=found.came, drift_now=found.now))
    return found
