"""Gathering: frames and references arriving, being measured, named hero, put into set-ups, taken out again."""

import re
import uuid
from datetime import UTC
from io import BytesIO
from pathlib import Path, PurePosixPath
from typing import IO

import numpy as np
from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError, NotFoundError, NuvettError, TooManyError
from nuvett.core.even.setups import find_setups, light_colour
from nuvett.core.reading.reading import read
from nuvett.core.reading.regions import Sampling
from nuvett.core.series import even_series
from nuvett.core.types import Floats
from nuvett.imaging.decode import Picture
from nuvett.imaging.encode import Format, encode
from nuvett.imaging.proxy import view
from nuvett.services.catalogue import keep_blobs
from nuvett.services.measuring import measure_file
from nuvett.services.queue import EVEN_SERIES, INGEST_FRAME, INGEST_REFERENCE
from nuvett.services.studio import Studio
from nuvett.services.workbench import dump_array, load_array
from nuvett.store import models

_VIEW_QUALITY = 95
_LONGEST_NAME = 120


def display_name(file_name: str) -> str:
    """A file name as shown: its last part without suffix, control characters and line breaks; never used as a path."""
    last = PurePosixPath(file_name.replace("\\", "/")).name
    plain = re.sub(r"\s+", " ", "".join(c if c.isprintable() else " " for c in last)).strip()
    stem = plain.rsplit(".", 1)[0] if "." in plain[1:] else plain
    return stem[:_LONGEST_NAME].strip() or "unnamed"


def add_frame(
    session: Session, studio: Studio, series: models.Series, file_name: str, stream: IO[bytes]
) -> models.Frame:
    """Keep a photo's file and queue its measuring. Raises TooManyError when the series is full."""
    count = session.scalar(select(func.count()).where(models.Frame.series_id == series.id)) or 0
    if count >= studio.settings.series_frames:
        raise TooManyError
    keep_blobs(session)
    blob, size = studio.blobs.put(stream)
    frame = models.Frame(
        series_id=series.id, position=count + 1, name=display_name(file_name), original=blob, bytes=size
    )
    session.add(frame)
    session.flush()
    studio.queue.defer(session, INGEST_FRAME, frame_id=str(frame.id))
    return frame


def add_reference(
    session: Session, studio: Studio, series: models.Series, file_name: str, stream: IO[bytes], credit: str = ""
) -> models.Reference:
    """Keep a reference's file and queue its reading. Raises TooManyError when there are as many as allowed."""
    of_series = models.Reference.series_id == series.id
    count = session.scalar(select(func.count()).where(of_series, models.Reference.removed.is_(False))) or 0
    if count >= studio.settings.series_references:
        raise TooManyError("The series holds as many references as this installation allows.")
    keep_blobs(session)
    blob, size = studio.blobs.put(stream)
    reference = models.Reference(
        series_id=series.id,
        position=(session.scalar(select(func.max(models.Reference.position)).where(of_series)) or 0) + 1,
        name=display_name(file_name),
        credit=credit,
        original=blob,
        bytes=size,
        sampling=Sampling().model_dump(mode="json"),
    )
    session.add(reference)
    session.flush()
    studio.queue.defer(session, INGEST_REFERENCE, reference_id=str(reference.id))
    return reference


def reference_from_frame(
    session: Session, studio: Studio, series: models.Series, frame_id: uuid.UUID
) -> models.Reference:
    """Use a frame of this or another series as a reference. Raises NotFoundError for one that is not measured."""
    frame = session.get(models.Frame, frame_id)
    if frame is None or frame.state != "ready":
        raise NotFoundError
    with studio.blobs.local(frame.original) as path, path.open("rb") as stream:
        return add_reference(session, studio, series, frame.name, stream)


Waiting = type[models.Frame] | type[models.Reference] | type[models.Clip]
_FAULT = "Measuring it went wrong, which is a fault of Nuvett. Clear it here and add it again."


def refuse(studio: Studio, table: Waiting, row_id: uuid.UUID, problem: str = _FAULT) -> None:
    """Refuse a waiting file, with a sentence that says why; by default that nobody foresaw it."""
    waiting = update(table).where(table.id == row_id, table.state == "waiting")
    with studio.database.session() as session:
        session.execute(waiting.values(state="refused", problem=problem))


def give_up_frame(studio: Studio, frame_id: uuid.UUID) -> None:
    """Refuse a frame that could not be measured for no foreseen reason, so that its series does not wait for it."""
    refuse(studio, models.Frame, frame_id)
    with studio.database.session() as session:
        queue_even(session, studio, frame_id)


def _encoded_view(picture: Picture) -> bytes:
    """The view that is kept of a picture: a plain JPEG in the picture's own domain."""
    return encode(view(picture.pixels, picture.domain), Format.JPEG, _VIEW_QUALITY)


def ingest_frame(studio: Studio, frame_id: uuid.UUID) -> None:
    """Measure a waiting frame and make its view; refuse it with a sentence when that cannot be done. Idempotent."""
    with studio.database.session() as session:
        frame = session.get(models.Frame, frame_id)
        if frame is None or frame.state == "ready":
            return
        original = frame.original
    try:
        with studio.blobs.local(original) as path:
            measured = measure_file(path, studio.limits)
    except NuvettError as error:
        refuse(studio, models.Frame, frame_id, error.message)
        return
    picture = measured.picture
    encoded = _encoded_view(picture)
    with studio.database.session() as session:
        frame = session.get(models.Frame, frame_id, with_for_update=True)
        if frame is None:
            return
        keep_blobs(session)
        frame.view, _ = studio.blobs.put(BytesIO(encoded))
        frame.sample, _ = studio.blobs.put(dump_array(measured.sample))
        frame.faces = {"colours": measured.faces.tolist()} if len(measured.faces) else None
        frame.format, frame.bits = picture.header.format, picture.header.bits
        frame.width, frame.height = picture.header.width, picture.header.height
        frame.domain = picture.header.domain.value
        # Cameras write local time without a zone; only differences and order matter, so it is kept as if UTC.
        frame.taken = picture.header.taken.replace(tzinfo=UTC) if picture.header.taken else None
        frame.state, frame.problem = "ready", ""


def ingest_reference(studio: Studio, reference_id: uuid.UUID) -> None:
    """Read a waiting reference; refuse it with a sentence when that cannot be done. Idempotent."""
    with studio.database.session() as session:
        reference = session.get(models.Reference, reference_id)
        if reference is None or reference.state == "ready":
            return
        original, sampling = reference.original, Sampling.model_validate(reference.sampling)
    try:
        with studio.blobs.local(original) as path:
            measured = measure_file(path, studio.limits)
        # Rounded as it is kept, so that reading it again later gives the same.
        proxy = measured.proxy.astype(np.float16)
        reading = read(proxy.astype(np.float32), sampling)
    except NuvettError as error:
        refuse(studio, models.Reference, reference_id, error.message)
        return
    picture = measured.picture
    encoded = _encoded_view(picture)
    with studio.database.session() as session:
        reference = session.get(models.Reference, reference_id, with_for_update=True)
        if reference is None:
            return
        keep_blobs(session)
        reference.view, _ = studio.blobs.put(BytesIO(encoded))
        reference.proxy, _ = studio.blobs.put(dump_array(proxy))
        reference.width, reference.height = picture.header.width, picture.header.height
        reference.domain = picture.header.domain.value
        reference.reading = reading.model_dump(mode="json")
        reference.state, reference.problem = "ready", ""


def queue_even(session: Session, studio: Studio, frame_id: uuid.UUID) -> None:
    """Queue evening after a frame has been measured or refused.

    In a transaction after that one: a task that waits already would otherwise count for this frame, yet could run
    before the frame's new state can be seen.
    """
    frame = session.get(models.Frame, frame_id)
    if frame is not None:
        _let_light_be_evened(session, studio, frame.series_id)


def _let_light_be_evened(session: Session, studio: Studio, series_id: uuid.UUID) -> None:
    """Queue evening of a series and mark it as due until that is done."""
    session.execute(update(models.Series).where(models.Series.id == series_id).values(light_due=True))
    studio.queue.defer(session, EVEN_SERIES, once=f"even-{series_id}", series_id=str(series_id))


def ready_frames(session: Session, series_id: uuid.UUID) -> list[models.Frame]:
    """Frames of a series that have been measured, in shooting order."""
    return list(
        session.scalars(
            select(models.Frame)
            .where(models.Frame.series_id == series_id, models.Frame.state == "ready")
            .order_by(models.Frame.position)
        )
    )


def order_and_even(studio: Studio, series_id: uuid.UUID) -> None:
    """Once no frame waits any more: order frames by time, find set-ups for those without, and even the light."""
    with studio.database.session() as session:
        waiting = session.scalar(
            select(func.count()).where(models.Frame.series_id == series_id, models.Frame.state == "waiting")
        )
        if waiting:
            return
        _sort_by_time(session, series_id)
        frames = ready_frames(session, series_id)
        if any(frame.setup_id is None for frame in frames):
            lights = [light_colour(load_array(studio.blobs.read(frame.sample or ""))) for frame in frames]
            _find_setups(session, series_id, frames, lights)
    even_light(studio, series_id)


def _sort_by_time(session: Session, series_id: uuid.UUID) -> None:
    frames = list(session.scalars(select(models.Frame).where(models.Frame.series_id == series_id)))
    timed = all(frame.taken is not None for frame in frames if frame.state == "ready")

    def key(frame: models.Frame) -> tuple[object, ...]:
        moment = frame.taken.timestamp() if timed and frame.taken else 0.0
        return (frame.state == "refused", moment, _natural(frame.name), str(frame.id))

    for position, frame in enumerate(sorted(frames, key=key), start=1):
        frame.position = position
    session.flush()


def _natural(name: str) -> list[tuple[int, int, str]]:
    """Sort key that puts 9 before 10."""
    parts = re.findall(r"\d+|\D+", name.lower())
    return [(0, int(part), "") if part.isdecimal() and part.isascii() else (1, 0, part) for part in parts]


def _find_setups(session: Session, series_id: uuid.UUID, frames: list[models.Frame], lights: list[Floats]) -> None:
    """Put frames that have no set-up into one: that of the nearest frame between the same changes, else a new one.

    Frames that are in a set-up stay there, so what was mended by hand is kept when more frames arrive.
    """
    numbers = find_setups([frame.taken for frame in frames], lights)
    for index, frame in enumerate(frames):
        if frame.setup_id is not None:
            continue
        company = [
            (abs(other - index), neighbour.setup_id)
            for other, neighbour in enumerate(frames)
            if numbers[other] == numbers[index] and neighbour.setup_id is not None
        ]
        if company:
            frame.setup_id = min(company, key=lambda pair: pair[0])[1]
        else:
            made = models.SetUp(series_id=series_id, position=0, name="New set-up")
            session.add(made)
            session.flush()
            frame.setup_id = made.id
    number_setups(session, series_id)


def even_light(studio: Studio, series_id: uuid.UUID) -> None:
    """Even the light of a series' measured frames, set-up by set-up."""
    with studio.database.session() as session:
        series = session.get(models.Series, series_id)
        if series is None:
            return
        frames = ready_frames(session, series_id)
        rows = [(frame.id, frame.sample or "", frame.setup_id) for frame in frames]
        hero_id = series.hero_id
        series.light_due = bool(rows)
    if not rows:
        return
    numbers = {setup: i for i, setup in enumerate(dict.fromkeys(setup for _, _, setup in rows))}
    samples = [load_array(studio.blobs.read(sample)) for _, sample, _ in rows]
    hero = next((i for i, (frame_id, _, _) in enumerate(rows) if frame_id == hero_id), None)
    found = even_series(samples, [numbers[setup] for _, _, setup in rows], hero)
    with studio.database.session() as session:
        for (frame_id, _, _), even in zip(rows, found, strict=True):
            session.execute(
                update(models.Frame).where(models.Frame.id == frame_id).values(even=even.model_dump(mode="json"))
            )
        session.execute(update(models.Series).where(models.Series.id == series_id).values(light_due=False))


def name_hero(session: Session, studio: Studio, series: models.Series, frame: models.Frame | None) -> None:
    """Name the hero, or none; its set-up's light is evened to it. Raises InvalidChangeError for a frame not ready."""
    if frame is not None and frame.state != "ready":
        raise InvalidChangeError("Only a frame that has been measured can be the hero.")
    series.hero_id = frame.id if frame else None
    session.flush()
    _let_light_be_evened(session, studio, series.id)


def begin_setup(session: Session, studio: Studio, series: models.Series, frame: models.Frame) -> None:
    """Let a new set-up begin with a frame. Raises InvalidChangeError when one begins there already."""
    frames = ready_frames(session, series.id)
    index = _place(frames, frame)
    if index == 0 or frames[index - 1].setup_id != frame.setup_id:
        raise InvalidChangeError("A set-up begins with this frame already.")
    old = frame.setup_id
    made = models.SetUp(series_id=series.id, position=0, name="New set-up")
    session.add(made)
    session.flush()
    for later in frames[index:]:
        if later.setup_id != old:
            break
        later.setup_id = made.id
    _tidy_setups(session, studio, series)


def join_setup(session: Session, studio: Studio, series: models.Series, frame: models.Frame) -> None:
    """Join the set-up that begins with a frame to the one before. Raises InvalidChangeError when none begins there."""
    frames = ready_frames(session, series.id)
    index = _place(frames, frame)
    if index == 0 or frames[index - 1].setup_id == frame.setup_id:
        raise InvalidChangeError("No set-up begins with this frame.")
    old = frame.setup_id
    for later in frames:
        if later.setup_id == old:
            later.setup_id = frames[index - 1].setup_id
    _tidy_setups(session, studio, series)


def rename_setup(session: Session, series: models.Series, setup_id: uuid.UUID, name: str) -> None:
    """Name a set-up. Raises NotFoundError, InvalidChangeError for an empty name."""
    setup = session.get(models.SetUp, setup_id)
    if setup is None or setup.series_id != series.id:
        raise NotFoundError
    plain = " ".join(name.split())[:60]
    if not plain:
        raise InvalidChangeError("A set-up needs a name.")
    setup.name = plain


def _place(frames: list[models.Frame], frame: models.Frame) -> int:
    index = next((i for i, other in enumerate(frames) if other.id == frame.id), None)
    if index is None:
        raise InvalidChangeError("Only frames that have been measured belong to a set-up.")
    return index


def number_setups(session: Session, series_id: uuid.UUID) -> None:
    """Drop set-ups without frames and number the others in shooting order; given names stay."""
    session.flush()
    order = list(dict.fromkeys(frame.setup_id for frame in ready_frames(session, series_id)))
    for setup in list(session.scalars(select(models.SetUp).where(models.SetUp.series_id == series_id))):
        if setup.id not in order:
            session.delete(setup)
            continue
        setup.position = order.index(setup.id) + 1
        if re.fullmatch(r"Set-up \d+|New set-up", setup.name):
            setup.name = f"Set-up {setup.position}"
    session.flush()


def _tidy_setups(session: Session, studio: Studio, series: models.Series) -> None:
    """Number set-ups anew and even the light again."""
    number_setups(session, series.id)
    _let_light_be_evened(session, studio, series.id)


def remove_frame(session: Session, studio: Studio, series: models.Series, frame: models.Frame) -> set[str]:
    """Take a frame out of its series; names of blobs that may now be unused, for `sweep`."""
    names = {name for name in (frame.original, frame.view, frame.sample) if name}
    if series.hero_id == frame.id:
        series.hero_id = None
    session.flush()
    session.delete(frame)
    session.flush()
    _tidy_setups(session, studio, series)
    return names


def forget_refused(session: Session, reference: models.Reference) -> set[str]:
    """Delete a reference that could not be read; names of blobs that may now be unused, for `sweep`.

    Raises InvalidChangeError for one that was read: that is taken out by a change that can be undone.
    """
    if reference.state == "ready":
        raise InvalidChangeError("Only a reference that could not be read is deleted.")
    session.delete(reference)
    session.flush()
    return {reference.original}


def add_file(session: Session, studio: Studio, series: models.Series, path: Path) -> models.Frame:
    """Add a photo from a local file, under its own name."""
    with path.open("rb") as stream:
        return add_frame(session, studio, series, path.name, stream)
