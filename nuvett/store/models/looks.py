"""Looks of series, what they aim at, plans, and histories."""

import uuid
from datetime import datetime

from sqlalchemy import ForeignKey, UniqueConstraint, false
from sqlalchemy.orm import Mapped, mapped_column, relationship

from nuvett.core.computation import COMPUTATION
from nuvett.store.models.base import Base, Json, now


class TargetRow(Base):
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
    created: Mapped[datetime] = mapped_column(default=now)


class LookRow(Base):
    """A look being made: its draft, and a revision that rises with every change so that two tabs notice.

    proofs : frames chosen to try the look on, none for the most different ones
    target_id : what the draft aims at, none for the series' own newest target
    by_hand : whether it aims at nothing, because it was made before there was any target
    origin : the kept look it came from, as `services.origins` has it
    """

    __tablename__ = "look"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    series_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("series.id", ondelete="CASCADE"), unique=True)
    name: Mapped[str]
    draft: Mapped[Json]
    revision: Mapped[int] = mapped_column(default=1)
    proofs: Mapped[Json | None]
    target_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("target.id", name="fk_look_target"), index=True)
    by_hand: Mapped[bool] = mapped_column(default=False, server_default=false())
    origin: Mapped[Json | None]
    versions: Mapped[list["LookVersionRow"]] = relationship(order_by="LookVersionRow.number", viewonly=True)


class LookVersionRow(Base):
    """A look as it was carried, with the target it aimed at if any, and the kept look it came from. Never changed.

    computation : the version of the computation that it was carried under
    """

    __tablename__ = "look_version"
    __table_args__ = (UniqueConstraint("look_id", "number"),)

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    look_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("look.id", ondelete="CASCADE"))
    target_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("target.id"), index=True)
    number: Mapped[int]
    document: Mapped[Json]
    origin: Mapped[Json | None]
    computation: Mapped[int] = mapped_column(default=COMPUTATION)
    created: Mapped[datetime] = mapped_column(default=now)


class CarriedPlanRow(Base):
    """What a version did to a frame when it was carried, by the key of its plan without a trim.

    basis : names what of the frame's own it depended on; computation : the version of the computation that made it
    """

    __tablename__ = "carried_plan"

    frame_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("frame.id", ondelete="CASCADE"), primary_key=True)
    version_id: Mapped[uuid.UUID] = mapped_column(
        ForeignKey("look_version.id", ondelete="CASCADE"), primary_key=True, index=True
    )
    key: Mapped[str] = mapped_column(index=True)
    basis: Mapped[str]
    computation: Mapped[int] = mapped_column(default=COMPUTATION)


class PlanRow(Base):
    """A frame plan by its content hash, which stands in addresses of pictures. `seen` is when a page last named it."""

    __tablename__ = "plan"

    key: Mapped[str] = mapped_column(primary_key=True)
    document: Mapped[Json]
    seen: Mapped[datetime] = mapped_column(default=now, index=True)


class MeasuredRow(Base):
    """A document by a name of all that it depends on. `seen` is when it was last asked for, by a day or so."""

    __tablename__ = "measured"

    key: Mapped[str] = mapped_column(primary_key=True)
    document: Mapped[str]
    seen: Mapped[datetime] = mapped_column(default=now, index=True)


class HistoryRow(Base):
    """One named change of a subject, with what was before and after.

    Changes form a tree: `parent` is the number of the change that this one was made upon. Those on the way to the
    present are plain; `undone` ones lie ahead and can be done again; those on other branches are `aside`.
    `name` is one that a person gave to what was reached.
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
    name: Mapped[str] = mapped_column(default="", server_default="")
    created: Mapped[datetime] = mapped_column(default=now)
