"""Carry: the whole series as a set, under the look."""

from typing import Annotated

from fastapi import APIRouter, Query
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response

from nuvett.core.errors import InvalidChangeError
from nuvett.core.look.look import Look
from nuvett.core.look.words import LOOK_VALUES
from nuvett.services.looks import carried_plans, carrying, heroes, looks, told, wall_jobs
from nuvett.services.series import frame_facts
from nuvett.services.series.catalogue import find_series, look_of
from nuvett.services.series.stages import stages_of
from nuvett.web.context import Means
from nuvett.web.heavy import heavy
from nuvett.web.views.carry_wall import WallQuery, wall_values

router = APIRouter(prefix="/series/{slug}")


@router.get("/carry")
@heavy
def show(context: Means, slug: str, shown: Annotated[WallQuery, Query()]) -> HTMLResponse:
    values = wall_values(context, slug, shown)
    with context.session() as session:
        series = find_series(session, slug)
        row = look_of(session, series)
        return context.page(
            "carry.html",
            "carry",
            series=series,
            stages=stages_of(session, series),
            look=Look.model_validate(row.draft).model_dump(mode="json"),
            revision=row.revision,
            values=LOOK_VALUES,
            carrying=told.carrying_words(session, series),
            **values,
        )


@router.get("/carry/wall")
@heavy
def wall(
    context: Means, slug: str, shown: Annotated[WallQuery, Query()], start: Annotated[int, Query(ge=0)] = 0
) -> HTMLResponse:
    return context.part("parts/wall.html", **wall_values(context, slug, shown, start))


@router.get("/carry/tiles")
@heavy
def tiles(
    context: Means, slug: str, shown: Annotated[WallQuery, Query()], start: Annotated[int, Query(ge=0)] = 0
) -> HTMLResponse:
    """Tiles of a wall from a place on, as they are looked for."""
    return context.part("parts/wall_tiles.html", **wall_values(context, slug, shown, start) | {"paged": True})


@router.get("/carry/filling")
def filling(context: Means, slug: str, show: Annotated[str, Query(max_length=20)]) -> JSONResponse:
    """How many frames of a state of the wall are worked out."""
    with context.session() as session:
        found = wall_jobs.filling_of(context.studio, session, slug, show)
    return JSONResponse({"known": found.known, "frames": found.frames})


@router.delete("/carry/filling", status_code=204)
def leave(context: Means, slug: str, stopped: bool = False) -> None:
    """Work out no more of the wall: somebody stopped it, or left the page."""
    with context.session() as session:
        wall_jobs.leave_wall(session, find_series(session, slug), stopped)


@router.get("/carry/pull")
@heavy
def suggested_pull(context: Means, slug: str) -> JSONResponse:
    """The pull that suits the series, with the reason in words."""
    with context.session() as session:
        series = find_series(session, slug)
        aimed, facts = looks.draft_of(session, series), frame_facts.series_facts(session, series)
    if not facts:
        raise InvalidChangeError("A pull can be suggested once there are frames and a target.")
    found = context.studio.bench.planner.suggested_pull(facts, aimed)
    return JSONResponse({"pull": found.pull, "words": found.words})


@router.post("/carry")
def carry(context: Means, slug: str) -> Response:
    with context.session() as session:
        series = find_series(session, slug)
        carrying.carry(session, series, heroes.frames_to_carry(session, series))
        carried_plans.queue_keep_carried(session, context.studio, series.id)
    return RedirectResponse(f"/series/{slug}/carry", 303)


@router.post("/carry/renew")
def renew(context: Means, slug: str) -> Response:
    """Carry anew what frames follow, where they would come out otherwise today."""
    with context.session() as session:
        series = find_series(session, slug)
        carrying.renew(session, series)
        carried_plans.queue_keep_carried(session, context.studio, series.id)
    return RedirectResponse(f"/series/{slug}/carry", 303)


@router.post("/carry/undo")
def undo(context: Means, slug: str) -> Response:
    with context.session() as session:
        carrying.walk_carry(session, find_series(session, slug), forward=False)
    return RedirectResponse(f"/series/{slug}/carry", 303)


@router.post("/carry/redo")
def redo(context: Means, slug: str) -> Response:
    with context.session() as session:
        carrying.walk_carry(session, find_series(session, slug), forward=True)
    return RedirectResponse(f"/series/{slug}/carry", 303)
