"""What all tables share."""

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import CheckConstraint
from sqlalchemy.dialects.postgresql import JSONB, TIMESTAMP
from sqlalchemy.orm import DeclarativeBase

Json = dict[str, Any]


def now() -> datetime:
    """Time that a row is made."""
    return datetime.now(UTC)


class Base(DeclarativeBase):
    type_annotation_map = {Json: JSONB(none_as_null=True), datetime: TIMESTAMP(timezone=True)}  # noqa: RUF012 - SQLAlchemy reads it so


def one_of(table: str, column: str, *values: str) -> CheckConstraint:
    """A column of words holds one of these; the database refuses others."""
    listed = ", ".join(f"'{value}'" for value in values)
    return CheckConstraint(f"{column} IN ({listed})", name=f"ck_{table}_{column}")
