"""What all tables share."""

from datetime import UTC, datetime
from typing import Any, cast

from sqlalchemy import CheckConstraint, Table
from sqlalchemy.dialects.postgresql import JSONB, TIMESTAMP
from sqlalchemy.orm import DeclarativeBase

Json = dict[str, Any]


def now() -> datetime:
    """Time that a row is made."""
    return datetime.now(UTC)


class Base(DeclarativeBase):
    type_annotation_map = {Json: JSONB(none_as_null=True), datetime: TIMESTAMP(timezone=True)}  # noqa: RUF012 - SQLAlchemy reads it so


def table_of(kind: type[Base]) -> Table:
    """The table of a kind of rows, for statements that write many rows without objects."""
    return cast(Table, kind.__table__)


def one_of(table: str, column: str, *values: str) -> CheckConstraint:
    """A column of words holds one of these; the database refuses others."""
    listed = ", ".join(f"'{value}'" for value in values)
    return CheckConstraint(f"{column} IN ({listed})", name=f"ck_{table}_{column}")
