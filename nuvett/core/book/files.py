"""Kept looks as files: one look with all that it needs, or a whole book of looks and palettes."""

import hashlib
from typing import Any, Literal

from pydantic import Base64Bytes, Field, ValidationError, field_validator

from nuvett.core.book.kept import Kept
from nuvett.core.errors import DocumentError
from nuvett.core.look.refusals import what_is_wrong
from nuvett.core.reading.swatches import SavedPalette
from nuvett.core.types import Document

BOOK_SCHEMA = 1
MAX_NAME, MAX_NOTE, MAX_GROUP = 80, 280, 40
MAX_LOOKS = 500


class Labels(Document):
    """What people know a kept look by.

    use_when : when it is good, in their words; came_from : what it was made of, in ours
    """

    name: str = Field(min_length=1, max_length=MAX_NAME)
    use_when: str = Field(default="", max_length=MAX_NOTE)
    group: str = Field(default="", max_length=MAX_GROUP)
    favourite: bool = False
    strength: float = Field(default=100, ge=0, le=100)
    came_from: str = Field(default="", max_length=MAX_NOTE)


class TableFile(Document):
    """A lookup table that a look uses: what it is called, and the file that it is read from."""

    called: str = Field(default="", max_length=MAX_NAME)
    file: Base64Bytes


class LookFile(Document):
    """One kept look: the document, its labels, and the tables that it names, by their digests."""

    schema_version: Literal[1] = 1
    kind: Literal["kept look"] = "kept look"
    labels: Labels
    kept: Kept
    tables: dict[str, TableFile] = Field(default={}, max_length=24)

    @field_validator("tables")
    @classmethod
    def _are_whole(cls, tables: dict[str, TableFile]) -> dict[str, TableFile]:
        for digest, table in tables.items():
            if hashlib.sha256(table.file).hexdigest() != digest:
                raise ValueError("a lookup table in it is damaged")
        return tables


class GroupedPalette(Document):
    """A palette with the group that it stands in."""

    palette: SavedPalette
    group: str = Field(default="", max_length=MAX_GROUP)


class BookFile(Document):
    """A whole book: kept looks and palettes."""

    schema_version: Literal[1] = 1
    kind: Literal["lookbook"] = "lookbook"
    looks: tuple[LookFile, ...] = Field(default=(), max_length=MAX_LOOKS)
    palettes: tuple[GroupedPalette, ...] = Field(default=(), max_length=MAX_LOOKS)


def read_book(data: Any) -> BookFile:
    """A book from the plain form of a file of one look or of a whole book.

    Raises DocumentError on damage, on newer schemas, and on anything else that is no kept look.
    """
    kind = data.get("kind") if isinstance(data, dict) else None
    if kind not in ("kept look", "lookbook"):
        raise DocumentError("This file is neither a kept look nor a lookbook. Nothing was brought in.")
    try:
        if kind == "lookbook":
            return BookFile.model_validate(data)
        return BookFile(looks=(LookFile.model_validate(data),))
    except (ValidationError, RecursionError) as error:
        if isinstance(error, RecursionError):
            raise DocumentError("This file is damaged. Nothing was brought in.") from error
        raise DocumentError(what_is_wrong(error, kind, BOOK_SCHEMA)) from error
