"""Clips: kept, indexed, looked through frame by frame, and stills taken from them."""

import uuid
from dataclasses import dataclass
from io import BytesIO
from pathlib import Path
from typing import IO

import numpy as np
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from nuvett.core.drawing.renderer import Pixels
from nuvett.core.errors import InvalidChangeError, NotFoundError, TooManyError
from nuvett.imaging.clips import ClipFacts, ClipReader, read_clip, thumbnails
from nuvett.imaging.encode import Format, encode
from nuvett.imaging.proxy import within_edge
from nuvett.services.engine.arrays import dump_array
from nuvett.services.platform.blobs import keeping
from nuvett.services.platform.incoming import display_name, examine, refuse
from nuvett.services.platform.queue import INGEST_CLIP
from nuvett.services.platform.studio import Studio
from nuvett.services.references.new_references import add_reference
from nuvett.store import models

_PREVIEW_QUALITY, _THUMBNAIL_QUALITY = 88, 85
_MAX_CLIPS = 12
SUFFIXES = (".webm", ".mp4", ".m4v", ".mkv", ".mov")


def is_clip(file_name: str) -> bool:
    """Whether a file's name says that it is a clip."""
    return file_name.lower().endswith(SUFFIXES)


def add_clip(
    session: Session, studio: Studio, series: models.SeriesRow, file_name: str, stream: IO[bytes], credit: str = ""
) -> models.ClipRow:
    """Keep a clip's file and queue its indexing. Raises TooManyError when there are as many as allowed."""
    count = session.scalar(select(func.count()).where(models.ClipRow.series_id == series.id)) or 0
    if count >= _MAX_CLIPS:
        raise TooManyError(f"The series holds {_MAX_CLIPS} clips already; remove one first.")
    keep = keeping(session, studio)
    blob, size = keep.put(stream)
    clip = models.ClipRow(
        series_id=series.id,
        position=count + 1,
        name=display_name(file_name),
        credit=credit,
        original=blob,
        bytes=size,
    )
    session.add(clip)
    session.flush()
    studio.queue.defer(session, INGEST_CLIP, clip_id=str(clip.id))
    return clip


def clips_of(session: Session, series: models.SeriesRow) -> list[models.ClipRow]:
    """Clips of a series, in the order they came."""
    return list(
        session.scalars(
            select(models.ClipRow)
            .where(models.ClipRow.series_id == series.id)
            .order_by(models.ClipRow.position, models.ClipRow.id)
        )
    )


def find_clip(session: Session, series: models.SeriesRow, clip_id: uuid.UUID) -> models.ClipRow:
    """A clip of a series. Raises NotFoundError."""
    clip = session.get(models.ClipRow, clip_id)
    if clip is None or clip.series_id != series.id:
        raise NotFoundError
    return clip


def ingest_clip(studio: Studio, clip_id: uuid.UUID) -> None:
    """Index a waiting clip and draw its thumbnails; refuse it with a sentence when that cannot be done. Idempotent."""

    def work(_: models.ClipRow, path: Path) -> tuple[ClipFacts, Pixels]:
        facts = read_clip(path)
        return facts, thumbnails(path, facts)

    found = examine(studio, models.ClipRow, clip_id, work)
    if found is None:
        return
    facts, strip = found
    encoded = encode(strip, Format.JPEG, _THUMBNAIL_QUALITY)
    stored = np.concatenate([[facts.base], facts.times.astype(np.float64)])
    with studio.database.session() as session:
        clip = session.get(models.ClipRow, clip_id, with_for_update=True)
        if clip is None:
            return
        keep = keeping(session, studio)
        clip.thumbnails, _ = keep.put(BytesIO(encoded))
        clip.index, _ = keep.put(dump_array(stored))
        clip.width, clip.height = facts.width, facts.height
        clip.frames, clip.seconds = len(facts.times), facts.seconds
        clip.state, clip.problem = "ready", ""


def give_up(studio: Studio, clip_id: uuid.UUID) -> None:
    """Refuse a clip that could not be indexed for no foreseen reason."""
    refuse(studio, models.ClipRow, clip_id)


@dataclass(frozen=True)
class ClipFile:
    """What is needed to show frames of a clip outside a session."""

    original: str
    index: str
    width: int
    height: int
    seconds: float


def clip_file(clip: models.ClipRow) -> ClipFile:
    """Plain facts of an indexed clip. Raises NotFoundError for one that is not."""
    if clip.state != "ready" or clip.index is None:
        raise NotFoundError
    return ClipFile(clip.original, clip.index, clip.width, clip.height, clip.seconds)


def _facts(studio: Studio, file: ClipFile) -> ClipFacts:
    stored = np.load(BytesIO(studio.blobs.read(file.index)), allow_pickle=False)
    return ClipFacts(file.width, file.height, file.seconds, stored[1:].astype(np.int64), float(stored[0]))


def _reader(studio: Studio, file: ClipFile) -> ClipReader:
    def make() -> ClipReader:
        with studio.blobs.local(file.original) as path:
            return ClipReader(Path(path), _facts(studio, file))

    return studio.bench.sources.clip_reader(file.original, make)


def clip_frame(studio: Studio, file: ClipFile, number: int, edge: int) -> bytes:
    """JPEG of one frame of a clip at a long edge. Raises TruncatedFileError where the clip is damaged."""
    pixels = _reader(studio, file).frame(number)
    return encode(within_edge(pixels, edge), Format.JPEG, _PREVIEW_QUALITY)


def moment_of(clip: models.ClipRow, number: int) -> str:
    """Time of a frame in its clip, as shown: minutes, seconds and hundredths."""
    seconds = clip.seconds * number / max(1, clip.frames - 1)
    return f"{int(seconds // 60)}:{seconds % 60:05.2f}"


def still_from_clip(
    session: Session, studio: Studio, series: models.SeriesRow, clip: models.ClipRow, number: int
) -> models.ReferenceRow:
    """Take a frame of a clip as a reference. Raises InvalidChangeError outside it, TruncatedFileError at damage."""
    if not 0 <= number < clip.frames:
        raise InvalidChangeError(f"The clip has frames 0 to {clip.frames - 1}.")
    pixels = _reader(studio, clip_file(clip)).frame(number)
    still = BytesIO(encode(pixels, Format.PNG, 92))
    name = f"{clip.name} {moment_of(clip, number)}"
    return add_reference(session, studio, series, f"{name}.png", still, clip.credit or clip.name)


def remove_clip(session: Session, clip: models.ClipRow) -> set[str]:
    """Remove a clip; stills taken from it stay. Names of blobs that may now be unused, for `sweep`."""
    names = {name for name in (clip.original, clip.index, clip.thumbnails) if name}
    session.delete(clip)
    session.flush()
    return names
