"""What all tables share."""

from collections.abc import Iterable
from datetime import UTC, datetime
from typing import Any, TypeVar, cast

from sqlalchemy import CheckConstraint, ColumnElement, Table, any_, bindparam
from sqlalchemy.dialects.postgresql import ARRAY, JSONB, TIMESTAMP
from sqlalchemy.orm import DeclarativeBase, InstrumentedAttribute

T = TypeVar("T")

Json = dict[str, Any]


def now() -> datetime:
    """Time that a row is made."""
    return datetime.now(UTC)


class Base(DeclarativeBase):
    type_annotation_map = {Json: JSONB(none_as_null=True), datetime: TIMESTAMP(timezone=True)}  # noqa: RUF012 - SQLAlchemy reads it so


def table_of(kind: type[Base]) -> Table:
    """The table of a kind of rows, for statements that write many rows without objects."""
    return cast(Table, kind.__table__)


def among(column: InstrumentedAttribute[T], values: Iterable[T]) -> ColumnElement[bool]:
    """Whether a column is one of many values, which are sent as one: the statement stays the same for any of them."""
    return column == any_(bindparam(None, list(values), type_=ARRAY(column.type)))


def one_of(table: str, column: str, *values: str) -> CheckConstraint:
    """A column of words holds one of these; the database refuses others."""
    listed = ", ".join(f"'{value}'" for value in values)
    return CheckConstraint(f"{column} IN ({listed})", name=f"ck_{table}_{column}")
