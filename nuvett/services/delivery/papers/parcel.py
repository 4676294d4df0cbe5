"""What the papers of a delivery tell of: its pictures, their frames, the versions they follow, what was measured."""

import uuid
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, TypeVar

from sqlalchemy import select

from nuvett.core.plan.documents import read_plan, with_tables
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.summary import Summary
from nuvett.services.delivery.delivery_settings import PICTURE, DeliverySettings, settings_of
from nuvett.services.engine.facts import Facts, FrameFacts
from nuvett.services.looks.carrying import Following, followings
from nuvett.services.platform.studio import Studio
from nuvett.services.series.frame_facts import series_facts
from nuvett.services.threads.threads import Thread, threads_of
from nuvett.store import models

_T = TypeVar("_T")


@dataclass(frozen=True)
class MadePicture:
    """A picture of a delivery as its rows say it, with its frame."""

    row: models.DeliveryFileRow
    frame: models.FrameRow | None


@dataclass(frozen=True)
class Parcel:
    """All that papers tell of. `pictures` are the rows of pictures, `seen` the facts of their frames by id.

    What several papers need is made once, by `once`.
    """

    studio: Studio
    series: models.SeriesRow
    delivery: models.DeliveryRow
    settings: DeliverySettings
    pictures: list[MadePicture]
    papers: list[models.DeliveryFileRow]
    seen: dict[uuid.UUID, FrameFacts]
    facts: Facts
    versions: dict[uuid.UUID, Following]
    threads: list[Thread]
    _kept: dict[str, Any] = field(default_factory=dict)

    def once(self, name: str, make: Callable[[], _T]) -> _T:
        """Something by its name, made when it is first asked for."""
        if name not in self._kept:
            self._kept[name] = make()
        found: _T = self._kept[name]
        return found

    @property
    def firsts(self) -> list[MadePicture]:
        """One picture of each frame: those of the first kind of file."""
        return [made for made in self.pictures if made.row.output == 0 and made.row.plan and made.frame]

    @property
    def followed(self) -> list[Following]:
        """Versions of the look that its pictures follow, the oldest first."""
        return sorted(self.versions.values(), key=lambda one: one.number)

    def place(self, paper: models.DeliveryFileRow) -> int:
        """Which of the papers of its kind one is, from 0."""
        return [row.id for row in self.papers if row.kind == paper.kind].index(paper.id)

    def plan(self, row: models.DeliveryFileRow) -> FramePlan:
        """What was done to a picture."""
        return with_tables(read_plan(row.plan), self.studio.bench.tables.find)

    def frame(self, row: models.DeliveryFileRow) -> FrameFacts | None:
        """Facts of a picture's frame, none once it is gone."""
        return self.seen.get(row.frame_id) if row.frame_id else None

    def version(self, row: models.DeliveryFileRow) -> Following | None:
        """The version of the look that a picture follows."""
        return self.versions.get(row.version_id) if row.version_id else None

    def summary(self, row: models.DeliveryFileRow, frame: FrameFacts, plan: FramePlan | None) -> Summary:
        """What was measured of a frame under a plan, against what its picture follows."""
        followed = self.version(row)
        return self.studio.bench.measures.summary(frame, plan, followed.aimed if followed else None)


def gathered(studio: Studio, delivery_id: uuid.UUID) -> Parcel:
    """A delivery as its papers see it. No session is open afterwards."""
    with studio.database.session() as session:
        delivery = session.get_one(models.DeliveryRow, delivery_id)
        series = session.get_one(models.SeriesRow, delivery.series_id)
        rows = list(delivery.files)
        of_series = select(models.FrameRow).where(models.FrameRow.series_id == series.id)
        frames = {frame.id: frame for frame in session.scalars(of_series)}
        pictures = [
            MadePicture(row, frames.get(row.frame_id) if row.frame_id else None) for row in rows if _is_picture(row)
        ]
        facts = series_facts(session, series)
        used = {made.row.version_id for made in pictures if made.row.version_id}
        return Parcel(
            studio,
            series,
            delivery,
            settings_of(delivery),
            pictures,
            [row for row in rows if not _is_picture(row)],
            {frame.id: frame for frame in facts},
            facts,
            followings(session, used),
            threads_of(session, series.id),
        )


def _is_picture(row: models.DeliveryFileRow) -> bool:
    return row.kind == PICTURE
