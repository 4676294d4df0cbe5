"""Tables. Documents (looks, trims, readings, targets) are JSONB beside the columns that are queried."""

import uuid
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import BigInteger, ForeignKey, Index, UniqueConstraint
from sqlalchemy.dialects.postgresql import JSONB, TIMESTAMP
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

Json = dict[str, Any]


def _now() -> datetime:
    return datetime.now(UTC)


class Base(DeclarativeBase):
    type_annotation_map = {Json: JSONB(none_as_null=True), datetime: TIMESTAMP(timezone=True)}  # noqa: RUF012 - SQLAlchemy reads it so


class Series(Base):
    """A series of frames with its references, target and look."""

    __tablename__ = "series"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    slug: Mapped[str] = mapped_column(unique=True)
    title: Mapped[str]
    credit: Mapped[str] = mapped_column(default="")
    hero_id: Mapped[uuid.UUID | None] = mapped_column(
        ForeignKey("frame.id", ondelete="SET NULL", use_alter=True, name="fk_series_hero")
    )
    light_due: Mapped[bool] = mapped_column(default=False)
    light_problem: Mapped[str] = mapped_column(default="")
    drift_key: Mapped[str] = mapped_column(default="")
    drift_before: Mapped[float | None]
    drift_now: Mapped[float | None]
    created: Mapped[datetime] = mapped_column(default=_now)
    frames: Mapped[list["Frame"]] = relationship(
        order_by="Frame.position", foreign_keys="Frame.series_id", viewonly=True
    )
    references: Mapped[list["Reference"]] = relationship(
        order_by="Reference.position",
        primaryjoin="and_(Series.id == Reference.series_id, Reference.removed.is_(False))",
        viewonly=True,
    )
    setups: Mapped[list["SetUp"]] = relationship(order_by="SetUp.position", viewonly=True)


class SetUp(Base):
    """Consecutive frames shot in one place and light; `light_key` names what its frames' light was worked out from."""

    __tablename__ = "set_up"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    series_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("series.id", ondelete="CASCADE"), index=True)
    position: Mapped[int]
    name: Mapped[str]
    light_key: Mapped[str] = mapped_column(default="")


class Frame(Base):
    """One photo of a series. `state` is waiting, ready, refused, removed or variant; blobs are named by their SHA-256.

    points, subject : blobs with what can be found again in other frames, and with what stands out in this one
    exposure : as the camera wrote it down
    variant_of_id, variant : the frame that this is another version of, and what it is called
    light_alone, light_base_id : light left as it came, or evened by another set-up; else by its own
    """

    __tablename__ = "frame"
    __table_args__ = (Index("ix_frame_series_position", "series_id", "position"),)

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    series_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("series.id", ondelete="CASCADE"))
    setup_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("set_up.id", ondelete="SET NULL"), index=True)
    position: Mapped[int]
    name: Mapped[str]
    state: Mapped[str] = mapped_column(default="waiting")
    problem: Mapped[str] = mapped_column(default="")
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
    points: Mapped[str | None] = mapped_column(index=True)
    subject: Mapped[str | None] = mapped_column(index=True)
    exposure: Mapped[float | None]
    even: Mapped[Json | None]
    light_alone: Mapped[bool] = mapped_column(default=False)
    light_base_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("set_up.id", ondelete="SET NULL"), index=True)
    faces: Mapped[Json | None]
    variant_of_id: Mapped[uuid.UUID | None] = mapped_column(
        ForeignKey("frame.id", ondelete="CASCADE", name="fk_frame_variant"), index=True
    )
    variant: Mapped[str] = mapped_column(default="")
    trim: Mapped[Json | None]
    trim_revision: Mapped[int] = mapped_column(default=1)
    follows_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("look_version.id", ondelete="SET NULL"), index=True)
    created: Mapped[datetime] = mapped_column(default=_now)


class Reference(Base):
    """A picture that is sampled. Weights are percent; `reading` is empty until it has been measured.

    One that was taken out stays, marked as removed, so that taking it out can be undone.
    """

    __tablename__ = "reference"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    series_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("series.id", ondelete="CASCADE"), index=True)
    position: Mapped[int]
    name: Mapped[str]
    credit: Mapped[str] = mapped_column(default="")
    state: Mapped[str] = mapped_column(default="waiting")
    problem: Mapped[str] = mapped_column(default="")
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
    removed: Mapped[bool] = mapped_column(default=False)


class Clip(Base):
    """A film clip that stills are taken from. `state` is waiting, ready or refused.

    index : blob with the presentation times of all its frames
    thumbnails : blob with one picture of evenly spaced frames side by side
    """

    __tablename__ = "clip"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    series_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("series.id", ondelete="CASCADE"), index=True)
    position: Mapped[int]
    name: Mapped[str]
    credit: Mapped[str] = mapped_column(default="")
    state: Mapped[str] = mapped_column(default="waiting")
    problem: Mapped[str] = mapped_column(default="")
    original: Mapped[str] = mapped_column(index=True)
    bytes: Mapped[int] = mapped_column(BigInteger)
    width: Mapped[int] = mapped_column(default=0)
    height: Mapped[int] = mapped_column(default=0)
    frames: Mapped[int] = mapped_column(default=0)
    seconds: Mapped[float] = mapped_column(default=0)
    index: Mapped[str | None] = mapped_column(index=True)
    thumbnails: Mapped[str | None] = mapped_column(index=True)


class Palette(Base):
    """A palette saved by name, for any series."""

    __tablename__ = "palette"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    name: Mapped[str] = mapped_column(unique=True)
    group: Mapped[str] = mapped_column(default="")
    document: Mapped[Json]
    created: Mapped[datetime] = mapped_column(default=_now)


class Target(Base):
    """One version of the blend of readings that a series must arrive at; or what a kept look aims at.

    series_id : none for one that belongs to the lookbook; those are never changed
    digest : of the document, for those of the lookbook, so that the same one is kept once
    name : given by a person who kept this version; empty otherwise
    sources : state of the references it was blended from, to go back to
    """

    __tablename__ = "target"
    __table_args__ = (UniqueConstraint("series_id", "number"),)

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    series_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("series.id", ondelete="CASCADE"))
    number: Mapped[int]
    document: Mapped[Json]
    digest: Mapped[str | None] = mapped_column(unique=True)
    name: Mapped[str] = mapped_column(default="")
    sources: Mapped[Json | None]
    created: Mapped[datetime] = mapped_column(default=_now)


class Look(Base):
    """A look being made: its draft, and a revision that rises with every change so that two tabs notice.

    proofs : frames chosen to try the look on, none for the most different ones
    target_id : what the draft aims at, none for the series' own newest target
    origin : the kept look it came from, as `services.origins` has it
    """

    __tablename__ = "look"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    series_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("series.id", ondelete="CASCADE"), unique=True)
    name: Mapped[str]
    draft: Mapped[Json]
    revision: Mapped[int] = mapped_column(default=1)
    proofs: Mapped[Json | None]
    target_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("target.id", name="fk_look_target"))
    origin: Mapped[Json | None]
    versions: Mapped[list["LookVersion"]] = relationship(order_by="LookVersion.number", viewonly=True)


class LookVersion(Base):
    """A look as it was carried, with the target it aimed at, and the kept look it came from. Never changed."""

    __tablename__ = "look_version"
    __table_args__ = (UniqueConstraint("look_id", "number"),)

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    look_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("look.id", ondelete="CASCADE"))
    target_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("target.id"))
    number: Mapped[int]
    document: Mapped[Json]
    origin: Mapped[Json | None]
    created: Mapped[datetime] = mapped_column(default=_now)


class KeptLook(Base):
    """A look in the lookbook. `state` is kept, away, or trial while it has only been worked out.

    starter : the name of one that came with the application, whose versions are not changed; empty otherwise
    came_from : what it was made of, in words; thumbnail : blob of the reference it aims at
    strength : that it is used at, in percent; used : when it was used last
    """

    __tablename__ = "kept_look"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    name: Mapped[str]
    use_when: Mapped[str] = mapped_column(default="")
    group: Mapped[str] = mapped_column(default="")
    favourite: Mapped[bool] = mapped_column(default=False)
    strength: Mapped[float] = mapped_column(default=100)
    state: Mapped[str] = mapped_column(default="kept", index=True)
    starter: Mapped[str] = mapped_column(default="", index=True)
    came_from: Mapped[str] = mapped_column(default="")
    thumbnail: Mapped[str | None] = mapped_column(index=True)
    created: Mapped[datetime] = mapped_column(default=_now)
    used: Mapped[datetime | None]
    versions: Mapped[list["KeptVersion"]] = relationship(order_by="KeptVersion.number", viewonly=True)


class KeptVersion(Base):
    """One version of a kept look: its document without the target, which stands by itself. Never changed."""

    __tablename__ = "kept_version"
    __table_args__ = (UniqueConstraint("look_id", "number"),)

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    look_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("kept_look.id", ondelete="CASCADE"))
    target_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("target.id"))
    number: Mapped[int]
    document: Mapped[Json]
    words: Mapped[str] = mapped_column(default="")
    created: Mapped[datetime] = mapped_column(default=_now)


class LookupTable(Base):
    """A lookup table that was brought in or worked out. `state` is waiting until it has been read, ready or refused.

    file : blob of the file, whose name is also what looks know the table by
    expects, words : the encoding that it seems to be meant for, and why; kind : what it is
    """

    __tablename__ = "lookup_table"

    file: Mapped[str] = mapped_column(primary_key=True)
    name: Mapped[str]
    state: Mapped[str] = mapped_column(default="waiting")
    problem: Mapped[str] = mapped_column(default="")
    kind: Mapped[str] = mapped_column(default="")
    expects: Mapped[str] = mapped_column(default="srgb")
    words: Mapped[str] = mapped_column(default="")
    created: Mapped[datetime] = mapped_column(default=_now)


class Pair(Base):
    """Before and after of one picture, laid over each other, that a look was worked out from.

    before, after, veil : blobs of small views, and of what hides where they agree
    """

    __tablename__ = "pair"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    look_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("kept_look.id", ondelete="CASCADE"), index=True)
    position: Mapped[int]
    name: Mapped[str]
    words: Mapped[str] = mapped_column(default="")
    before: Mapped[str] = mapped_column(index=True)
    after: Mapped[str] = mapped_column(index=True)
    veil: Mapped[str] = mapped_column(index=True)


class Finished(Base):
    """A finished picture that a look is read from, with blobs of its view and its sample."""

    __tablename__ = "finished"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    look_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("kept_look.id", ondelete="CASCADE"), index=True)
    position: Mapped[int]
    name: Mapped[str]
    view: Mapped[str] = mapped_column(index=True)
    sample: Mapped[str] = mapped_column(index=True)


class WorkedOut(Base):
    """What working out a look from pairs or from finished pictures found, in figures, by the look."""

    __tablename__ = "worked_out"

    look_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("kept_look.id", ondelete="CASCADE"), primary_key=True)
    document: Mapped[Json]


class Plan(Base):
    """A frame plan by its content hash, which stands in addresses of pictures. `seen` is when a page last named it."""

    __tablename__ = "plan"

    key: Mapped[str] = mapped_column(primary_key=True)
    document: Mapped[Json]
    seen: Mapped[datetime] = mapped_column(default=_now, index=True)


class Delivery(Base):
    """A batch of finished files. `state` is waiting, running, done or stopped; `problem` says what it waits for."""

    __tablename__ = "delivery"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    series_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("series.id", ondelete="CASCADE"), index=True)
    state: Mapped[str] = mapped_column(default="waiting")
    settings: Mapped[Json]
    problem: Mapped[str] = mapped_column(default="")
    created: Mapped[datetime] = mapped_column(default=_now)
    finished: Mapped[datetime | None]
    files: Mapped[list["DeliveryFile"]] = relationship(order_by="DeliveryFile.position", viewonly=True)


class DeliveryFile(Base):
    """One file of a delivery: waiting, done or failed. The plan it was made by is fixed when it is ordered."""

    __tablename__ = "delivery_file"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    delivery_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("delivery.id", ondelete="CASCADE"), index=True)
    frame_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("frame.id", ondelete="SET NULL"), index=True)
    position: Mapped[int]
    name: Mapped[str]
    plan: Mapped[Json]
    state: Mapped[str] = mapped_column(default="waiting")
    problem: Mapped[str] = mapped_column(default="")
    blob: Mapped[str | None] = mapped_column(index=True)
    bytes: Mapped[int] = mapped_column(BigInteger, default=0)


class History(Base):
    """One named change of a subject, with what was before and after.

    Changes form a tree: `parent` is the number of the change that this one was made upon. Those on the way to the
    present are plain; `undone` ones lie ahead and can be done again; those on other branches are `aside`.
    """

    __tablename__ = "history"
    __table_args__ = (UniqueConstraint("subject", "number"),)

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    series_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("series.id", ondelete="CASCADE"), index=True)
    subject: Mapped[str]
    number: Mapped[int]
    words: Mapped[str]
    before: Mapped[Json]
    after: Mapped[Json]
    parent: Mapped[int | None]
    undone: Mapped[bool] = mapped_column(default=False)
    aside: Mapped[bool] = mapped_column(default=False)
    created: Mapped[datetime] = mapped_column(default=_now)
