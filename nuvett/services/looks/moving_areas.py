"""Areas that move from a trim into the look, and areas of the look as a frame has them."""

import uuid

from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError
from nuvett.core.look.local import MOST_AREAS
from nuvett.core.look.look import Look
from nuvett.services.looks import looks
from nuvett.services.looks.trims_of_many import keep_trim
from nuvett.services.series.catalogue import look_of
from nuvett.services.series.frame_facts import trim_of
from nuvett.store import models


def move_into_look(session: Session, series: models.Series, frame: models.Frame, index: int) -> str:
    """Move an area of a frame's trim into the draft of the look, where it is found anew in every frame; in words.

    One step of the look's history and one of the frame's. Raises InvalidChangeError for one that belongs to its frame.
    """
    trim = trim_of(frame)
    if index >= len(trim.areas):
        raise InvalidChangeError("That area is not there any more.")
    area = trim.areas[index]
    if not area.area.travels:
        raise InvalidChangeError("A brushed area belongs to its frame and cannot travel with the look.")
    row = look_of(session, series)
    look = Look.model_validate(row.draft)
    if len(look.areas) >= MOST_AREAS:
        raise InvalidChangeError(f"A look has at most {MOST_AREAS} areas.")
    moved = area.model_copy(update={"key": area.key or uuid.uuid4().hex[:8]})
    after = look.model_copy(update={"areas": (*look.areas, moved)})
    looks.change_look(session, series, after, row.revision, f"From {frame.name}: {area.title}")
    left = tuple(own for place, own in enumerate(trim.areas) if place != index)
    keep_trim(session, frame, trim.model_copy(update={"areas": left}), "Moved into the look: ")
    return f"{area.title} is in the look now. It reaches this frame again when the look is carried."


def look_areas(session: Session, frame: models.Frame) -> list[tuple[str, str, bool]]:
    """Areas of the look that a frame follows: key, title, and whether the frame takes it."""
    version = session.get(models.LookVersion, frame.follows_id) if frame.follows_id else None
    if version is None:
        return []
    without = trim_of(frame).without
    areas = Look.model_validate(version.document).areas
    return [(own.key, own.title, own.key not in without) for own in areas if own.key and own.on]
