"""Lookup tables that were brought in: read from their files, remembered while memory lasts."""

import re
import tempfile
from pathlib import Path

from nuvett.core.book.kept import Kept
from nuvett.core.errors import MissingBlobError, TableError
from nuvett.core.look.look import Look
from nuvett.core.look.tables import tables_of
from nuvett.core.look.trim import Trim
from nuvett.core.table.held import HeldTable
from nuvett.imaging.tables import TableFormat, read_table
from nuvett.services.caching.caches import Cache
from nuvett.store.blobs import BlobStore

_TWICE = 2  # times a table's own bytes: with what the colour library makes of it
_MARKS = (
    (re.compile(rb"<(\w+:)?ProcessList\b"), TableFormat.CLF.value),
    (re.compile(rb"<(\w+:)?ColorDecisionList\b"), TableFormat.CDL.value),
    (re.compile(rb"<(\w+:)?ColorCorrectionCollection\b"), ".ccc"),
    (re.compile(rb"<(\w+:)?ColorCorrection\b"), ".cc"),
)
_LOOKED_AT = 4096  # bytes in which the kind of an XML file must show


def suffix_of(data: bytes) -> str:
    """Suffix that the content of a table's file goes by, whatever it is called."""
    if data.lstrip()[:1] != b"<":
        return TableFormat.CUBE.value
    head = data[:_LOOKED_AT]
    return next((suffix for mark, suffix in _MARKS if mark.search(head)), TableFormat.CLF.value)


def table_in(data: bytes, digest: str) -> HeldTable:
    """The table of a file's bytes, by the digest of them. Raises TableError for anything that is not a usable table."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"table{suffix_of(data)}"
        path.write_bytes(data)
        return HeldTable(digest, read_table(path))


def tables_in(kept: Kept) -> dict[str, str]:
    """Digests of the tables that a kept look uses, each with what it is called there."""
    return tables_of(kept.look) | (tables_of(kept.trim) if kept.trim else {})


class Tables:
    """Tables by the digests of their files."""

    def __init__(self, blobs: BlobStore, kept: Cache) -> None:
        self._blobs, self._kept = blobs, kept

    def read(self, digest: str) -> HeldTable:
        """A table with its colours. Raises MissingBlobError, and TableError as `table_in`."""
        held: HeldTable | None = self._kept.peek(("table", digest))
        if held is not None:
            return held
        made = table_in(self._blobs.read(digest), digest)
        weight = _TWICE * int(made.colours.nbytes) if made.colours is not None else 0
        return self._kept.get(("table", digest), lambda: made, weight)

    def find(self, digest: str) -> HeldTable | None:
        """A table with its colours, none where it is not kept or cannot be read."""
        try:
            return self.read(digest)
        except (MissingBlobError, TableError):
            return None

    def missing(self, document: Look | Trim) -> str:
        """What the first table of a document is called that is not kept here; empty where all are."""
        return next((called for digest, called in tables_of(document).items() if self.find(digest) is None), "")

    def files_of(self, kept: Kept) -> dict[str, tuple[str, bytes]]:
        """What each table of a kept look is called, and the bytes of its file. Raises MissingBlobError."""
        return {digest: (called, self._blobs.read(digest)) for digest, called in tables_in(kept).items()}
