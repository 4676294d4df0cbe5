"""Settings of deliveries that are kept by name, and what is filled into the files of a series."""

import uuid
from typing import Any

from pydantic import ValidationError
from sqlalchemy import select
from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError, NotFoundError
from nuvett.imaging.facts import Credits
from nuvett.services.delivery.delivery_settings import DeliverySettings
from nuvett.store import models

_LONGEST_NAME, _LONGEST_WORDS, _MAX = 60, 2000, 200


def kept_settings(session: Session) -> list[models.KeptSettingsRow]:
    """All settings that are kept, by name."""
    return list(session.scalars(select(models.KeptSettingsRow).order_by(models.KeptSettingsRow.name)))


def keep_settings(session: Session, name: str, settings: DeliverySettings) -> models.KeptSettingsRow:
    """Keep settings by a name; those of that name are replaced. Raises InvalidChangeError without a name."""
    plain = " ".join(name.split())
    if not plain or len(plain) > _LONGEST_NAME:
        raise InvalidChangeError(f"Settings are kept by a name of 1 to {_LONGEST_NAME} characters.")
    row = session.scalars(select(models.KeptSettingsRow).where(models.KeptSettingsRow.name == plain)).first()
    if row is None:
        if len(kept_settings(session)) >= _MAX:
            raise InvalidChangeError(f"At most {_MAX} settings are kept; forget some first.")
        row = models.KeptSettingsRow(name=plain, document={})
        session.add(row)
    row.document = settings.model_dump(mode="json")
    session.flush()
    return row


def settings_by(session: Session, kept_id: uuid.UUID) -> DeliverySettings:
    """Settings that are kept. Raises NotFoundError."""
    row = session.get(models.KeptSettingsRow, kept_id)
    if row is None:
        raise NotFoundError
    return DeliverySettings.model_validate(row.document)


def forget_settings(session: Session, kept_id: uuid.UUID) -> None:
    """Forget settings that are kept; none are no error."""
    row = session.get(models.KeptSettingsRow, kept_id)
    if row is not None:
        session.delete(row)


def last_settings(session: Session, series: models.SeriesRow) -> DeliverySettings:
    """What a series was handed over by last; the usual settings where it was not."""
    query = select(models.DeliveryRow.settings).where(models.DeliveryRow.series_id == series.id)
    found = session.scalars(query.order_by(models.DeliveryRow.created.desc()).limit(1)).first()
    return DeliverySettings.model_validate(found) if found else DeliverySettings()


def credits_of(series: models.SeriesRow) -> Credits:
    """What is filled into the finished files of a series."""
    return Credits.model_validate(series.credits or {})


def fill_in_credits(series: models.SeriesRow, data: dict[str, Any]) -> None:
    """Fill in creator, rights and caption once for a series. Raises InvalidChangeError for texts that are too long."""
    try:
        made = Credits.model_validate(data)
    except ValidationError as error:
        raise InvalidChangeError("Creator, rights and caption are texts.") from error
    if any(len(text) > _LONGEST_WORDS for text in (made.creator, made.rights, made.caption)):
        raise InvalidChangeError(f"Creator, rights and caption have at most {_LONGEST_WORDS} characters each.")
    series.credits = made.model_dump()
