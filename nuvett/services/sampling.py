"""Sampling references and weighing their readings into the target of a series."""

import uuid
from contextlib import suppress

import cv2
import numpy as np
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from nuvett.core.errors import ConflictError, InvalidChangeError, TargetError
from nuvett.core.reading.reading import Reading, Sampling, Target, Weighed, blend, read, sampling_weights
from nuvett.services.studio import Studio
from nuvett.services.workbench import load_array
from nuvett.store import models


def ready_references(session: Session, series_id: uuid.UUID) -> list[models.Reference]:
    """References of a series that have been read, in order."""
    return list(
        session.scalars(
            select(models.Reference)
            .where(models.Reference.series_id == series_id, models.Reference.state == "ready")
            .order_by(models.Reference.position)
        )
    )


def measure_sampling(studio: Studio, proxy: str, sampling: Sampling) -> Reading:
    """Reading of a reference's kept proxy. Raises TooFewPixelsError when too little is sampled."""
    return read(load_array(studio.blobs.read(proxy)), sampling)


def dimmed_picture(studio: Studio, proxy: str, sampling: Sampling) -> bytes:
    """PNG veil (mid grey, see-through where pixels are sampled) to lay over a reference."""
    weights = sampling_weights(load_array(studio.blobs.read(proxy)), sampling)
    veil = np.full((*weights.shape, 4), 119, dtype=np.uint8)
    veil[..., 3] = np.rint((1 - weights) * 205)
    encoded = cv2.imencode(".png", veil)[1]
    return encoded.tobytes()


def set_reading(reference: models.Reference, reading: Reading) -> None:
    """Keep a new reading of a reference."""
    reference.sampling = reading.sampling.model_dump(mode="json")
    reference.reading = reading.model_dump(mode="json")


def set_weights(reference: models.Reference, tone: float, colour: float) -> None:
    """Weigh a reference for tone and for colour, in percent. Raises InvalidChangeError outside 0 to 100."""
    if not (0 <= tone <= 100 and 0 <= colour <= 100):
        raise InvalidChangeError("A weight is a number from 0 to 100.")
    reference.tone_weight, reference.colour_weight = tone, colour


def blended(session: Session, series_id: uuid.UUID) -> list[Weighed]:
    """Readings of a series with their weights."""
    return [
        Weighed(reading=Reading.model_validate(row.reading), tone=row.tone_weight, colour=row.colour_weight)
        for row in ready_references(session, series_id)
    ]


def latest_target(session: Session, series_id: uuid.UUID) -> models.Target | None:
    """The newest version of a series' target, none before anything was read."""
    return session.scalars(
        select(models.Target).where(models.Target.series_id == series_id).order_by(models.Target.number.desc()).limit(1)
    ).first()


def renew_target(session: Session, series_id: uuid.UUID) -> models.Target | None:
    """Blend the readings anew. A new version is kept unless nothing changed; one never carried is replaced.

    Raises TargetError when references exist but all weights are 0.
    """
    weighed = blended(session, series_id)
    newest = latest_target(session, series_id)
    if not weighed:
        return newest
    document = blend(weighed).model_dump(mode="json")
    if newest is None or newest.document != document:
        number = newest.number + 1 if newest else 1
        if newest is not None and not _is_used(session, newest):
            newest.document, newest.id = document, uuid.uuid4()
            session.flush()
            return newest
        newest = models.Target(series_id=series_id, number=number, document=document)
        session.add(newest)
        session.flush()
    return newest


def renew_target_if_weighed(session: Session, series_id: uuid.UUID) -> models.Target | None:
    """Blend anew; while all weights are 0 the target stays as it was."""
    with suppress(TargetError):
        return renew_target(session, series_id)
    return latest_target(session, series_id)


def renew_target_of_reference(session: Session, reference_id: uuid.UUID) -> None:
    """Blend anew after a reference has been read. Without any weight the target stays as it was."""
    reference = session.get(models.Reference, reference_id)
    if reference is None or reference.state != "ready":
        return
    session.get(models.Series, reference.series_id, with_for_update=True)
    renew_target_if_weighed(session, reference.series_id)


def _is_used(session: Session, target: models.Target) -> bool:
    used = session.scalar(select(func.count()).where(models.LookVersion.target_id == target.id))
    return bool(used)


def target_document(row: models.Target) -> Target:
    """The target that a row holds. Raises TargetError when it is of another schema."""
    try:
        return Target.model_validate(row.document)
    except ValueError as error:
        raise TargetError("The target was kept by another version of this application.") from error


def lock_series(session: Session, series: models.Series) -> None:
    """Let one change of a series' readings happen at a time. Raises ConflictError when the series is gone."""
    if session.get(models.Series, series.id, with_for_update=True) is None:
        raise ConflictError("The series was deleted in another window.")
