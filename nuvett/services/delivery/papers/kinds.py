"""All kinds of papers that go along with the pictures of a delivery. To add one, see docs/adding.md."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import PurePosixPath

from nuvett.core.reading.card import card_rows, card_svg
from nuvett.core.reading.palette import Palette
from nuvett.core.reading.tokens import write_tokens
from nuvett.core.table.table import USUAL_SIZE
from nuvett.imaging.tables import TableFormat
from nuvett.services.delivery.delivery_settings import Papers
from nuvett.services.delivery.papers.contact_sheet import card_pdf, page_count
from nuvett.services.delivery.papers.parcel import Parcel
from nuvett.services.delivery.papers.record import record_page
from nuvett.services.delivery.papers.showing import pair_of, pairs_sheet, series_strip
from nuvett.services.delivery.papers.telling import record_of, sheet_of, sheet_page
from nuvett.services.delivery.tables_out import shared_table
from nuvett.store import models


@dataclass(frozen=True)
class Ordered:
    """What papers are wanted for: how many frames, which versions of the look, and names of the pictures."""

    papers: Papers
    frames: int
    versions: tuple[int, ...]
    names: tuple[str, ...] = ()


@dataclass(frozen=True)
class PaperKind:
    """One kind of paper.

    name : as rows keep it; files : names of the files that are wanted, none where it is not
    make : bytes of one of its files; last : whether it tells of the other papers too
    """

    name: str
    files: Callable[[Ordered], list[str]]
    make: Callable[[Parcel, models.DeliveryFileRow], bytes]
    last: bool = False


def _table(parcel: Parcel, paper: models.DeliveryFileRow) -> bytes:
    followed = parcel.followed[parcel.place(paper)]
    title, bench = f"{parcel.series.title} v{followed.number}", parcel.studio.bench
    return shared_table(bench, parcel.facts, followed.aimed, TableFormat.CUBE, USUAL_SIZE, title).encode()


def _palette(parcel: Parcel, _: models.DeliveryFileRow) -> bytes:
    target = parcel.followed[-1].aimed.target if parcel.versions else None
    palette: Palette = target.palette if target else ()
    return write_tokens(palette, parcel.series.title).encode()


def _card(parcel: Parcel, paper: models.DeliveryFileRow) -> bytes:
    target = parcel.followed[-1].aimed.target if parcel.versions else None
    palette: Palette = target.palette if target else ()
    if paper.name.endswith(".svg"):
        return card_svg(palette, parcel.series.title).encode()
    return card_pdf(parcel.series.title, card_rows(palette))


def _pair_names(ordered: Ordered) -> list[str]:
    """Names of pairs, after the pictures; those of pictures of one name in several folders get numbers."""
    found: list[str] = []
    for name in ordered.names if ordered.papers.pairs else ():
        stem = f"before and after/{PurePosixPath(name).stem}"
        number = sum(other.startswith((f"{stem}.", f"{stem} (")) for other in found)
        found.append(f"{stem} ({number + 1}).jpg" if number else f"{stem}.jpg")
    return found


def _checksums(parcel: Parcel, paper: models.DeliveryFileRow) -> bytes:
    rows = [made.row for made in parcel.pictures] + [row for row in parcel.papers if row is not paper]
    listed = [row for row in rows if row.state == "done" and row.blob]
    return "".join(f"{row.blob}  {row.name}\n" for row in listed).encode()


def _pages(ordered: Ordered) -> list[str]:
    if ordered.papers.sheet not in ("jpeg", "both"):
        return []
    pages = page_count(ordered.papers, ordered.frames)
    return [f"contact sheet {page}.jpg" for page in range(1, pages + 1)]


PAPERS: tuple[PaperKind, ...] = (
    PaperKind(
        "sheet-pdf",
        lambda o: ["contact sheet.pdf"] if o.papers.sheet in ("pdf", "both") else [],
        lambda parcel, _: sheet_of(parcel),
    ),
    PaperKind("sheet-jpeg", _pages, sheet_page),
    PaperKind("table", lambda o: [f"tables/look v{v}.cube" for v in o.versions] if o.papers.tables else [], _table),
    PaperKind("palette", lambda o: ["palettes/target.json"] if o.papers.palettes else [], _palette),
    PaperKind("card", lambda o: ["palettes/card.svg", "palettes/card.pdf"] if o.papers.cards else [], _card),
    PaperKind("pair", _pair_names, pair_of),
    PaperKind(
        "pairs",
        lambda o: ["before and after.jpg"] if o.papers.pairs else [],
        lambda parcel, _: pairs_sheet(parcel),
    ),
    PaperKind(
        "strip",
        lambda o: ["series strip.jpg"] if o.papers.strip else [],
        lambda parcel, _: series_strip(parcel),
    ),
    PaperKind(
        "record-page",
        lambda o: ["record.html"] if o.papers.record else [],
        lambda parcel, _: record_page(record_of(parcel)).encode(),
    ),
    PaperKind(
        "record-json",
        lambda o: ["record.json"] if o.papers.record else [],
        lambda parcel, _: record_of(parcel).model_dump_json(indent=2).encode(),
    ),
    PaperKind("checksums", lambda o: ["SHA256SUMS"] if o.papers.checksums else [], _checksums, last=True),
)
"""Every kind, in the order in which they are made: those that tell of the others come last."""


def paper_names(ordered: Ordered, kinds: tuple[PaperKind, ...] = PAPERS) -> list[tuple[str, str]]:
    """Kind and name of each paper that is wanted, in the order in which they are made."""
    return [(kind.name, name) for kind in sorted(kinds, key=lambda k: k.last) for name in kind.files(ordered)]
