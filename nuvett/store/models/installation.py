"""The installation itself."""

from datetime import datetime

from sqlalchemy import CheckConstraint
from sqlalchemy.orm import Mapped, mapped_column

from nuvett.store.models.base import Base, Json, now


class InstallationRow(Base):
    """One row: the identity that the database and the store of pictures share.

    unused : what a look for unused files found and did not dare to touch without being told; none otherwise
    """

    __tablename__ = "installation"
    __table_args__ = (CheckConstraint("id = 1", name="ck_installation_one_row"),)

    id: Mapped[int] = mapped_column(primary_key=True, default=1)
    identity: Mapped[str]
    unused: Mapped[Json | None]
    created: Mapped[datetime] = mapped_column(default=now)


class SignedInRow(Base):
    """A session of somebody who signed in, by the SHA-256 of its secret name; `used` is about when it was last used."""

    __tablename__ = "signed_in"

    key: Mapped[str] = mapped_column(primary_key=True)
    used: Mapped[datetime] = mapped_column(index=True)


class FailedAttemptRow(Base):
    """Attempts to sign in that failed from one address, and until when that has to wait."""

    __tablename__ = "failed_attempt"

    address: Mapped[str] = mapped_column(primary_key=True)
    count: Mapped[int]
    until: Mapped[datetime] = mapped_column(index=True)
