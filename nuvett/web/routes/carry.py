"""Carry: the whole series as a set, under the look."""

from dataclasses import dataclass
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Query
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response

from nuvett.core.errors import InvalidChangeError
from nuvett.core.look.look import Look
from nuvett.core.look.words import LOOK_VALUES
from nuvett.core.reading.column import lightness_marks
from nuvett.core.reading.reading import Target
from nuvett.services import carrying, frame_facts, kept_references, looks
from nuvett.services.catalogue import find_series, look_of
from nuvett.services.stages import stages_of
from nuvett.services.wall import Show, Wall, build_wall
from nuvett.web.context import Context, Means
from nuvett.web.heavy import heavy
from nuvett.web.instruments import palette_bands, tone_side
from nuvett.web.readings import zone_views
from nuvett.web.tiles import Labels, Tile, tile_of

router = APIRouter(prefix="/series/{slug}")
Sort = Literal["shooting", "drift"]


@dataclass(frozen=True)
class ReferenceShare:
    """A reference that has a part in the target."""

    id: str
    name: str
    tone: float
    colour: float


def _shares(rows: list[Any]) -> list[ReferenceShare]:
    tone = sum(row.tone_weight for row in rows) or 1
    colour = sum(row.colour_weight for row in rows) or 1
    return [
        ReferenceShare(str(row.id), row.name, 100 * row.tone_weight / tone, 100 * row.colour_weight / colour)
        for row in rows
        if row.tone_weight or row.colour_weight
    ]


def _wall_values(context: Context, slug: str, show: Show, sort: Sort) -> dict[str, Any]:
    with context.session() as session:
        series = find_series(session, slug)
        aimed = looks.draft_of(session, series)
        facts = frame_facts.series_facts(session, series)
        followed = carrying.versions_followed(session, series)
        labels = {
            frame.id: Labels(
                frame.name,
                frame.id == series.hero_id,
                f"v{followed[frame.id].number}" if frame.id in followed else "",
                frame.favourite,
            )
            for frame in series.frames
        }
        state = carrying.carry_state(session, series, len(facts.firsts))
        shares = _shares(kept_references.ready_references(session, series.id, readings=False))
    wall = build_wall(context.studio.bench, facts, aimed, show)
    tiles = [tile_of(slug, item, labels[item.frame.id], position) for position, item in enumerate(wall.items, start=1)]
    return {
        "slug": slug,
        "show": show,
        "sort": sort,
        "tiles": sorted(tiles, key=lambda t: -(t.drift or 0)) if sort == "drift" else tiles,
        "run": [tile for tile in tiles if not tile.variant],
        "wall": wall,
        "stand_out": _stand_out(tiles, wall),
        "target": _target(aimed.target) if aimed else None,
        "state": state,
        "shares": shares,
    }


def _stand_out(tiles: list[Tile], wall: Wall) -> list[Tile]:
    return [tile for tile in tiles if tile.outlier]


def _target(target: Target) -> dict[str, Any]:
    return {
        "bands": palette_bands(target.palette),
        "tone": tone_side(target.statistics.lightness),
        "marks": tuple(lightness_marks(target.statistics.lightness).values()),
        "zones": zone_views(target),
    }


@router.get("/carry")
@heavy
def show(
    context: Means, slug: str, show: Annotated[Show, Query()] = Show.LOOK, sort: Annotated[Sort, Query()] = "shooting"
) -> HTMLResponse:
    values = _wall_values(context, slug, show, sort)
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
            **values,
        )


@router.get("/carry/wall")
@heavy
def wall(
    context: Means, slug: str, show: Annotated[Show, Query()] = Show.LOOK, sort: Annotated[Sort, Query()] = "shooting"
) -> HTMLResponse:
    return context.part("parts/wall.html", **_wall_values(context, slug, show, sort))


@router.get("/carry/pull")
@heavy
def suggested_pull(context: Means, slug: str) -> JSONResponse:
    """The pull that suits the series, with the reason in words."""
    with context.session() as session:
        series = find_series(session, slug)
        aimed, facts = looks.draft_of(session, series), frame_facts.series_facts(session, series)
    if aimed is None or not facts:
        raise InvalidChangeError("A pull can be suggested once there are frames and a target.")
    found = context.studio.bench.planner.suggested_pull(facts, aimed)
    return JSONResponse({"pull": found.pull, "words": found.words})


@router.post("/carry")
def carry(context: Means, slug: str) -> Response:
    with context.session() as session:
        carrying.carry(session, find_series(session, slug))
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
