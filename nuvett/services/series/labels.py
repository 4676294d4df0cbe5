"""What frames of a series are called and how they are marked, beside their pixels."""

import uuid
from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from nuvett.services.series.variants import SHOWN
from nuvett.store import models
from nuvett.store.remembered import remembered


@dataclass(frozen=True)
class FrameLabels:
    """What is known of a frame beside its pixels. follows : the version of the look that it follows, if any."""

    name: str
    hero: bool
    favourite: bool = False
    left_out: bool = False
    follows: uuid.UUID | None = None


class LabelsByFrame(dict[uuid.UUID, FrameLabels]):
    """What is known of frames by their ids.

    A frame that arrived after they were read, while a page was made, has no name on it yet.
    """

    def __missing__(self, _: uuid.UUID) -> FrameLabels:
        return FrameLabels("", hero=False)


def labels_of(session: Session, series: models.SeriesRow) -> LabelsByFrame:
    """What is known of the measured frames of a series and their variants."""
    row = models.FrameRow
    query = select(row.id, row.name, row.favourite, row.left_out, row.follows_id)

    def read() -> LabelsByFrame:
        rows = session.execute(query.where(row.series_id == series.id, row.state.in_(SHOWN)))
        found = {
            own: FrameLabels(name, own == series.hero_id, fav, out, follows) for own, name, fav, out, follows in rows
        }
        return LabelsByFrame(found)

    return remembered(session, series.id, "labels", read)
