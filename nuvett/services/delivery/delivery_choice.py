"""Which frames a delivery is made of, and how their files are called."""

import uuid
from collections.abc import Iterable
from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from nuvett.core.drift.drift import outliers
from nuvett.core.errors import InvalidChangeError
from nuvett.services.delivery.delivery_settings import DeliverySettings
from nuvett.services.delivery.file_names import FileNames, Labelled, file_names
from nuvett.services.looks.carrying import versions_followed
from nuvett.services.platform.studio import Studio
from nuvett.services.series.catalogue import shown_frames
from nuvett.services.series.frame_facts import series_facts, trim_of
from nuvett.store import models


@dataclass(frozen=True)
class DeliveryFrame:
    """A frame that is handed over, the look version that it follows if any, and what its files can be called by."""

    frame: uuid.UUID
    version: uuid.UUID | None
    label: Labelled


def chosen_frames(
    session: Session,
    series: models.SeriesRow,
    settings: DeliverySettings,
    only: Iterable[uuid.UUID] | None = None,
    outlying: frozenset[uuid.UUID] = frozenset(),
) -> list[DeliveryFrame]:
    """Frames that follow a look or have a trim, and that settings choose, in shooting order with their variants.

    Those that are left out are not among them unless they were chosen by hand.

    only : those chosen by hand; outlying : those that stand out, which are left out where the settings say so
    """
    numbers = dict(
        session.execute(
            select(models.LookVersionRow.id, models.LookVersionRow.number)
            .join(models.FrameRow, models.FrameRow.follows_id == models.LookVersionRow.id)
            .where(models.FrameRow.series_id == series.id)
            .distinct()
        ).all()
    )
    picked = set(only) if only is not None else None
    rows = shown_frames(session, series.id)
    names = {row.id: row.name for row in rows}
    found = []
    for row in rows:
        wanted = (picked is None or row.id in picked) and (settings.what != "favourites" or row.favourite)
        out = not settings.outliers and (row.variant_of_id or row.id) in outlying
        aside = (row.left_out and picked is None) or (row.variant_of_id and not settings.variants)
        finished = row.follows_id or is_trimmed_alone(row)
        if not finished or not wanted or out or aside:
            continue
        first = names.get(row.variant_of_id, row.name) if row.variant_of_id else row.name
        name = row.name if "{variant}" not in settings.pattern else first
        label = Labelled(name, numbers[row.follows_id] if row.follows_id else 0, row.variant, row.taken)
        found.append(DeliveryFrame(row.id, row.follows_id, label))
    return found


def is_trimmed_alone(row: models.FrameRow) -> bool:
    """Whether a frame follows no look and has a trim that changes it."""
    return row.follows_id is None and trim_of(row).acts


def trimmed_alone(session: Session, series: models.SeriesRow) -> int:
    """How many frames follow no look and have a trim that changes them; variants are not counted."""
    return sum(is_trimmed_alone(row) for row in shown_frames(session, series.id) if row.variant_of_id is None)


def names_of(series: models.SeriesRow, settings: DeliverySettings, chosen: list[DeliveryFrame]) -> FileNames:
    """Names of all pictures, frame by frame, one for each kind of file. Raises InvalidChangeError for the pattern."""
    return file_names(settings.patterns, series.title, [choice.label for choice in chosen])


def outlying_frames(studio: Studio, series_id: uuid.UUID) -> frozenset[uuid.UUID]:
    """Frames that stand out under the versions that they follow, as the wall marks them. Measures; holds no session."""
    with studio.database.session() as session:
        series = session.get_one(models.SeriesRow, series_id)
        facts = series_facts(session, series)
        followed = versions_followed(session, series)
    bench, drifts = studio.bench, {}
    for index, frame in enumerate(facts):
        if frame.id == frame.first and frame.id in followed:
            aimed = followed[frame.id].aimed
            drift = bench.measures.summary(frame, bench.planner.plan(facts, index, aimed), aimed).drift
            drifts[frame.id] = drift.value if drift else 0.0
    flags = outliers(list(drifts.values()))
    return frozenset(frame for frame, flag in zip(drifts, flags, strict=True) if flag)


def check_chosen(chosen: list[DeliveryFrame], settings: DeliverySettings) -> None:
    """Raises InvalidChangeError when there is nothing to make."""
    if not chosen and settings.what == "favourites":
        raise InvalidChangeError("No favourite is finished: mark some on Carry, or hand over all frames.")
    if not chosen:
        raise InvalidChangeError("No frame follows a look or has a trim yet: carry the look first.")
