"""One frame as a delivery would make it, to be looked at before anything is ordered."""

import tempfile
import uuid
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.spaces.rgb import Space
from nuvett.imaging.encode import Format
from nuvett.services.delivery.delivery_choice import chosen_frames
from nuvett.services.delivery.delivery_settings import DeliverySettings
from nuvett.services.delivery.kept_settings import credits_of
from nuvett.services.engine.facts import Facts, FrameFacts
from nuvett.services.files.writing import Written
from nuvett.services.looks.carrying import followings
from nuvett.services.platform.finished_files import bytes_of_frame, write_frame
from nuvett.services.platform.studio import Studio
from nuvett.services.series.catalogue import find_series
from nuvett.services.series.frame_facts import series_facts
from nuvett.store import models

SHOWN = {Format.JPEG: "image/jpeg", Format.WEBP: "image/webp", Format.PNG: "image/png"}
"""Formats that a browser shows as they are; others are looked at as PNG, which loses nothing at 8 bits."""


def _asked(
    session: Session, series: models.SeriesRow, settings: DeliverySettings, only: Sequence[uuid.UUID] | None
) -> tuple[Facts, int, uuid.UUID | None]:
    chosen = chosen_frames(session, series, settings, only)
    if not chosen:
        raise InvalidChangeError("There is no frame to look at: carry the look first.")
    facts = series_facts(session, series)
    first = next((one for one in chosen if one.frame == series.hero_id), chosen[0])
    place = facts.index_of(first.frame)
    if place is None:
        raise InvalidChangeError("There is no frame to look at: carry the look first.")
    return facts, place, first.version


def sample(
    studio: Studio, slug: str, settings: DeliverySettings, only: Sequence[uuid.UUID] | None
) -> tuple[bytes, str]:
    """The hero, or the first frame of an order, as its first kind of file: bytes, and their media type.

    At its delivered size, with its sharpening and quality; in sRGB, as screens show it. Raises InvalidChangeError
    where there is none, and as `write_frame`.
    """
    with studio.database.session() as session:
        series = find_series(session, slug)
        facts, place, version = _asked(session, series, settings, only)
        known = followings(session, {version} if version else set())
        how = settings.written(0, credits_of(series))
    aimed = known[version].aimed if version else None
    plan = studio.bench.planner.finished(facts, place, aimed)
    shown = how.format if how.format in SHOWN else Format.PNG
    return _written(studio, facts[place], plan, replace(how, format=shown, space=Space.SRGB)), SHOWN[shown]


def _written(studio: Studio, frame: FrameFacts, plan: FramePlan, how: Written) -> bytes:
    with tempfile.TemporaryDirectory() as folder, studio.memory.hold(bytes_of_frame(studio, frame)):
        path = Path(folder) / "sample"
        write_frame(studio, frame, plan, how, path)
        return path.read_bytes()
