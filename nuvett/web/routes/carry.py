"""Carry: the whole series as a set, under the look."""

import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Query
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from pydantic import BaseModel, ConfigDict, Field

from nuvett.core.errors import InvalidChangeError
from nuvett.core.look.look import Look
from nuvett.core.look.words import LOOK_VALUES
from nuvett.core.reading.column import lightness_marks
from nuvett.core.reading.reading import Target
from nuvett.services.engine.wall import build_wall
from nuvett.services.looks import carried_plans, carrying, heroes, looks, told, wall_states
from nuvett.services.references import kept_references
from nuvett.services.series import frame_facts
from nuvett.services.series.catalogue import find_series, look_of
from nuvett.services.series.rows import Reference
from nuvett.services.series.stages import stages_of
from nuvett.services.threads import threads
from nuvett.services.threads.measuring import Seen
from nuvett.web.context import Context, Means
from nuvett.web.heavy import heavy
from nuvett.web.views.instruments import palette_bands, tone_side
from nuvett.web.views.readings import zone_views
from nuvett.web.views.threads import OnWall, named, on_wall
from nuvett.web.views.tiles import Tile, labels_of, tile_of

router = APIRouter(prefix="/series/{slug}")
Sort = Literal["shooting", "drift", "thread"]
Only = Literal["all", "favourites", "wanted", "left-out"]


class Shown(BaseModel):
    """How a wall is asked for: which state it shows, which one beside it, in what order, and which of its frames."""

    model_config = ConfigDict(extra="ignore")

    show: str = Field(default="", max_length=20)
    beside: str = Field(default="", max_length=20)
    sort: Sort = "shooting"
    thread: str = Field(default="", max_length=40)
    only: Only = "all"
    find: str = Field(default="", max_length=120)

    def finds(self, tile: Tile) -> bool:
        """Whether a frame is among those that are asked for."""
        kept = {"favourites": tile.favourite, "wanted": not tile.left_out, "left-out": tile.left_out}
        return kept.get(self.only, True) and self.find.strip().lower() in tile.name.lower()


@dataclass(frozen=True)
class ReferenceShare:
    """A reference that has a part in the target."""

    id: str
    name: str
    tone: float
    colour: float


def _shares(rows: Sequence[Reference]) -> list[ReferenceShare]:
    tone = sum(row.tone_weight for row in rows) or 1
    colour = sum(row.colour_weight for row in rows) or 1
    return [
        ReferenceShare(str(row.id), row.name, 100 * row.tone_weight / tone, 100 * row.colour_weight / colour)
        for row in rows
        if row.tone_weight or row.colour_weight
    ]


def _wall_values(context: Context, slug: str, shown: Shown) -> dict[str, Any]:
    with context.session() as session:
        series = find_series(session, slug)
        facts = frame_facts.series_facts(session, series)
        state = carrying.carry_state(session, series, len(facts.firsts))
        key = shown.show or wall_states.usual_state(state)
        wanted = wall_states.state_of(session, series, facts, key)
        other = wall_states.state_of(session, series, facts, shown.beside) if shown.beside else None
        draft = looks.draft_of(session, series)
        labels = labels_of(series)
        shares = _shares(kept_references.ready_references(session, series.id, readings=False))
        chosen = wall_states.choices(state), wall_states.versions(session, series)
        ways = wall_states.ways(draft)
        followed, hero = threads.names_of(session, series.id), series.hero_id
        asked = next((uuid.UUID(one) for one, _ in followed if one == shown.thread), None)
        thread = threads.threads_of(session, series.id, asked)[0] if asked else None
    bench = context.studio.bench
    wall = build_wall(bench, facts, wanted.aims, wanted.show)
    beside = build_wall(bench, facts, other.aims, other.show) if other else None
    tiles = [
        tile_of(slug, item, labels[item.frame.id], beside=beside.items[place] if beside else None)
        for place, item in enumerate(wall.items)
    ]
    found = [tile for tile in tiles if shown.finds(tile)]
    run = [tile for tile in tiles if not tile.variant]
    names = named([(uuid.UUID(tile.id), tile.name) for tile in run])
    along = on_wall(bench, Seen(facts, wanted.aims, wanted.show, hero), thread, names) if thread else None
    return {
        "slug": slug,
        "show": key,
        "beside": shown.beside,
        "sort": shown.sort,
        "only": shown.only,
        "query": shown.find,
        "choices": chosen[0],
        "versions": chosen[1],
        "ways": ways,
        "tiles": _in_order(found, shown.sort, along),
        "thread_names": followed,
        "along": along,
        "hidden": len(tiles) - len(found),
        "run": run,
        "run_names": [brief for _, brief in names.values()],
        "wall": wall,
        "beside_wall": beside,
        "stand_out": [tile for tile in tiles if tile.outlier],
        "target": _target(draft.target) if draft.target else None,
        "state": state,
        "shares": shares,
    }


def _in_order(tiles: list[Tile], sort: Sort, along: OnWall | None) -> list[Tile]:
    """Tiles in shooting order, by drift, or along a thread: those that show it, the farthest off first."""
    if sort == "thread" and along is not None:
        return sorted(tiles, key=lambda tile: (tile.id not in along.tiles, -_off(tile, along)))
    return sorted(tiles, key=lambda tile: -(tile.drift or 0)) if sort == "drift" else tiles


def _off(tile: Tile, along: OnWall) -> float:
    return along.tiles[tile.id].off if tile.id in along.tiles else 0.0


def _target(target: Target) -> dict[str, Any]:
    return {
        "bands": palette_bands(target.palette),
        "tone": tone_side(target.statistics.lightness),
        "marks": tuple(lightness_marks(target.statistics.lightness).values()),
        "zones": zone_views(target),
    }


@router.get("/carry")
@heavy
def show(context: Means, slug: str, shown: Annotated[Shown, Query()]) -> HTMLResponse:
    values = _wall_values(context, slug, shown)
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
def wall(context: Means, slug: str, shown: Annotated[Shown, Query()]) -> HTMLResponse:
    return context.part("parts/wall.html", **_wall_values(context, slug, shown))


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
