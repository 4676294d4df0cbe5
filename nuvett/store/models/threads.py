"""Things that are followed through a series."""

import uuid
from datetime import datetime

from sqlalchemy import ForeignKey
from sqlalchemy.orm import Mapped, mapped_column

from nuvett.store.models.base import Base, Json, now


class Thread(Base):
    """A thing that is followed through a series.

    goal : what its colour should be; within : CIEDE2000 that it is held within, none while it is only watched
    """

    __tablename__ = "thread"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    series_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("series.id", ondelete="CASCADE"), index=True)
    position: Mapped[int]
    name: Mapped[str]
    goal: Mapped[Json]
    within: Mapped[float | None]
    created: Mapped[datetime] = mapped_column(default=now)


class ThreadPlace(Base):
    """Where a thing is seen in a frame, as its file has it.

    pointed : places that a person pointed at, each x and y in shares and whether the thing is there
    outline : what was grown from them; choice : how many outlines larger or smaller than the likeliest
    colours : some of its colours, with where they lie
    """

    __tablename__ = "thread_place"

    thread_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("thread.id", ondelete="CASCADE"), primary_key=True)
    frame_id: Mapped[uuid.UUID] = mapped_column(
        ForeignKey("frame.id", ondelete="CASCADE"), primary_key=True, index=True
    )
    pointed: Mapped[Json]
    outline: Mapped[Json]
    colours: Mapped[Json]
    choice: Mapped[int] = mapped_column(default=0)
