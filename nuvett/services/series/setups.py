"""Set-ups: frames put in order, grouped by place and light, and mended by hand."""

import re
import uuid
from typing import Literal

from sqlalchemy import select
from sqlalchemy.orm import Session, load_only

from nuvett.core.errors import InvalidChangeError, NotFoundError
from nuvett.core.even.setups import find_setups
from nuvett.core.planning.series import natural, shooting_order
from nuvett.core.types import Floats
from nuvett.services.series.catalogue import ready_frames
from nuvett.store import models


def sort_by_time(session: Session, series_id: uuid.UUID) -> None:
    """Put frames in shooting order, or that of their names where that was chosen; refused ones at the end."""
    by_time = session.scalar(select(models.SeriesRow.ordered_by).where(models.SeriesRow.id == series_id)) != "name"
    row = models.FrameRow
    wanted = row.series_id == series_id, row.variant_of_id.is_(None)
    columns = load_only(row.id, row.name, row.state, row.taken, row.position)  # of thousands, whole rows take long
    frames = list(session.scalars(select(row).where(*wanted).options(columns)))
    frames.sort(key=lambda frame: str(frame.id))
    usable = [frame for frame in frames if frame.state != "refused"]
    refused = [frame for frame in frames if frame.state == "refused"]
    ready = by_time and all(frame.taken is not None for frame in frames if frame.state == "ready")
    order = shooting_order([frame.taken if ready else None for frame in usable], [frame.name for frame in usable])
    refused.sort(key=lambda frame: natural(frame.name))
    for position, frame in enumerate([*(usable[index] for index in order), *refused], start=1):
        frame.position = position
    session.flush()


def order_by(session: Session, series: models.SeriesRow, by: Literal["time", "name"]) -> None:
    """Let frames come in the order of their capture times, or of their names."""
    series.ordered_by = by
    session.flush()
    sort_by_time(session, series.id)
    number_setups(session, series.id)


def group_frames(session: Session, series_id: uuid.UUID, frames: list[models.FrameRow], lights: list[Floats]) -> None:
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
            made = models.SetUpRow(series_id=series_id, position=0, name="New set-up")
            session.add(made)
            session.flush()
            frame.setup_id = made.id
    number_setups(session, series_id)


def begin_setup(session: Session, series: models.SeriesRow, frame: models.FrameRow) -> None:
    """Let a new set-up begin with a frame. Raises InvalidChangeError when one begins there already."""
    frames = ready_frames(session, series.id)
    index = _place(frames, frame)
    if index == 0 or frames[index - 1].setup_id != frame.setup_id:
        raise InvalidChangeError("A set-up begins with this frame already.")
    old = frame.setup_id
    made = models.SetUpRow(series_id=series.id, position=0, name="New set-up")
    session.add(made)
    session.flush()
    for later in frames[index:]:
        if later.setup_id != old:
            break
        later.setup_id = made.id
    number_setups(session, series.id)


def join_setup(session: Session, series: models.SeriesRow, frame: models.FrameRow) -> None:
    """Join the set-up that begins with a frame to the one before. Raises InvalidChangeError when none begins there."""
    frames = ready_frames(session, series.id)
    index = _place(frames, frame)
    if index == 0 or frames[index - 1].setup_id == frame.setup_id:
        raise InvalidChangeError("No set-up begins with this frame.")
    old = frame.setup_id
    for later in frames:
        if later.setup_id == old:
            later.setup_id = frames[index - 1].setup_id
    number_setups(session, series.id)


def join_all(session: Session, series: models.SeriesRow) -> None:
    """Make one set-up of all frames. Raises InvalidChangeError where there is one already."""
    frames = ready_frames(session, series.id)
    if len({frame.setup_id for frame in frames}) < 2:
        raise InvalidChangeError("All frames are in one set-up already.")
    for frame in frames:
        frame.setup_id = frames[0].setup_id
    number_setups(session, series.id)


def rename_setup(session: Session, series: models.SeriesRow, setup_id: uuid.UUID, name: str) -> None:
    """Name a set-up. Raises NotFoundError, InvalidChangeError for an empty name."""
    setup = session.get(models.SetUpRow, setup_id)
    if setup is None or setup.series_id != series.id:
        raise NotFoundError
    plain = " ".join(name.split())[:60]
    if not plain:
        raise InvalidChangeError("A set-up needs a name.")
    setup.name = plain


def _place(frames: list[models.FrameRow], frame: models.FrameRow) -> int:
    index = next((i for i, other in enumerate(frames) if other.id == frame.id), None)
    if index is None:
        raise InvalidChangeError("Only frames that have been measured belong to a set-up.")
    return index


def number_setups(session: Session, series_id: uuid.UUID) -> None:
    """Drop set-ups without frames and number the others in shooting order; given names stay."""
    session.flush()
    order = list(dict.fromkeys(frame.setup_id for frame in ready_frames(session, series_id)))
    for setup in list(session.scalars(select(models.SetUpRow).where(models.SetUpRow.series_id == series_id))):
        if setup.id not in order:
            session.delete(setup)
            continue
        setup.position = order.index(setup.id) + 1
        if re.fullmatch(r"Set-up \d+|New set-up", setup.name):
            setup.name = f"Set-up {setup.position}"
    session.flush()
