"""The shelf: all series, each as one strip."""

from dataclasses import dataclass
from typing import Annotated

from fastapi import APIRouter, Form
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from nuvett.services.looks.carrying import versions_followed
from nuvett.services.platform import checkup
from nuvett.services.series.catalogue import find_series, start_series
from nuvett.services.series.frame_facts import series_facts
from nuvett.services.shelf import filing
from nuvett.services.shelf.demo import has_demo, load_demo
from nuvett.services.shelf.shelf import ShelfSeries, measure_series, standings
from nuvett.services.shelf.strips import strip
from nuvett.web.context import FOREVER, Means
from nuvett.web.heavy import heavy
from nuvett.web.views.instruments import Band, palette_bands

router = APIRouter()


@dataclass(frozen=True)
class ShelfRow:
    """One series on the shelf, with its target as bands."""

    standing: ShelfSeries
    target: list[Band]


@router.get("/")
def show(context: Means) -> HTMLResponse:
    with context.session() as session:
        rows = [ShelfRow(standing, palette_bands(standing.target)) for standing in standings(session)]
        demo = has_demo(session, context.studio)
        deleted, asked = filing.in_bin(session), checkup.question_of_unused(session)
    shown, away = ([row for row in rows if row.standing.put_away is put] for put in (False, True))
    return context.page(
        "shelf.html",
        "shelf",
        rows=shown,
        away=away,
        demo_loaded=demo,
        deleted=deleted,
        unused=asked,
        quarantine=checkup.in_quarantine(context.studio),
        bin_days=filing.BIN_DAYS,
        kept_days=checkup.KEPT_DAYS,
    )


@router.get("/series/{slug}/drift")
@heavy
def drift(context: Means, slug: str) -> HTMLResponse:
    """Mean drift of a series as it came and now, measured anew."""
    with context.session() as session:
        series_id = find_series(session, slug).id
    return context.part("parts/shelf_drift.html", drift=measure_series(context.studio, series_id))


@router.get("/series/{slug}/strip.jpg")
@heavy
def strip_picture(context: Means, slug: str) -> Response:
    with context.session() as session:
        series = find_series(session, slug)
        facts, followed = series_facts(session, series), versions_followed(session, series)
    jpeg = strip(context.studio.bench, facts, followed)
    return Response(jpeg, media_type="image/jpeg", headers=FOREVER)


@router.post("/series")
def start(context: Means, title: Annotated[str, Form()], credit: Annotated[str, Form()] = "") -> Response:
    with context.session() as session:
        slug = start_series(session, title, credit).slug
    return RedirectResponse(f"/series/{slug}/gather", 303)


@router.post("/demo")
def demo(context: Means) -> Response:
    with context.session() as session:
        slug = load_demo(session, context.studio).slug
    return RedirectResponse(f"/series/{slug}/gather", 303)


@router.post("/series/{slug}/rename")
def rename(context: Means, slug: str, title: Annotated[str, Form()]) -> Response:
    with context.session() as session:
        filing.rename_series(find_series(session, slug), title)
    return _back()


@router.post("/series/{slug}/duplicate")
def duplicate(context: Means, slug: str) -> Response:
    with context.session() as session:
        filing.duplicate_series(session, slug)
    return _back()


@router.post("/series/{slug}/put-away")
def put_away(context: Means, slug: str, away: Annotated[bool, Form()] = True) -> Response:
    with context.session() as session:
        filing.put_away(find_series(session, slug), away)
    return _back()


@router.post("/series/{slug}/delete")
def delete(context: Means, slug: str) -> Response:
    """Put a series into the bin."""
    with context.session() as session:
        filing.delete_series(session, find_series(session, slug))
    return _back()


@router.post("/bin/{slug}/bring-back")
def bring_back(context: Means, slug: str) -> Response:
    with context.session() as session:
        filing.bring_back(find_series(session, slug, in_bin=True))
    return _back()


@router.post("/bin/{slug}/remove")
def remove(context: Means, slug: str) -> Response:
    """Have a series in the bin removed for good, in the background."""
    with context.session() as session:
        filing.remove_for_good(session, context.studio, find_series(session, slug, in_bin=True))
    return _back()


@router.post("/unused")
def unused(context: Means, take: Annotated[bool, Form()]) -> Response:
    """Say what becomes of files that nothing uses, where they are too many to be put away unasked."""
    if take:
        checkup.take_unused(context.studio)
    else:
        checkup.leave_unused(context.studio)
    return _back()


@router.post("/quarantine/empty")
def empty_quarantine(context: Means) -> Response:
    """Remove what lies in quarantine now, to make room."""
    checkup.empty_quarantine(context.studio)
    return _back()


def _back() -> Response:
    return RedirectResponse("/", 303)
