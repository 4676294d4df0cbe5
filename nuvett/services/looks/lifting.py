"""Parts of a frame's trim that go into the look, and areas of the look as a frame has them."""

import uuid
from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy.orm import Session

from nuvett.core.look.lifting import Liftable, liftable, lifted, under
from nuvett.core.look.look import Look
from nuvett.services.engine.facts import Facts, FrameFacts
from nuvett.services.looks import looks
from nuvett.services.looks.trims_of_many import keep_trim
from nuvett.services.platform.studio import Studio
from nuvett.services.series.catalogue import find_frame, find_series, look_of
from nuvett.services.series.frame_facts import series_facts, trim_of
from nuvett.store import models

_MAX_COMPARED = 24


@dataclass(frozen=True)
class Offered:
    """Parts of a frame's trim as they would go into the draft, whose revision this is."""

    parts: tuple[Liftable, ...]
    revision: int


def offered(studio: Studio, slug: str, frame_id: uuid.UUID) -> Offered:
    """Parts of a frame's trim, with what would become of each in the look, and why some stay. Raises NotFoundError."""
    with studio.database.session() as session:
        series = find_series(session, slug)
        frame = find_frame(session, series, frame_id)
        row = look_of(session, series)
        look, trim, facts = Look.model_validate(row.draft), trim_of(frame), series_facts(session, series)
    bench = studio.bench
    tones = {own.id: bench.measures.tone(own, bench.planner.evened(own, look)) for own in _company(facts, frame_id)}
    own = tones.pop(frame_id, None)
    below = under(own, list(tones.values())) if own is not None else 0.0
    return Offered(tuple(liftable(look, trim, below)), row.revision)


def _company(facts: Facts, frame_id: uuid.UUID) -> list[FrameFacts]:
    """A frame and some others of its set-up."""
    index = facts.index_of(frame_id)
    if index is None:
        return []
    mine = facts[index]
    others = [own for own in facts if own.setup == mine.setup and own.id == own.first and own.id != frame_id]
    return [mine, *others[:_MAX_COMPARED]]


def lift(
    session: Session,
    series: models.SeriesRow,
    frame: models.FrameRow,
    parts: Sequence[str],
    revision: int | None = None,
) -> str:
    """Move parts of a frame's trim into the draft of the look; in words.

    One step of the look's history and one of the frame's. Raises DocumentError as `lifted`, ConflictError.
    """
    row = look_of(session, series)
    trim = trim_of(frame)
    titles = {one.name: one.title for one in liftable(Look.model_validate(row.draft), trim)}
    look, left = lifted(Look.model_validate(row.draft), trim, parts, uuid.uuid4().hex[:6])
    said = ", ".join(titles[name].lower() for name in titles if name in parts)
    changed = row.revision if revision is None else revision
    looks.change_look(session, series, look, changed, f"From {frame.name}: {said}")
    keep_trim(session, frame, left, "Moved into the look: ")
    stays = [title.lower() for name, title in titles.items() if name not in parts]
    kept = f" {', '.join(stays).capitalize()} {'stays' if len(stays) == 1 else 'stay'} with the frame." if stays else ""
    return f"In the look now: {said}.{kept} It reaches this frame again when the look is carried."


def look_areas(session: Session, frame: models.FrameRow) -> list[tuple[str, str, bool]]:
    """Areas of the look that a frame follows: key, title, and whether the frame takes it."""
    version = session.get(models.LookVersionRow, frame.follows_id) if frame.follows_id else None
    if version is None:
        return []
    without = trim_of(frame).without
    areas = Look.model_validate(version.document).areas
    return [(own.key, own.title, own.key not in without) for own in areas if own.key and own.on]
