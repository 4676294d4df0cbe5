"""Trims of several frames at once: copied whole or by parts, and taken off."""

import uuid
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError
from nuvett.core.geometry.following import Middle, cut_about
from nuvett.core.geometry.proposals import taking
from nuvett.core.geometry.spots import MAX_SPOTS, Spots
from nuvett.core.look.trim import Trim, lost_parts, take_trim_parts
from nuvett.core.look.words import describe
from nuvett.services.platform import history
from nuvett.services.platform.studio import Studio
from nuvett.services.series.catalogue import find_series, shown_frames
from nuvett.services.series.frame_facts import facts_of, trim_of
from nuvett.store import models


def chosen_frames(session: Session, series: models.SeriesRow, chosen: Sequence[uuid.UUID]) -> list[models.FrameRow]:
    """Frames of a series and their variants that were chosen, in order. Raises InvalidChangeError for none."""
    wanted = set(chosen)
    found = [frame for frame in shown_frames(session, series.id) if frame.id in wanted]
    if not found:
        raise InvalidChangeError("Choose the frames first.")
    return found


@dataclass(frozen=True)
class Taken:
    """What of a frame's trim is done to others: parts by name; areas are added to theirs or replace them.

    spots : those that show in each frame, which are added to its own
    middles : of the subjects of frames that a crop is moved by; none for a crop at the same place
    """

    parts: frozenset[str]
    replace_areas: bool = False
    spots: Mapping[uuid.UUID, Spots] = field(default_factory=dict)
    middles: Mapping[uuid.UUID, Middle] = field(default_factory=dict)

    def done_to(self, frame: uuid.UUID, own: Trim, trim: Trim) -> Trim:
        """A frame's own trim with what is taken of another one. Raises DocumentError as `take_trim_parts`."""
        made = take_trim_parts(own, trim, self.parts - {"spots"}, self.replace_areas)
        if "spots" not in self.parts:
            return made
        more = tuple(spot for spot in self.spots.get(frame, ()) if spot not in own.spots)
        return made.model_copy(update={"spots": (*own.spots, *more)[:MAX_SPOTS]})

    def about_subjects(self, source: models.FrameRow, frame: models.FrameRow, trim: Trim) -> Trim:
        """A trim for a frame with the crop of another one moved to where its own subject is, where both are known."""
        first, own = self.middles.get(source.id), self.middles.get(frame.id)
        if "geometry" not in self.parts or first is None or own is None:
            return trim
        sizes = (source.width, source.height), (frame.width, frame.height)
        return trim.model_copy(update={"geometry": cut_about(trim.geometry, sizes, (first, own))})


def copy_trim(
    session: Session, series: models.SeriesRow, source: models.FrameRow, chosen: Sequence[uuid.UUID], taken: Taken
) -> int:
    """Do the same to other frames, of its own series or another: named parts of its trim; how many were changed.

    Each frame keeps its own history, which says where it came from.
    Raises DocumentError for a part that is not there, InvalidChangeError for nothing.
    """
    home = session.get_one(models.SeriesRow, source.series_id)
    of = f" of {home.title}" if home.id != series.id else ""
    return sum(
        keep_trim(session, frame, after, f"As {source.name}{of}: ")
        for frame, after in _copied(session, series, source, chosen, taken)
    )


def lost_by_copying(
    session: Session, series: models.SeriesRow, source: models.FrameRow, chosen: Sequence[uuid.UUID], taken: Taken
) -> Counter[str]:
    """How many frames would lose what is in which part of their trims, by the part; raises as `copy_trim`."""
    copied = _copied(session, series, source, chosen, taken)
    return Counter(name for frame, after in copied for name in lost_parts(trim_of(frame), after))


def _copied(
    session: Session, series: models.SeriesRow, source: models.FrameRow, chosen: Sequence[uuid.UUID], taken: Taken
) -> list[tuple[models.FrameRow, Trim]]:
    """The other frames that were chosen, each with the trim that it would have."""
    if not taken.parts:
        raise InvalidChangeError("Choose what of the trim is taken.")
    trim = trim_of(source)
    return [
        (frame, taken.about_subjects(source, frame, taken.done_to(frame.id, trim_of(frame), trim)))
        for frame in chosen_frames(session, series, chosen)
        if frame.id != source.id
    ]


def mark_left_out(session: Session, series: models.SeriesRow, chosen: Sequence[uuid.UUID]) -> tuple[int, bool]:
    """Leave frames out of what is carried and handed over, or take them in again where all are; how many, and which."""
    frames = chosen_frames(session, series, chosen)
    on = not all(frame.left_out for frame in frames)
    for frame in frames:
        frame.left_out = on
    return len(frames), on


def mark_favourites(session: Session, series: models.SeriesRow, chosen: Sequence[uuid.UUID]) -> tuple[int, bool]:
    """Make frames favourites, or none of them any more where all are; how many, and which of the two."""
    frames = chosen_frames(session, series, chosen)
    on = not all(frame.favourite for frame in frames)
    for frame in frames:
        frame.favourite = on
    return len(frames), on


def take_trims_off(session: Session, series: models.SeriesRow, chosen: Sequence[uuid.UUID]) -> int:
    """Take the trims of frames off; how many were changed. Each can be undone on its frame."""
    return sum(keep_trim(session, frame, Trim(), "") for frame in chosen_frames(session, series, chosen))


def keep_trim(session: Session, frame: models.FrameRow, trim: Trim, because: str) -> bool:
    """Keep a frame's trim with a step in its history, whatever it was; whether that changed it."""
    session.flush()
    session.refresh(frame, with_for_update=True)
    before = trim_of(frame)
    if trim == before:
        return False
    words = f"{because}{describe(before, trim)}"
    plain = before.model_dump(mode="json"), trim.model_dump(mode="json")
    history.record(session, frame.series_id, f"trim:{frame.id}", words, *plain)
    frame.trim, frame.trim_revision = None if trim.is_none else plain[1], frame.trim_revision + 1
    return True


def straighten_as_proposed(studio: Studio, slug: str, chosen: Sequence[uuid.UUID]) -> int:
    """Straighten frames as their own long lines propose; how many were. Frames that say nothing stay as they are."""
    with studio.database.session() as session:
        frames = chosen_frames(session, find_series(session, slug), chosen)
        known = {frame.id: facts_of(frame) for frame in frames}
    proposed = {key: taking(studio.bench.sources.proposal(facts)) for key, facts in known.items()}
    with studio.database.session() as session:
        changed = 0
        for frame in chosen_frames(session, find_series(session, slug), chosen):
            trim = trim_of(frame)
            geometry = trim.geometry.model_copy(update=proposed.get(frame.id, {}))
            after = trim.model_copy(update={"geometry": geometry})
            changed += keep_trim(session, frame, after, "As proposed: ")
    return changed
