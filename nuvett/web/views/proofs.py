"""View models of proof frames, and of the frames around the one in work."""

from typing import Any

from nuvett.core.planning.warnings import Note
from nuvett.services.engine.wall import ShownFrame, WallItem, choose_proofs
from nuvett.services.looks.told import cause
from nuvett.web.context import Context
from nuvett.web.views.easel import Easel, plan_on
from nuvett.web.views.tiles import Tile, tile_of

_EDGE = 320


def proof_values(context: Context, easel: Easel) -> dict[str, Any]:
    """Values of the strip below the frame in work.

    For a look its proof frames, which can be chosen, each with what goes wrong on it; for a trim the frames around its
    own, in shooting order, each under what it follows.
    """
    choosing = easel.group == "look"
    chosen = choose_proofs(context.studio.bench, easel.facts, easel.proofs) if choosing else _around(easel)
    return {"proofs": _tiles(context, easel, chosen), "choosing": choosing}


def _around(easel: Easel, most: int = 6) -> list[int]:
    first = max(0, min(easel.index - most // 2, len(easel.facts) - most))
    return list(range(first, min(first + most, len(easel.facts))))


def _causes(context: Context, easel: Easel, chosen: list[int]) -> dict[tuple[int, str], str]:
    """The step that does harm to some of several frames and not to the others, by frame and by what goes wrong."""
    bench, aimed = context.studio.bench, easel.aimed
    if easel.group != "look" or aimed is None:
        return {}
    kinds = {}
    for index in chosen:
        here = easel.at(index)
        kinds[index] = {note.kind for note in bench.measures.notes(here.frame, plan_on(bench, here), aimed)}
    spared = {kind for kind in set().union(*kinds.values()) if any(kind not in own for own in kinds.values())}
    return {
        (index, kind): cause(bench, easel.facts, index, aimed, kind)
        for index, own in kinds.items()
        for kind in own & spared
    }


def _tiles(context: Context, easel: Easel, chosen: list[int]) -> list[tuple[Tile, list[tuple[Note, str]]]]:
    bench, found, causes = context.studio.bench, [], _causes(context, easel, chosen)
    for index in chosen:
        here = easel.at(index)
        plan, aimed = plan_on(bench, here), here.aimed
        summary = bench.measures.summary
        came = summary(here.frame, bench.planner.as_came(here.frame), aimed)
        shown = ShownFrame(plan=plan.key, summary=summary(here.frame, plan, aimed))
        tile = tile_of(easel.slug, WallItem(here.frame, shown, came), easel.labels[here.frame.id], _EDGE)
        notes = bench.measures.notes(here.frame, plan, aimed) if aimed else ()
        said = [(note, causes.get((index, note.kind), "")) for note in notes]
        if tile is not None:
            found.append((tile, said))
        bench.plans.keep(plan)
    return found
