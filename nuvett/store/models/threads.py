"""Things that are followed through a series."""

import uuid
from datetime import datetime

from sqlalchemy import ForeignKey, false
from sqlalchemy.orm import Mapped, mapped_column

from nuvett.store.models.base import Base, Json, now, one_of


class ThreadRow(Base):
    """A thing that is followed through a series.

    kind : a thing; faces of one complexion, as they were found; of a person who was named; or what else is of people
    goal : what its colour should be; within : CIEDE2000 that it is held within, none while it is only watched
    followed : names the places that it was last looked for by, and the frames that it was looked for in
    """

    __tablename__ = "thread"
    __table_args__ = (one_of("thread", "kind", "thing", "complexion", "person", "figure"),)

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    series_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("series.id", ondelete="CASCADE"), index=True)
    position: Mapped[int]
    name: Mapped[str]
    kind: Mapped[str] = mapped_column(default="thing", server_default="thing")
    goal: Mapped[Json]
    within: Mapped[float | None]
    followed: Mapped[str] = mapped_column(default="", server_default="")
    created: Mapped[datetime] = mapped_column(default=now)


class ThreadPlaceRow(Base):
    """Where a thing is seen in a frame, as its file has it.

    pointed : places that a person pointed at, each x and y in shares and whether the thing is there
    outline : what was grown from them; choice : how many outlines larger or smaller than the likeliest
    colours : some of its colours, with where they lie; found : whether nobody pointed at it
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
    found: Mapped[bool] = mapped_column(default=False, server_default=false())


class ThreadQuestionRow(Base):
    """Whether a thing is seen in a frame: asked, or answered by no. A yes is a place, and this row is gone.

    place : where it may be, as `place_of_question` reads it; sure : how sure that is, 0 to 1
    """

    __tablename__ = "thread_question"
    __table_args__ = (one_of("thread_question", "state", "asked", "no", "skipped"),)

    thread_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("thread.id", ondelete="CASCADE"), primary_key=True)
    frame_id: Mapped[uuid.UUID] = mapped_column(
        ForeignKey("frame.id", ondelete="CASCADE"), primary_key=True, index=True
    )
    state: Mapped[str]
    place: Mapped[Json]
    sure: Mapped[float] = mapped_column(default=0.0)
