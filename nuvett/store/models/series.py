"""Series, their frames, references and clips."""

import uuid
from datetime import datetime

from sqlalchemy import BigInteger, ForeignKey, Index, false
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from nuvett.store.models.base import Base, Json, now, one_of


class SeriesRow(Base):
    """A series of frames with its references, target and look.

    ordered_by : "time" or "name", which frames are in order of
    put_away : out of sight at the end of the shelf; deleted : when it went into the bin, from where it can come back
    follow_due : things are still looked for in its frames
    wall_asked : states of its wall that somebody looked at last, while frames of them were not worked out
    """

    __tablename__ = "series"
    __table_args__ = (one_of("series", "ordered_by", "time", "name"),)

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    slug: Mapped[str] = mapped_column(unique=True)
    title: Mapped[str]
    credit: Mapped[str] = mapped_column(default="")
    ordered_by: Mapped[str] = mapped_column(default="time")
    put_away: Mapped[bool] = mapped_column(default=False)
    deleted: Mapped[datetime | None]
    hero_id: Mapped[uuid.UUID | None] = mapped_column(
        ForeignKey("frame.id", ondelete="SET NULL", use_alter=True, name="fk_series_hero"), index=True
    )
    credits: Mapped[Json | None]
    light_due: Mapped[bool] = mapped_column(default=False)
    light_problem: Mapped[str] = mapped_column(default="")
    follow_due: Mapped[bool] = mapped_column(default=False, server_default=false())
    wall_asked: Mapped[str] = mapped_column(default="", server_default="")
    drift_key: Mapped[str] = mapped_column(default="")
    drift_before: Mapped[float | None]
    drift_now: Mapped[float | None]
    created: Mapped[datetime] = mapped_column(default=now)
    frames: Mapped[list["FrameRow"]] = relationship(
        order_by="FrameRow.position", foreign_keys="FrameRow.series_id", viewonly=True
    )
    references: Mapped[list["ReferenceRow"]] = relationship(
        order_by="ReferenceRow.position",
        primaryjoin="and_(SeriesRow.id == ReferenceRow.series_id, ReferenceRow.removed.is_(False))",
        viewonly=True,
    )
    setups: Mapped[list["SetUpRow"]] = relationship(order_by="SetUpRow.position", viewonly=True)


class SeriesRevisionRow(Base):
    """A number that is another one whenever anything changed that a series' frames are shown by; given by triggers."""

    __tablename__ = "series_revision"

    series_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("series.id", ondelete="CASCADE"), primary_key=True)
    revision: Mapped[int] = mapped_column(BigInteger)


class SetUpRow(Base):
    """Consecutive frames shot in one place and light.

    light_key : names what its frames' light was worked out from
    own_key : likewise, of those that are evened with it alone; they come first, others may be held against them
    """

    __tablename__ = "set_up"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    series_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("series.id", ondelete="CASCADE"), index=True)
    position: Mapped[int]
    name: Mapped[str]
    light_key: Mapped[str] = mapped_column(default="")
    own_key: Mapped[str] = mapped_column(default="", server_default="")


class FrameRow(Base):
    """One photo of a series. `state` is waiting, ready, refused, removed or variant; blobs are named by their SHA-256.

    original, companion : blobs of the file, and of a finished picture that the camera wrote beside a raw one
    developed, development : blob of the picture that a raw file became, and how; shot : how it was taken
    lens : which was chosen, and how what it did is undone
    favourite, left_out : marked as wanted most, or as one that is neither carried nor handed over
    lost : refused because its file was missing; it is looked for again
    note : what a person should know of the file
    points, subject : blobs with what can be found again in other frames, and with what stands out in this one
    described : blob with what kind of place each part of it is
    exposure : as the camera wrote it down; faces_followed : its faces are in threads, or a person took them out
    variant_of_id, variant : the frame that this is another version of, and what it is called
    light_alone, light_base_id : light left as it came, or evened by another set-up; else by its own
    """

    __tablename__ = "frame"
    __table_args__ = (
        Index("ix_frame_series_position", "series_id", "position"),
        one_of("frame", "state", "waiting", "ready", "refused", "removed", "variant"),
    )

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    series_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("series.id", ondelete="CASCADE"))
    setup_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("set_up.id", ondelete="SET NULL"), index=True)
    position: Mapped[int]
    name: Mapped[str]
    state: Mapped[str] = mapped_column(default="waiting")
    problem: Mapped[str] = mapped_column(default="")
    lost: Mapped[bool] = mapped_column(default=False)
    original: Mapped[str] = mapped_column(index=True)
    bytes: Mapped[int] = mapped_column(BigInteger)
    format: Mapped[str] = mapped_column(default="")
    width: Mapped[int] = mapped_column(default=0)
    height: Mapped[int] = mapped_column(default=0)
    bits: Mapped[int] = mapped_column(default=8)
    domain: Mapped[str] = mapped_column(default="srgb")
    taken: Mapped[datetime | None]
    view: Mapped[str | None] = mapped_column(index=True)
    sample: Mapped[str | None] = mapped_column(index=True)
    companion: Mapped[str | None] = mapped_column(index=True)
    developed: Mapped[str | None] = mapped_column(index=True)
    development: Mapped[Json | None]
    shot: Mapped[Json | None]
    lens: Mapped[Json | None]
    note: Mapped[str] = mapped_column(default="")
    points: Mapped[str | None] = mapped_column(index=True)
    subject: Mapped[str | None] = mapped_column(index=True)
    described: Mapped[str | None] = mapped_column(index=True)
    exposure: Mapped[float | None]
    even: Mapped[Json | None]
    light_alone: Mapped[bool] = mapped_column(default=False)
    light_base_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("set_up.id", ondelete="SET NULL"), index=True)
    faces: Mapped[Json | None]
    faces_followed: Mapped[bool] = mapped_column(default=False, server_default=false())
    variant_of_id: Mapped[uuid.UUID | None] = mapped_column(
        ForeignKey("frame.id", ondelete="CASCADE", name="fk_frame_variant"), index=True
    )
    variant: Mapped[str] = mapped_column(default="")
    trim: Mapped[Json | None]
    favourite: Mapped[bool] = mapped_column(default=False)
    left_out: Mapped[bool] = mapped_column(default=False)
    trim_revision: Mapped[int] = mapped_column(default=1)
    follows_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("look_version.id", ondelete="SET NULL"), index=True)
    created: Mapped[datetime] = mapped_column(default=now)


class WatchedFolderRow(Base):
    """A folder of this machine whose files become frames of a series as they arrive.

    carries : whether the newest version of the look is carried to them; taken : how many became frames
    problem : why nothing can be taken just now; seen : when it was last looked into
    """

    __tablename__ = "watched_folder"

    series_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("series.id", ondelete="CASCADE"), primary_key=True)
    folder: Mapped[str]
    carries: Mapped[bool] = mapped_column(default=True)
    problem: Mapped[str] = mapped_column(default="")
    taken: Mapped[int] = mapped_column(default=0)
    seen: Mapped[datetime | None]


class WatchedFileRow(Base):
    """A file of a watched folder that has been taken or refused; `stamp` is its size and time of change by then."""

    __tablename__ = "watched_file"

    series_id: Mapped[uuid.UUID] = mapped_column(
        ForeignKey("watched_folder.series_id", ondelete="CASCADE"), primary_key=True
    )
    path: Mapped[str] = mapped_column(primary_key=True)
    stamp: Mapped[Json]
    problem: Mapped[str] = mapped_column(default="")


class ReferenceRow(Base):
    """A picture that is sampled. Weights are percent; `reading` is empty until it has been measured.

    One that was taken out stays, marked as removed, so that taking it out can be undone.

    parts : samplings kept by name, each with its key, name and reading
    frame_id, finished : the frame that it shows as it was finished, and what named all of that then; else empty
    """

    __tablename__ = "reference"
    __table_args__ = (one_of("reference", "state", "waiting", "ready", "refused"),)

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    series_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("series.id", ondelete="CASCADE"), index=True)
    position: Mapped[int]
    name: Mapped[str]
    credit: Mapped[str] = mapped_column(default="")
    state: Mapped[str] = mapped_column(default="waiting")
    problem: Mapped[str] = mapped_column(default="")
    lost: Mapped[bool] = mapped_column(default=False)
    original: Mapped[str] = mapped_column(index=True)
    bytes: Mapped[int] = mapped_column(BigInteger)
    width: Mapped[int] = mapped_column(default=0)
    height: Mapped[int] = mapped_column(default=0)
    domain: Mapped[str] = mapped_column(default="srgb")
    view: Mapped[str | None] = mapped_column(index=True)
    proxy: Mapped[str | None] = mapped_column(index=True)
    sampling: Mapped[Json]
    reading: Mapped[Json | None]
    tone_weight: Mapped[float] = mapped_column(default=100)
    colour_weight: Mapped[float] = mapped_column(default=100)
    frame_id: Mapped[uuid.UUID | None] = mapped_column(
        ForeignKey("frame.id", ondelete="SET NULL", name="fk_reference_frame", use_alter=True), index=True
    )
    finished: Mapped[str] = mapped_column(default="", server_default="")
    parts: Mapped[list[Json] | None] = mapped_column(JSONB(none_as_null=True))
    removed: Mapped[bool] = mapped_column(default=False)


class ClipRow(Base):
    """A film clip that stills are taken from. `state` is waiting, ready or refused.

    index : blob with the presentation times of all its frames
    thumbnails : blob with one picture of evenly spaced frames side by side
    """

    __tablename__ = "clip"
    __table_args__ = (one_of("clip", "state", "waiting", "ready", "refused"),)

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    series_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("series.id", ondelete="CASCADE"), index=True)
    position: Mapped[int]
    name: Mapped[str]
    credit: Mapped[str] = mapped_column(default="")
    state: Mapped[str] = mapped_column(default="waiting")
    problem: Mapped[str] = mapped_column(default="")
    lost: Mapped[bool] = mapped_column(default=False)
    original: Mapped[str] = mapped_column(index=True)
    bytes: Mapped[int] = mapped_column(BigInteger)
    width: Mapped[int] = mapped_column(default=0)
    height: Mapped[int] = mapped_column(default=0)
    frames: Mapped[int] = mapped_column(default=0)
    seconds: Mapped[float] = mapped_column(default=0)
    index: Mapped[str | None] = mapped_column(index=True)
    thumbnails: Mapped[str | None] = mapped_column(index=True)
