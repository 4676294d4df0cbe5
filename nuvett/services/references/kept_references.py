"""References of a series: their samplings and readings."""

import uuid
from typing import Any

from pydantic import ValidationError
from sqlalchemy import func, select
from sqlalchemy.orm import Session, defer

from nuvett.core.errors import InvalidChangeError
from nuvett.core.reading.reading import Reading, read
from nuvett.core.reading.regions import Sampling
from nuvett.services.platform.incoming import refuse
from nuvett.services.platform.studio import Studio
from nuvett.store import models

Named = dict[str, Any]
"""A named part as histories keep it: key, name and sampling."""

State = dict[str, dict[str, Any]]
"""What can be changed of references, by their id: sampling, weights, and whether they were taken out.

Beside it the frame that one shows as it was finished.
"""


def ready_references(session: Session, series_id: uuid.UUID, readings: bool = True) -> list[models.ReferenceRow]:
    """References of a series that have been read, in order.

    readings : whether they are looked into; merely listed, the large readings are left in the database
    """
    ready = select(models.ReferenceRow).where(
        models.ReferenceRow.series_id == series_id,
        models.ReferenceRow.state == "ready",
        models.ReferenceRow.removed.is_(False),
    )
    if not readings:
        ready = ready.options(defer(models.ReferenceRow.reading, raiseload=True))
    return list(session.scalars(ready.order_by(models.ReferenceRow.position)))


def series_of(session: Session, reference_id: uuid.UUID) -> uuid.UUID | None:
    """The series of a reference; none for a reference that is gone."""
    return session.scalar(select(models.ReferenceRow.series_id).where(models.ReferenceRow.id == reference_id))


def give_up(studio: Studio, reference_id: uuid.UUID) -> None:
    """Refuse a reference that could not be read for no foreseen reason."""
    refuse(studio, models.ReferenceRow, reference_id)


def parse_sampling(data: object) -> Sampling:
    """A sampling from a request. Raises InvalidChangeError with what is wrong, in words."""
    try:
        return Sampling.model_validate(data)
    except ValidationError as error:
        first = error.errors()[0]
        words = first["msg"].removeprefix("Value error, ")
        raise InvalidChangeError(f"{words[0].upper()}{words[1:]}; nothing was changed.") from error


def sampling_of(reference: models.ReferenceRow) -> Sampling:
    """The sampling that a reference is kept with."""
    return Sampling.model_validate(reference.sampling)


def kept_reading(session: Session, reference_id: uuid.UUID) -> Reading:
    """Reading of a reference that has been read."""
    return Reading.model_validate(
        session.scalars(select(models.ReferenceRow.reading).where(models.ReferenceRow.id == reference_id)).one()
    )


def reading_of(reference: models.ReferenceRow) -> Reading:
    """The reading that a reference is kept with."""
    return Reading.model_validate(reference.reading)


def measure_sampling(studio: Studio, proxy: str, sampling: Sampling) -> Reading:
    """Reading of a reference's kept proxy. Raises TooFewPixelsError when too little is sampled."""
    return read(studio.bench.sources.array(proxy), sampling)


def set_reading(reference: models.ReferenceRow, reading: Reading) -> None:
    """Keep a new reading of a reference."""
    reference.sampling = reading.sampling.model_dump(mode="json")
    reference.reading = reading.model_dump(mode="json")


def waiting_references(session: Session, series: models.SeriesRow) -> int:
    """How many references of a series wait to be read."""
    waits = models.ReferenceRow.state == "waiting", models.ReferenceRow.removed.is_(False)
    query = select(func.count()).where(models.ReferenceRow.series_id == series.id, *waits)
    return session.scalar(query) or 0


def references_of(session: Session, series_id: uuid.UUID) -> list[models.ReferenceRow]:
    return list(session.scalars(select(models.ReferenceRow).where(models.ReferenceRow.series_id == series_id)))


def _named(part: dict[str, Any]) -> Named:
    return {name: part[name] for name in ("key", "name", "sampling")}


def state_of(session: Session, series_id: uuid.UUID) -> State:
    return {
        str(row.id): {
            "sampling": row.sampling,
            "tone": row.tone_weight,
            "colour": row.colour_weight,
            "removed": row.removed,
        }
        | ({"frame": str(row.frame_id)} if row.finished and row.frame_id else {})
        | ({"parts": [_named(part) for part in row.parts]} if row.parts else {})
        for row in references_of(session, series_id)
    }
