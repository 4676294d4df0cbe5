"""View models of the lookbook: rows of looks by columns of frames, and what is said of each."""

import hashlib
import uuid
from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy.orm import Session

from nuvett.core.book.kept import Use
from nuvett.core.errors import NuvettError
from nuvett.core.table.expects import EXPECTS
from nuvett.services.engine.wall import choose_proofs
from nuvett.services.engine.workbench import Workbench
from nuvett.services.lookbook.book import version_of
from nuvett.services.lookbook.book_list import BookFilter, Counts, Entry, counts, entries
from nuvett.services.lookbook.health import in_short
from nuvett.services.lookbook.table_import import learn_table
from nuvett.services.lookbook.trials import Ground, aimed_with, ground_of, health_of, suit_on, with_frame_parts
from nuvett.services.looks.looks import proofs_of
from nuvett.services.platform.studio import Studio
from nuvett.services.series.catalogue import find_series, list_series, look_of
from nuvett.services.series.labels import labels_of
from nuvett.web.views.frame_lists import Choice, choices_around
from nuvett.web.views.instruments import Band, palette_bands

COLUMNS, MAX_COLUMNS = 5, 8
CELLS = (180, 320)
"""Widths of cells in pixels that rows are drawn with, for usual windows and for wide ones."""


@dataclass(frozen=True)
class TrialColumn:
    """One frame that looks are tried on."""

    id: str
    name: str
    hero: bool


@dataclass(frozen=True)
class SeriesInView:
    """The series in view: frames as columns, of `count` to choose from, and what its rows depend on."""

    slug: str
    title: str
    columns: list[TrialColumn]
    frames: list[Choice]
    count: int
    query: str
    others: list[tuple[str, str]]


@dataclass(frozen=True)
class Row:
    """One look as a row: what is known of it without drawing anything."""

    entry: Entry
    bands: list[Band]
    pictures: list[tuple[str, int]]
    words: str = ""
    suits: str = ""


@dataclass(frozen=True)
class Stand:
    """A series with its frames made ready for trying looks on, and the places of the columns among them."""

    ground: Ground
    places: list[int]
    view: SeriesInView


def stand_of(studio: Studio, session: Session, slug: str, chosen: Sequence[uuid.UUID]) -> Stand | None:
    """The series in view; the newest one with measured frames unless one is named. None before there is any frame."""
    series = find_series(session, slug) if slug else None
    every = list_series(session)
    for candidate in [series] if series else every:
        if candidate is None:
            continue
        ground = ground_of(session, candidate)
        if not ground.facts and not series:
            continue
        wanted = tuple(chosen) or proofs_of(look_of(session, candidate))
        places = choose_proofs(studio.bench, ground.facts, wanted, COLUMNS)[:MAX_COLUMNS] if ground.facts else []
        labels = labels_of(session, candidate)
        shown = [ground.facts[place].id for place in places]
        query = f"series={candidate.slug}&frames={','.join(str(ground.facts[place].id) for place in places)}"
        view = SeriesInView(
            candidate.slug,
            candidate.title,
            [TrialColumn(str(own), labels[own].name, labels[own].hero) for own in shown],
            choices_around(ground.facts, labels, places[0] if places else 0),
            len(ground.facts),
            query,
            [(other.slug, other.title) for other in every if other.id != candidate.id],
        )
        return Stand(ground, places, view)
    return None


def key_of(ground: Ground, places: Sequence[int]) -> str:
    """Names all that pictures of rows depend on beside the look: frames, draft and what it aims at."""
    parts = (
        ground.facts.key,
        *(ground.facts[p].key for p in places),
        ground.draft.model_dump_json(),
        ground.target_key,
    )
    return hashlib.sha256(repr(parts).encode()).hexdigest()[:16]


def row_of(entry: Entry, stand: Stand | None, words: str = "", suits: str = "") -> Row:
    """A look as a row on the frames in view."""
    pictures = []
    if stand is not None and stand.places and not entry.problem:
        key = key_of(stand.ground, stand.places)
        at = f"/lookbook/{entry.id}/row.jpg?{stand.view.query}&number={entry.number}"
        at += f"&strength={entry.strength:g}&as={key}"
        pictures = [(f"{at}&cell={cell}", cell * len(stand.places)) for cell in CELLS]
    return Row(entry, palette_bands(entry.palette), pictures, words, suits)


def row_address(entry: Entry, ground: Ground, frames: Sequence[uuid.UUID], cell: int) -> str:
    """Address of a look drawn on some frames of a series, each in a cell of a width."""
    places = [place for frame in frames if (place := ground.facts.index_of(frame)) is not None]
    at = f"/lookbook/{entry.id}/row.jpg?series={ground.slug}&frames={','.join(str(f) for f in frames)}"
    return f"{at}&number={entry.number}&strength={entry.strength:g}&as={key_of(ground, places)}&cell={cell}"


@dataclass(frozen=True)
class Page:
    """All that the page of the lookbook shows."""

    asked: BookFilter
    sort: str
    counts: Counts
    rows: list[Row]
    as_came: list[tuple[str, int]]
    view: SeriesInView | None

    @property
    def link(self) -> str:
        """The series and frames in view, for addresses."""
        return self.view.query if self.view else ""


def page_of(studio: Studio, session: Session, asked: BookFilter, sort: str, stand: Stand | None) -> Page:
    """The page with its looks in the order asked for, by name or by when they were used last."""
    found = entries(session, asked)
    if sort == "used":
        found.sort(key=lambda e: (e.used is None, -(e.used.timestamp() if e.used else 0)))
    rows = [row_of(entry, stand) for entry in found]
    came = []
    if stand is not None and stand.places:
        at = f"/lookbook/as-came.jpg?{stand.view.query}&as={key_of(stand.ground, stand.places)}"
        came = [(f"{at}&cell={cell}", cell * len(stand.places)) for cell in CELLS]
    return Page(asked, sort, counts(session), rows, came, stand.view if stand else None)


@dataclass(frozen=True)
class Said:
    """What is said of a look on the frames in view.

    cost : sorts by how well it suits; problem : why it cannot be tried
    expects, why : what a table takes colours as, and what that was told from
    """

    words: str = ""
    suits: str = ""
    cost: float = float("inf")
    aims: bool = True
    problem: str = ""
    expects: str = ""
    why: str = ""


def said_of(studio: Studio, entry: Entry, stand: Stand) -> Said:
    """What goes wrong with a look on the frames in view, and how well it suits them; a table is read if need be."""
    expects = why = ""
    if entry.table:
        table = learn_table(studio, entry.table)
        if table is None or table.state == "refused":
            return Said(problem=table.problem if table else "Its lookup table is not kept here any more.")
        expects = f"expects {EXPECTS[table.expects]}"  # type: ignore[index]
        why = table.words
    try:
        with studio.database.session() as session:
            version = version_of(session, entry.id)
        use = Use(strength=entry.strength)
        bench: Workbench = studio.bench
        facts = with_frame_parts(stand.ground.facts, stand.places, version, use)
        aimed = aimed_with(stand.ground, version, use)
        suit = suit_on(bench, facts, stand.places, aimed, version.kept.aims)
        words = in_short(health_of(bench, facts, stand.places, aimed))
    except NuvettError as error:
        return Said(problem=error.message)
    return Said(words, suit.words, suit.cost, version.kept.aims, "", expects, why)


def by_suit(rows: Sequence[tuple[Row, Said]]) -> list[Row]:
    """Rows in the order in which their looks suit the frames in view; those that aim at nothing after the others."""
    ordered = sorted(rows, key=lambda pair: (bool(pair[1].problem), not pair[1].aims, pair[1].cost))
    return [Row(row.entry, row.bands, row.pictures, said.words, said.suits) for row, said in ordered]
