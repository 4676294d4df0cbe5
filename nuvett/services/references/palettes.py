"""Palettes saved by name, for any series."""

import uuid

from sqlalchemy import select
from sqlalchemy.orm import Session

from nuvett.core.book.files import MAX_GROUP
from nuvett.core.errors import InvalidChangeError, NotFoundError
from nuvett.core.reading.palette import Palette
from nuvett.core.reading.swatches import SavedPalette, read_palette
from nuvett.store import models

_MAX = 500
_LARGEST_FILE = 1_000_000


def saved_palettes(session: Session) -> list[models.PaletteRow]:
    """All saved palettes, by name."""
    return list(session.scalars(select(models.PaletteRow).order_by(models.PaletteRow.name)))


def find_palette_row(session: Session, palette_id: uuid.UUID) -> models.PaletteRow:
    """A saved palette. Raises NotFoundError."""
    row = session.get(models.PaletteRow, palette_id)
    if row is None:
        raise NotFoundError
    return row


def palette_of(row: models.PaletteRow) -> SavedPalette:
    """The palette that a row holds."""
    return SavedPalette.model_validate(row.document)


def save_palette(session: Session, name: str, palette: Palette) -> models.PaletteRow:
    """Save a palette; a name that is taken gets a number. Raises InvalidChangeError without a name."""
    plain = " ".join(name.split())[:70]
    if not plain:
        raise InvalidChangeError("A palette needs a name to be saved by.")
    taken = set(session.scalars(select(models.PaletteRow.name)))
    if len(taken) >= _MAX:
        raise InvalidChangeError(f"At most {_MAX} palettes are kept; delete some first.")
    free = next(n for n in (plain, *(f"{plain} {i}" for i in range(2, len(taken) + 3))) if n not in taken)
    document = SavedPalette(name=free, colours=palette)
    row = models.PaletteRow(name=free, document=document.model_dump(mode="json"))
    session.add(row)
    session.flush()
    return row


def bring_in_palette(session: Session, data: bytes, file_name: str) -> models.PaletteRow:
    """Save a palette from a file. Raises DocumentError when it holds none."""
    found = read_palette(data[:_LARGEST_FILE], file_name)
    return save_palette(session, found.name, found.colours)


def rename_palette(session: Session, palette_id: uuid.UUID, name: str) -> models.PaletteRow:
    """Give a palette another name. Raises NotFoundError, InvalidChangeError for a name that is empty or taken."""
    row = find_palette_row(session, palette_id)
    plain = " ".join(name.split())[:70]
    other = session.scalars(select(models.PaletteRow).where(models.PaletteRow.name == plain)).first()
    if not plain or (other is not None and other.id != row.id):
        raise InvalidChangeError("A palette needs a name of its own; nothing was changed.")
    row.name = plain
    row.document = palette_of(row).model_copy(update={"name": plain}).model_dump(mode="json")
    return row


def group_palette(session: Session, palette_id: uuid.UUID, group: str) -> None:
    """Put a palette into a group, or into none. Raises NotFoundError."""
    find_palette_row(session, palette_id).group = " ".join(group.split())[:MAX_GROUP]


def delete_palette(session: Session, palette_id: uuid.UUID) -> None:
    """Delete a saved palette. Raises NotFoundError."""
    session.delete(find_palette_row(session, palette_id))
