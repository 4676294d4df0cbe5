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
    created: Mapped[datetime] = mapped_column(default=_now)
    frames: Mapped[list["Frame"]] = relationship(
        order_by="Frame.position", foreign_keys="Frame.series_id", viewonly=True
    )
    references: Mapped[list["Reference"]] = relationship(order_by="Reference.position", viewonly=True)
    setups: Mapped[list["SetUp"]] = relationship(order_by="SetUp.position", viewonly=True)


class SetUp(Base):
    """Consecutive frames shot in one place and light."""

    __tablename__ = "set_up"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    series_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("series.id", ondelete="CASCADE"), index=True)
    position: Mapped[int]
    name: Mapped[str]


class Frame(Base):
    """One photo of a series. `state` is waiting, ready or refused; blobs are named by their SHA-256."""

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
    even: Mapped[Json | None]
    trim: Mapped[Json | None]
    follows_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("look_version.id", ondelete="SET NULL"), index=True)
    created: Mapped[datetime] = mapped_column(default=_now)


class Reference(Base):
    """A picture that is sampled. Weights are percent; `reading` is empty until it has been measured."""

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


class Target(Base):
    """One version of the blend of readings that a series must arrive at."""

    __tablename__ = "target"
    __table_args__ = (UniqueConstraint("series_id", "number"),)

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    series_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("series.id", ondelete="CASCADE"))
    number: Mapped[int]
    document: Mapped[Json]
    created: Mapped[datetime] = mapped_column(default=_now)


class Look(Base):
    """A look being made: its draft, and a revision that rises with every change so that two tabs notice."""

    __tablename__ = "look"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    series_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("series.id", ondelete="CASCADE"), unique=True)
    name: Mapped[str]
    draft: Mapped[Json]
    revision: Mapped[int] = mapped_column(default=1)
    versions: Mapped[list["LookVersion"]] = relationship(order_by="LookVersion.number", viewonly=True)


class LookVersion(Base):
    """A look as it was carried, with the target it aimed at. Never changed."""

    __tablename__ = "look_version"
    __table_args__ = (UniqueConstraint("look_id", "number"),)

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    look_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("look.id", ondelete="CASCADE"))
    target_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("target.id", ondelete="CASCADE"))
    number: Mapped[int]
    document: Mapped[Json]
    created: Mapped[datetime] = mapped_column(default=_now)


class Delivery(Base):
    """A batch of finished files. `state` is waiting, running, done, stopped or failed."""

    __tablename__ = "delivery"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    series_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("series.id", ondelete="CASCADE"), index=True)
    state: Mapped[str] = mapped_column(default="waiting")
    settings: Mapped[Json]
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
    """One named change, with what was before and after; undone ones can be done again until a new change comes."""

    __tablename__ = "history"
    __table_args__ = (Index("ix_history_subject", "subject", "number"),)

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    series_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("series.id", ondelete="CASCADE"), index=True)
    subject: Mapped[str]
    number: Mapped[int]
    words: Mapped[str]
    before: Mapped[Json]
    after: Mapped[Json]
    undone: Mapped[bool] = mapped_column(default=False)
    created: Mapped[datetime] = mapped_column(default=_now)
