"""The shelf: all series, each as one strip."""

from dataclasses import dataclass
from typing import Annotated

from fastapi import APIRouter, Form
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from nuvett.services.carrying import versions_followed
from nuvett.services.catalogue import delete_series, find_series, start_series, sweep
from nuvett.services.demo import has_demo, load_demo
from nuvett.services.frame_facts import series_facts
from nuvett.services.shelf import Standing, measure_series, standings
from nuvett.services.strips import strip
from nuvett.web.context import FOREVER, Means
from nuvett.web.heavy import heavy
from nuvett.web.instruments import Band, palette_bands

router = APIRouter()


@dataclass(frozen=True)
class ShelfRow:
    """One series on the shelf, with its target as bands."""

    standing: Standing
    target: list[Band]


@router.get("/")
def show(context: Means) -> HTMLResponse:
    with context.session() as session:
        rows = [ShelfRow(standing, palette_bands(standing.target)) for standing in standings(session)]
        demo = has_demo(session, context.studio)
    return context.page("shelf.html", "shelf", rows=rows, demo_loaded=demo)


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


@router.post("/series/{slug}/delete")
def delete(context: Means, slug: str) -> Response:
    with context.session() as session:
        names = delete_series(session, find_series(session, slug))
    with context.session() as session:
        sweep(session, context.studio.blobs, names)
    return RedirectResponse("/", 303)
