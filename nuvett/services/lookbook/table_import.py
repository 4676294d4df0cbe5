"""Lookup tables brought in: each is kept as it came and stands in the lookbook as a look of its own at once."""

import os
import uuid
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from io import BytesIO

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from nuvett.core.book.files import MAX_NAME, Labels
from nuvett.core.book.kept import USUAL_PARTS, Kept, bare_look
from nuvett.core.errors import MissingBlobError, TableError
from nuvett.core.steps.lookup import TableStep
from nuvett.core.table.cube import read_head, refuse_cut_off
from nuvett.core.table.expects import Expects, guess
from nuvett.core.table.held import HeldTable
from nuvett.services.engine.tables import suffix_of
from nuvett.services.lookbook.book import FreeNames
from nuvett.services.platform.blobs import keeping
from nuvett.services.platform.incoming import display_name
from nuvett.services.platform.locks import Lock, hold
from nuvett.services.platform.studio import Studio
from nuvett.store import models

BROUGHT_IN = "Brought in"
_FIRST = "Brought in"  # words of the first version of a table's look
_MAX_BYTES = 80_000_000
_HEAD = 20_000  # bytes in which the head of a Cube must end


@dataclass(frozen=True)
class Incoming:
    """A file that is brought in."""

    name: str
    data: bytes


def table_look(held: HeldTable, called: str, expects: Expects = "srgb") -> Kept:
    """A kept look that is one table and nothing else; it aims at nothing."""
    step = TableStep(on=True, table=held, called=called[:MAX_NAME], expects=expects)
    return Kept(look=bare_look().with_step(step), parts=USUAL_PARTS)


@dataclass
class BroughtIn:
    """What became of files that were brought in: names of new looks, how many were there already, and refusals."""

    made: list[str] = field(default_factory=list)
    again: int = 0
    refused: list[tuple[str, str]] = field(default_factory=list)


def bring_in_tables(studio: Studio, files: Sequence[Incoming], group: str = "") -> BroughtIn:
    """Keep tables' files and put a look of each into the book; one that is there already is not kept again.

    Only their heads are looked at now; the rest is read when it is first shown. What is no table is refused in words.
    """
    found = BroughtIn()
    kinds: dict[int, str] = {}
    for n, incoming in enumerate(files):
        try:
            kinds[n] = _kind_of(incoming)
        except TableError as error:
            found.refused.append((incoming.name, error.message))
    with studio.database.session() as session:
        keep = keeping(session, studio)
        with ThreadPoolExecutor(os.cpu_count()) as pool:
            blobs = dict(zip(kinds, pool.map(lambda n: keep.put(BytesIO(files[n].data))[0], kinds), strict=True))
        hold(session, Lock.BOOK)  # names are given one after the other
        tables = models.LookupTableRow
        known = {r.file: r for r in session.scalars(select(tables).where(tables.file.in_(blobs.values())))}
        names, versions = FreeNames.of(session), []
        for n, blob in blobs.items():
            row = known.get(blob)
            if row is not None and row.state != "refused":
                found.again += 1
                continue
            name = display_name(files[n].name)[:MAX_NAME]
            if row is None:
                row = known[blob] = tables(file=blob, name=name)
                session.add(row)
            row.kind, row.state, row.problem = kinds[n], "waiting", ""
            came = f"{files[n].name[:120]}; {kinds[n]}"
            labels = Labels(name=names.taken(name), group=group or BROUGHT_IN, came_from=came)
            versions.append(_added(session, labels, table_look(HeldTable(blob), name)))
            found.made.append(labels.name)
        session.flush()
        session.add_all(versions)
    return found


def _added(session: Session, labels: Labels, kept: Kept) -> models.KeptVersionRow:
    """Add a look that aims at nothing; its first version, to be added once all looks are there."""
    look = models.KeptLookRow(id=uuid.uuid4(), **labels.model_dump())
    session.add(look)
    document = kept.model_dump(mode="json")
    return models.KeptVersionRow(look_id=look.id, number=1, document=document, words=_FIRST)


def _kind_of(incoming: Incoming) -> str:
    """What a file is by its head. Raises TableError for what is no table."""
    if not incoming.data or len(incoming.data) > _MAX_BYTES:
        raise TableError("The file is empty." if not incoming.data else "The file is too large to be a lookup table.")
    if b"\0" in incoming.data[:_HEAD]:
        raise TableError("This is no lookup table: it is not text.")
    suffix = suffix_of(incoming.data)
    if suffix != ".cube":
        return {".clf": "Common LUT Format", ".cdl": "ASC CDL", ".cc": "ASC CDL", ".ccc": "ASC CDL"}[suffix]
    head = read_head(incoming.data[:_HEAD].decode("utf-8", "replace"))
    refuse_cut_off(head, incoming.data.rstrip().count(b"\n") + 1)
    return f"Cube, {head.words}"


def learn_table(studio: Studio, digest: str) -> models.LookupTableRow | None:
    """Read a table that waits, and remember what it seems to expect, or why it cannot be used; its row.

    Looks that hold it as it came are told what it expects. No transaction is open while it is read.
    """
    with studio.database.session() as session:
        row = session.get(models.LookupTableRow, digest)
        if row is None or row.state != "waiting":
            return row
    try:
        found = guess(studio.bench.tables.read(digest))
        values = {"state": "ready", "expects": found.expects, "words": found.words}
    except (TableError, MissingBlobError) as error:
        values = {"state": "refused", "problem": error.message}
    with studio.database.session() as session:
        table = models.LookupTableRow
        waits = update(table).where(table.file == digest, table.state == "waiting")
        session.execute(waits.values(**values))
        if values["state"] == "ready" and values["expects"] != "srgb":
            _tell_looks(session, digest, values["expects"])
        return session.get(table, digest)


def _tell_looks(session: Session, digest: str, expects: str) -> None:
    """Give looks that were made of a table before it was read what it expects."""
    version = models.KeptVersionRow
    step = version.document["look"]["table"]
    query = select(version).where(step["table"].astext == digest, version.number == 1, version.words == _FIRST)
    for row in session.scalars(query):
        document = {**row.document, "look": {**row.document["look"]}}
        document["look"]["table"] = {**document["look"]["table"], "expects": expects}
        row.document = document
