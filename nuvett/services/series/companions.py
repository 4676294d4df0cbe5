"""A raw file and the picture that the camera wrote beside it: one frame, and how the raw file is developed."""

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError
from nuvett.imaging.opened import Development
from nuvett.services.platform.blobs import blobs_of
from nuvett.services.platform.queue import INGEST_FRAME
from nuvett.services.platform.studio import Studio
from nuvett.store import models

RAW = "raw"
"""Format of frames that were developed."""

# What of a measured frame comes from its file.
_OF_THE_FILE = (
    *("original", "bytes", "format", "width", "height", "bits", "domain", "taken", "view", "sample", "points"),
    *("subject", "described", "exposure", "faces", "companion", "developed", "development", "shot", "lens", "note"),
)


def join_companion(session: Session, studio: Studio, frame: models.FrameRow) -> set[str]:
    """Make one frame of a raw file and a finished picture of the same name and time; the series has to be locked.

    The frame that was there first stays, with all that was done to it, and shows the raw file from now on. Names of
    blobs that may now be unused, for `sweep`.
    """
    same_name = (
        models.FrameRow.series_id == frame.series_id,
        models.FrameRow.id != frame.id,
        func.lower(models.FrameRow.name) == frame.name.lower(),
        models.FrameRow.state == "ready",
        models.FrameRow.companion.is_(None),
        (models.FrameRow.format != RAW) if frame.format == RAW else (models.FrameRow.format == RAW),
    )
    twin = session.scalars(
        select(models.FrameRow).where(*same_name).order_by(models.FrameRow.position).limit(1)
    ).first()
    if twin is None or frame.companion is not None or (twin.taken and frame.taken and twin.taken != frame.taken):
        return set()
    unused = blobs_of(frame) | blobs_of(twin)
    picture = frame.original
    if frame.format == RAW:
        picture = twin.original
        for name in _OF_THE_FILE:
            setattr(twin, name, getattr(frame, name))
    twin.companion = picture
    session.delete(frame)
    session.flush()
    if twin.note and chosen_development(twin).start == "camera":  # its tone is known now
        _develop_again(session, studio, twin)
    return unused


DEVELOPMENTS: dict[str, tuple[Development, str]] = {
    "camera": (Development(), "as the camera showed it"),
    "camera-cut": (Development(highlights="cut"), "as the camera showed it, highlights cut"),
    "neutral": (Development(start="neutral"), "neutral, its light as it is"),
    "neutral-cut": (Development(start="neutral", highlights="cut"), "neutral, highlights cut"),
}
"""Ways of developing a raw file: as forms spell them, and in words."""


def development_of(frame: models.FrameRow) -> str:
    """How a raw frame is developed, as forms spell it; nothing for any other."""
    if frame.format != RAW:
        return ""
    return next(key for key, (development, _) in DEVELOPMENTS.items() if development == chosen_development(frame))


def developments_in(session: Session, series: models.SeriesRow) -> list[str]:
    """How the raw frames of a series are developed, each way once, as forms spell it."""
    row = models.FrameRow
    query = select(row.development).where(row.series_id == series.id, row.state == "ready", row.format == RAW)
    found = {Development.model_validate(kept or {}) for kept in session.scalars(query.distinct())}
    return [key for key, (development, _) in DEVELOPMENTS.items() if development in found]


def file_words(frame: models.FrameRow) -> str:
    """What a frame's file is, in few words; nothing for a usual one."""
    if frame.format != RAW:
        return "HEIC" if frame.format == "heic" else ""
    return "raw + JPEG" if frame.companion else RAW


def chosen_development(frame: models.FrameRow) -> Development:
    """How a frame is developed, if it is raw."""
    return Development.model_validate(frame.development or {})


def choose_development(session: Session, studio: Studio, frames: list[models.FrameRow], key: str) -> int:
    """Develop those of some frames that are raw in one of DEVELOPMENTS; how many change. Raises InvalidChangeError."""
    if key not in DEVELOPMENTS:
        raise InvalidChangeError("Raw files are not developed in this way.")
    development = DEVELOPMENTS[key][0]
    raw = [frame for frame in frames if frame.format == RAW and frame.state == "ready"]
    if not raw:
        raise InvalidChangeError("Only raw files are developed.")
    changed = [frame for frame in raw if chosen_development(frame) != development]
    for frame in changed:
        frame.development = development.model_dump(mode="json")
        _develop_again(session, studio, frame)
    return len(changed)


def _develop_again(session: Session, studio: Studio, frame: models.FrameRow) -> None:
    frame.state, frame.problem = "waiting", "Being developed again."
    session.flush()
    studio.queue.defer(session, INGEST_FRAME, frame_id=str(frame.id))
