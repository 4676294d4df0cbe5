"""View models of the wall on Carry: its tiles page by page, its run, and what is said of all of it."""

import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

from pydantic import Field

from nuvett.core.planning.run import Column, columns_of
from nuvett.core.reading.column import lightness_marks
from nuvett.core.reading.reading import Target
from nuvett.services.engine.facts import FrameFacts
from nuvett.services.engine.wall import Wall, build_wall
from nuvett.services.looks import carrying, looks, wall_jobs, wall_states
from nuvett.services.references import kept_references
from nuvett.services.series import frame_facts
from nuvett.services.series.catalogue import find_series
from nuvett.services.series.labels import FrameLabels, labels_of
from nuvett.services.series.rows import Reference
from nuvett.services.threads import threads
from nuvett.services.threads.thread_colours import SeriesSeen
from nuvett.web.context import Context
from nuvett.web.views.frame_lists import FramesAsked
from nuvett.web.views.instruments import palette_bands, tone_side
from nuvett.web.views.readings import zone_views
from nuvett.web.views.threads import OnWall, named, on_wall
from nuvett.web.views.tiles import Tile, short_names, tile_of

WHOLE, PAGE = 60, 24
"""Frames of a wall up to which it is shown whole, and of a longer one at once; more come as they are looked for."""

_NAMED = 5  # frames that stand out which are told by name
Sort = Literal["shooting", "drift", "thread"]


class WallQuery(FramesAsked):
    """How a wall is asked for: which state it shows, which one beside it, in what order, and which of its frames.

    fill : whether frames that are not seen are worked out, too
    """

    show: str = Field(default="", max_length=20)
    beside: str = Field(default="", max_length=20)
    sort: Sort = "shooting"
    thread: str = Field(default="", max_length=40)
    fill: bool = True


@dataclass(frozen=True)
class ReferenceShare:
    """A reference that has a part in the target."""

    id: str
    name: str
    tone: float
    colour: float


@dataclass(frozen=True)
class WallPlace:
    """A frame in its place on the wall: with its tile, or without while that is not looked for.

    setup : number of the set-up of the first of several that follow each other
    """

    id: str
    tile: Tile | None
    setup: int | None
    outlier: bool
    trimmed: bool
    favourite: bool
    left_out: bool


def shares_of(rows: Sequence[Reference]) -> list[ReferenceShare]:
    """References that have a part in the target, with how large it is."""
    tone = sum(row.tone_weight for row in rows) or 1
    colour = sum(row.colour_weight for row in rows) or 1
    return [
        ReferenceShare(str(row.id), row.name, 100 * row.tone_weight / tone, 100 * row.colour_weight / colour)
        for row in rows
        if row.tone_weight or row.colour_weight
    ]


def page_size(frames: int) -> int:
    """How many of so many frames of a wall are shown at once."""
    return WHOLE if frames <= WHOLE else PAGE


def _page(order: list[int], start: int) -> set[int]:
    """Those frames of a wall that stand on the page of a place in it."""
    size = page_size(len(order))
    first = start // size * size
    return set(order[first : first + size])


def wall_values(context: Context, slug: str, shown: WallQuery, start: int = 0) -> dict[str, Any]:
    """Values of the wall of a series, with the tiles of a page; what that page lacks is worked out now."""
    bench = context.studio.bench
    with context.reading() as session:
        series = find_series(session, slug)
        facts = frame_facts.series_facts(session, series)
        state = carrying.carry_state(session, series, facts)
        key = shown.show or wall_states.usual_state(state)
        wanted = wall_states.state_of(session, series, facts, key)
        other = wall_states.state_of(session, series, facts, shown.beside) if shown.beside else None
        draft = looks.draft_of(session, series)
        labels = labels_of(session, series)
        shares = shares_of(kept_references.ready_references(session, series.id, readings=False))
        chosen = wall_states.choices(state), wall_states.versions(session, series)
        followed, hero, series_id = threads.names_of(session, series.id), series.hero_id, series.id
        one = next((uuid.UUID(one) for one, _ in followed if one == shown.thread), None)
        thread = threads.threads_of(session, series.id, one)[0] if one else None
    found = [index for index, frame in enumerate(facts) if shown.finds(labels[frame.id])]
    wall = build_wall(bench, facts, wanted.aims, wanted.show, _page(found, start))
    names = named([(frame.id, labels[frame.id].name) for frame in facts.firsts])
    along = on_wall(bench, SeriesSeen(facts, wanted.aims, wanted.show, hero), thread, names) if thread else None
    order = _in_order(found, wall, shown.sort, along)
    page = _page(order, start)
    if page - _page(found, start):
        wall = build_wall(bench, facts, wanted.aims, wanted.show, page)
    beside = build_wall(bench, facts, other.aims, other.show, page) if other else None
    if shown.fill:
        with context.session() as session:
            wall_jobs.queue_fill(session, context.studio, series_id, [(key, wall), (shown.beside, beside)])
    tiles = {
        index: tile_of(slug, wall.items[index], labels[facts[index].id], beside=beside.items[index] if beside else None)
        for index in page
    }
    return {
        "slug": slug,
        "show": key,
        "beside": shown.beside,
        "sort": shown.sort,
        "fills": shown.fill,
        "only": shown.only,
        "query": shown.find,
        "choices": chosen[0],
        "versions": chosen[1],
        "ways": wall_states.ways(draft),
        "page_size": page_size(len(order)),
        "paged": False,
        "places": _places(wall, labels, order, tiles),
        "thread_names": followed,
        "along": along,
        "hidden": len(facts) - len(found),
        **_run(wall, facts.firsts, [labels[frame.id].name for frame in facts.firsts]),
        "wall": wall,
        "beside_wall": beside,
        "stand_out": _standing_out(wall, labels),
        "target": _target(draft.target) if draft and draft.target else None,
        "state": state,
        "shares": shares,
    }


def _places(
    wall: Wall, labels: dict[uuid.UUID, FrameLabels], order: list[int], tiles: dict[int, Tile | None]
) -> list[WallPlace]:
    numbers = {setup: number for number, setup in enumerate(dict.fromkeys(item.frame.setup for item in wall.items))}
    found, before = [], None
    for index in order:
        item, frame = wall.items[index], wall.items[index].frame
        own, setup = labels[frame.id], numbers[frame.setup]
        told = None if setup == before else setup
        tile = tiles.get(index)
        found.append(WallPlace(str(frame.id), tile, told, item.outlier, frame.is_trimmed, own.favourite, own.left_out))
        before = setup
    return found


def _in_order(found: list[int], wall: Wall, sort: Sort, along: OnWall | None) -> list[int]:
    """Frames in shooting order, by drift, or along a thread: those that show it, the farthest off first."""
    ids = {index: str(wall.items[index].frame.id) for index in found}
    if sort == "thread" and along is not None:
        return sorted(found, key=lambda index: (ids[index] not in along.tiles, -_off(ids[index], along)))
    return sorted(found, key=lambda index: -wall.items[index].drift) if sort == "drift" else found


def _off(frame: str, along: OnWall) -> float:
    return along.tiles[frame].off if frame in along.tiles else 0.0


def _run(wall: Wall, firsts: Sequence[FrameFacts], names: list[str]) -> dict[str, Any]:
    by_id = {item.frame.id: item for item in wall.items}
    items = [by_id[frame.id] for frame in firsts]
    columns = columns_of(
        [(item.original.marks, item.shown.summary.marks) if item.original and item.shown else None for item in items]
    )
    return {
        "run": columns,
        "run_titles": [_title(names, column) for column in columns],
        "run_names": short_names(names),
        "run_ids": [str(frame.id) for frame in firsts],
    }


def _title(names: list[str], column: Column) -> str:
    first, last = names[column.first], names[column.last]
    return first if column.first == column.last else f"{first} to {last}"


def _standing_out(wall: Wall, labels: dict[uuid.UUID, FrameLabels]) -> tuple[list[tuple[str, str]], int]:
    """The first frames that stand out, by name and with why; how many more there are."""
    found = [
        (labels[item.frame.id].name, item.shown.summary.drift.words)
        for item in wall.items
        if item.outlier and item.shown and item.shown.summary.drift
    ]
    return found[:_NAMED], max(0, len(found) - _NAMED)


def _target(target: Target) -> dict[str, Any]:
    return {
        "bands": palette_bands(target.palette),
        "tone": tone_side(target.statistics.lightness),
        "marks": tuple(lightness_marks(target.statistics.lightness).values()),
        "zones": zone_views(target),
    }
