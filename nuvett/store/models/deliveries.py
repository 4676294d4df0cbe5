"""Deliveries and their files."""

import uuid
from datetime import datetime

from sqlalchemy import BigInteger, ForeignKey, Index, text
from sqlalchemy.orm import Mapped, mapped_column, relationship

from nuvett.store.models.base import Base, Json, now, one_of


class DeliveryRow(Base):
    """A batch of finished files. `state` is waiting, running, done or stopped; `problem` says what it waits for.

    started : when its making began, anew each time that it goes on
    """

    __tablename__ = "delivery"
    __table_args__ = (one_of("delivery", "state", "waiting", "running", "done", "stopped"),)

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    series_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("series.id", ondelete="CASCADE"), index=True)
    state: Mapped[str] = mapped_column(default="waiting")
    settings: Mapped[Json]
    problem: Mapped[str] = mapped_column(default="")
    created: Mapped[datetime] = mapped_column(default=now)
    started: Mapped[datetime | None]
    finished: Mapped[datetime | None]
    files: Mapped[list["DeliveryFileRow"]] = relationship(order_by="DeliveryFileRow.position", viewonly=True)


class DeliveryFileRow(Base):
    """One file of a delivery: waiting, done or failed. The look version it is planned by is fixed when it is ordered.

    kind : picture, or the paper that it is; output : which kind of file of the settings a picture is
    placed : stamp of the file that was put into the delivery's folder, to know it again
    name : with the folders that it lies in; version_id, plan : the look version, and the plan by it once it is made
    """

    __tablename__ = "delivery_file"
    __table_args__ = (
        one_of("delivery_file", "state", "waiting", "done", "failed"),
        Index("ix_delivery_file_waiting", "delivery_id", "position", postgresql_where=text("state = 'waiting'")),
    )

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    delivery_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("delivery.id", ondelete="CASCADE"), index=True)
    frame_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("frame.id", ondelete="SET NULL"), index=True)
    position: Mapped[int]
    name: Mapped[str]
    kind: Mapped[str] = mapped_column(default="picture")
    output: Mapped[int] = mapped_column(default=0)
    version_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("look_version.id", ondelete="SET NULL"), index=True)
    plan: Mapped[Json]
    state: Mapped[str] = mapped_column(default="waiting")
    problem: Mapped[str] = mapped_column(default="")
    blob: Mapped[str | None] = mapped_column(index=True)
    bytes: Mapped[int] = mapped_column(BigInteger, default=0)
    placed: Mapped[Json | None]
    finished: Mapped[datetime | None]


class KeptSettingsRow(Base):
    """Settings of a delivery, kept by name to be used on any series."""

    __tablename__ = "kept_settings"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    name: Mapped[str] = mapped_column(unique=True)
    document: Mapped[Json]
