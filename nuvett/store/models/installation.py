"""The installation itself."""

from datetime import datetime

from sqlalchemy import CheckConstraint
from sqlalchemy.orm import Mapped, mapped_column

from nuvett.store.models.base import Base, Json, now


class Installation(Base):
    """One row: the identity that the database and the store of pictures share.

    unused : what a look for unused files found and did not dare to touch without being told; none otherwise
    """

    __tablename__ = "installation"
    __table_args__ = (CheckConstraint("id = 1", name="ck_installation_one_row"),)

    id: Mapped[int] = mapped_column(primary_key=True, default=1)
    identity: Mapped[str]
    unused: Mapped[Json | None]
    created: Mapped[datetime] = mapped_column(default=now)
