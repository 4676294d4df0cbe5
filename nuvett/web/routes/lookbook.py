"""The lookbook: looks by frames, each fitted to the series in view; two beside each other; what is said of each."""

import uuid
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Query
from fastapi.responses import HTMLResponse, Response

from nuvett.core.book.kept import PARTS, Use
from nuvett.core.errors import InvalidChangeError, NotFoundError
from nuvett.core.steps.lookup import TableStep
from nuvett.core.table.expects import EXPECTS
from nuvett.services.lookbook import book, book_list, trials
from nuvett.services.lookbook.starters import add_starters
from nuvett.services.lookbook.table_import import learn_table
from nuvett.services.lookbook.trials import Ground, aimed_with, ground_of, plans_under, row_picture
from nuvett.services.references import palettes
from nuvett.services.series.catalogue import find_series
from nuvett.web.context import FOREVER, Context, Means
from nuvett.web.heavy import heavy, heavy_in_turn
from nuvett.web.views.instruments import HUE_MARKS, palette_bands
from nuvett.web.views.lookbook_views import CELLS, MAX_COLUMNS, Stand, by_suit, key_of, page_of, said_of, stand_of

router = APIRouter(prefix="/lookbook")
_PROPORTION = 2 / 3  # height of a cell over its width
_REFERENCE_EDGE = 200
Show = Literal["all", "favourites", "away", "trial", "palettes"]
Number = Annotated[int | None, Query(ge=1, le=1_000_000)]
Strength = Annotated[float, Query(ge=0, le=100)]


def frames_in(text: str) -> list[uuid.UUID]:
    """Frames named with commas between. Raises InvalidChangeError for what is no frame, or too many."""
    try:
        found = [uuid.UUID(part) for part in text.split(",") if part]
    except ValueError as error:
        raise InvalidChangeError("The frames to try looks on are not named as they are.") from error
    if len(found) > MAX_COLUMNS:
        raise InvalidChangeError(f"Looks are tried on at most {MAX_COLUMNS} frames at once.")
    return found


@router.get("")
@heavy
def show(
    context: Means,
    series: str = "",
    show: Show = "all",
    group: str = "",
    find: str = "",
    sort: book.Sort = "name",
    frames: str = "",
) -> HTMLResponse:
    with context.session() as session:
        add_starters(session)
    asked = book_list.BookFilter("all" if show == "palettes" else show, group, find)
    with context.session() as session:
        stand = stand_of(context.studio, session, series, frames_in(frames))
        page = page_of(context.studio, session, asked, sort, stand)
        saved = [(str(r.id), r.name, r.group, palettes.palette_of(r)) for r in palettes.saved_palettes(session)]
    rows = page.rows
    if sort == "suits" and stand is not None and stand.places and show != "palettes":
        rows = by_suit([(row, said_of(context.studio, row.entry, stand)) for row in rows])
    return context.page(
        "lookbook.html",
        "lookbook",
        page=page,
        rows=rows,
        shown=show,
        parts=PARTS,
        palettes=[(key, name, of, palette_bands(found.colours)) for key, name, of, found in saved],
    )


def _stand(context: Context, slug: str, frames: str) -> Stand:
    with context.session() as session:
        stand = stand_of(context.studio, session, slug, frames_in(frames))
    if stand is None or not stand.places:
        raise NotFoundError
    return stand


def _ground(context: Context, slug: str, frames: str) -> tuple[Ground, list[int]]:
    wanted = frames_in(frames)
    with context.session() as session:
        ground = ground_of(session, find_series(session, slug))
    places = [place for frame in wanted if (place := ground.facts.index_of(frame)) is not None]
    if not places:
        raise NotFoundError
    return ground, places


def _cell(width: int) -> tuple[int, int]:
    if width not in CELLS:
        raise NotFoundError
    return width, round(width * _PROPORTION)


@router.get("/as-came.jpg")
@heavy
def as_came(context: Means, series: str, frames: str, cell: int) -> Response:
    """The frames in view as they came, side by side."""
    ground, places = _ground(context, series, frames)
    row = [(ground.facts[place], None) for place in places]
    return Response(row_picture(context.studio.bench, row, _cell(cell)), media_type="image/jpeg", headers=FOREVER)


@router.get("/{look_id}/row.jpg")
@heavy_in_turn
def row(
    context: Means,
    look_id: uuid.UUID,
    series: str,
    frames: str,
    cell: int,
    number: Number = None,
    strength: Strength = 100,
    key: Annotated[str, Query(alias="as")] = "",
) -> Response:
    """The frames in view under a kept look, side by side.

    key : names all that the row depends on beside the look; a row drawn under it is remembered by its address alone
    """
    bench, address = context.studio.bench, ("row at", str(context.request.url.query), look_id)
    data = bench.pictures.remembered(address)
    if data is None:
        ground, places = _ground(context, series, frames)
        version = _version(context, look_id, number)
        use = Use(strength=strength)
        facts = trials.with_frame_parts(ground.facts, places, version, use)
        plans = plans_under(bench, facts, places, aimed_with(ground, version, use))
        pictures = [(facts[place], plan) for place, plan in zip(places, plans, strict=True)]
        data = row_picture(bench, pictures, _cell(cell))
        if key == key_of(ground, places) and number is not None:
            bench.pictures.remember(address, data)
    return Response(data, media_type="image/jpeg", headers=FOREVER)


def _version(context: Context, look_id: uuid.UUID, number: int | None) -> book.KeptVersion:
    """A version of a look; a lookup table in it that was not read yet is read first, to know what it expects."""
    with context.session() as session:
        version = book.version_of(session, look_id, number)
    digest = version.kept.look.step(TableStep).table.digest
    if not digest or learn_table(context.studio, digest) is None:
        return version
    with context.session() as session:
        return book.version_of(session, look_id, number)


def _entry(context: Context, look_id: uuid.UUID) -> book_list.Entry:
    with context.session() as session:
        found = book_list.entries(session, book_list.BookFilter(only=look_id))
    if not found:
        raise NotFoundError
    return found[0]


@router.get("/{look_id}/words")
@heavy
def words(context: Means, look_id: uuid.UUID, series: str, frames: str) -> HTMLResponse:
    """What goes wrong with a look on the frames in view, and how well it suits them."""
    said = said_of(context.studio, _entry(context, look_id), _stand(context, series, frames))
    return context.part("parts/kept_words.html", said=said)


@router.get("/{look_id}/reference.jpg")
@heavy
def reference(context: Means, look_id: uuid.UUID) -> Response:
    """The reference that a look aims at, small."""
    with context.session() as session:
        row = book.find_kept(session, look_id)
        view, domain = row.thumbnail, row.domain
    if view is None:
        raise NotFoundError
    data = context.studio.bench.pictures.of_view(view, domain, _REFERENCE_EDGE)
    return Response(data, media_type="image/jpeg", headers=FOREVER)


@router.get("/{look_id}")
@heavy
def one(context: Means, look_id: uuid.UUID, series: str = "", frames: str = "") -> HTMLResponse:
    """One look by itself: its row, versions, and what it was worked out from."""
    with context.session() as session:
        look = book.find_kept(session, look_id)
        stand = stand_of(context.studio, session, series, frames_in(frames))
        page = page_of(context.studio, session, book_list.BookFilter(only=look_id), "name", stand)
        values: dict[str, Any] = {
            "versions": [(v.number, v.words, v.created) for v in book_list.versions(session, look_id)],
            "pairs": book_list.pairs_of(session, look_id),
            "found": book_list.found_of(session, look_id),
            "finished": book_list.finished_of(session, look_id),
            "hue_marks": HUE_MARKS,
            "expects": EXPECTS,
            "table": book_list.table_of(session, look_id),
            "look": {"id": str(look.id), "name": look.name, "state": look.state, "starter": bool(look.starter)},
        }
    return context.page("kept_look.html", "kept", page=page, rows=page.rows, parts=PARTS, **values)
