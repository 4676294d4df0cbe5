"""The lookbook: kept looks, lookup tables, what looks were worked out from; palettes."""

import uuid
from datetime import datetime

from sqlalchemy import ForeignKey, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from nuvett.store.models.base import Base, Json, now, one_of


class PaletteRow(Base):
    """A palette saved by name, for any series."""

    __tablename__ = "palette"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    name: Mapped[str] = mapped_column(unique=True)
    group: Mapped[str] = mapped_column(default="")
    document: Mapped[Json]
    created: Mapped[datetime] = mapped_column(default=now)


class KeptLookRow(Base):
    """A look in the lookbook. `state` is kept, away, or trial while it has only been worked out.

    starter : the name of one that came with the application, whose versions are not changed; empty otherwise
    came_from : what it was made of, in words; thumbnail : blob of a view of the reference it aims at, in a domain
    strength : that it is used at, in percent; used : when it was used last
    """

    __tablename__ = "kept_look"
    __table_args__ = (one_of("kept_look", "state", "kept", "away", "trial"),)

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
    domain: Mapped[str] = mapped_column(default="srgb")
    created: Mapped[datetime] = mapped_column(default=now)
    used: Mapped[datetime | None]
    versions: Mapped[list["KeptVersionRow"]] = relationship(order_by="KeptVersionRow.number", viewonly=True)


class KeptVersionRow(Base):
    """One version of a kept look: its document without the target, which stands by itself. Never changed."""

    __tablename__ = "kept_version"
    __table_args__ = (UniqueConstraint("look_id", "number"),)

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    look_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("kept_look.id", ondelete="CASCADE"))
    target_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("target.id"), index=True)
    number: Mapped[int]
    document: Mapped[Json]
    words: Mapped[str] = mapped_column(default="")
    created: Mapped[datetime] = mapped_column(default=now)


class LookupTableRow(Base):
    """A lookup table that was brought in or worked out. `state` is waiting until it has been read, ready or refused.

    file : blob of the file, whose name is also what looks know the table by
    expects, words : the encoding that it seems to be meant for, and why; kind : what it is
    """

    __tablename__ = "lookup_table"
    __table_args__ = (one_of("lookup_table", "state", "waiting", "ready", "refused"),)

    file: Mapped[str] = mapped_column(primary_key=True)
    name: Mapped[str]
    state: Mapped[str] = mapped_column(default="waiting")
    problem: Mapped[str] = mapped_column(default="")
    kind: Mapped[str] = mapped_column(default="")
    expects: Mapped[str] = mapped_column(default="srgb")
    words: Mapped[str] = mapped_column(default="")
    created: Mapped[datetime] = mapped_column(default=now)


class PairRow(Base):
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


class FinishedRow(Base):
    """A finished picture that a look is read from, with blobs of its view, in a domain, and its sample."""

    __tablename__ = "finished"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    look_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("kept_look.id", ondelete="CASCADE"), index=True)
    position: Mapped[int]
    name: Mapped[str]
    view: Mapped[str] = mapped_column(index=True)
    domain: Mapped[str] = mapped_column(default="srgb")
    sample: Mapped[str] = mapped_column(index=True)


class WorkedOutRow(Base):
    """What working out a look from pairs or from finished pictures found, in figures, by the look."""

    __tablename__ = "worked_out"

    look_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("kept_look.id", ondelete="CASCADE"), primary_key=True)
    document: Mapped[Json]
