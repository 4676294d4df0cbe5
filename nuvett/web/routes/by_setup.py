"""A look by set-up: all ways in which it can arrive, side by side, and what each set-up aims at."""

import uuid
from typing import Annotated, Any, get_args

from fastapi import APIRouter, Form, Query
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from nuvett.core.book.kept import Use
from nuvett.core.errors import InvalidChangeError
from nuvett.core.look.ways import WAYS, OfSetup, Way
from nuvett.services.lookbook import by_light, uses
from nuvett.services.looks import by_setup, carried_plans, veils
from nuvett.services.references import kept_references, targets
from nuvett.services.series import subjects
from nuvett.services.series.catalogue import find_series
from nuvett.services.series.stages import stages_of
from nuvett.web.bodies import VeilOff
from nuvett.web.context import Means
from nuvett.web.heavy import heavy
from nuvett.web.views.lookbook_views import row_address
from nuvett.web.views.tiles import picture_address

router = APIRouter(prefix="/series/{slug}/by-setup")
_EDGE, _CELL = 400, 180
Revision = Annotated[int, Form(ge=0, le=2**31 - 1)]
Chosen = Annotated[str, Form(max_length=64)]


def _way(text: str) -> Way | None:
    """The way that a form asks for, if any. Raises InvalidChangeError for one that is not there."""
    found = next((way for way in get_args(Way) if way == text), None)
    if text and found is None:
        raise InvalidChangeError("There is no such way.")
    return found


@router.get("")
def show(context: Means, slug: str) -> HTMLResponse:
    with context.session() as session:
        series = find_series(session, slug)
        targets.renew_target_if_weighed(session, series.id)  # so that its readings can be aimed at one by one
        of = by_setup.arranged(session, series)
        rows = kept_references.ready_references(session, series.id, readings=False)
        values: dict[str, Any] = {"series": series, "slug": slug, "stages": stages_of(session, series)}
        values["references"] = [(str(row.id), row.name) for row in rows if row.tone_weight + row.colour_weight > 0]
    ways = [(way, WAYS[way]) for way in of.ways]
    chosen = of.aimed.look.way if of.aimed.look.way in of.ways else of.ways[-1]
    return context.page(
        "by_setup.html", "by-setup", **values, of=of, ways=ways, chosen=chosen, aims=of.aimed.target is not None
    )


@router.get("/{setup_id}")
@heavy
def column(
    context: Means, slug: str, setup_id: uuid.UUID, shown: Annotated[int, Query(ge=0, le=10_000)] = 0
) -> HTMLResponse:
    """One set-up in all ways."""
    with context.session() as session:
        series = find_series(session, slug)
        of = by_setup.arranged(session, series)
        names = {frame.id: frame.name for frame in series.frames}
    found = by_setup.column(context.studio.bench, of, of.setup(setup_id), shown)
    cells = [(one, WAYS[one.way], picture_address(slug, one.frame.id, one.plan.key, _EDGE)) for one in found.reached]
    frame = names.get(found.reached[0].frame.id, "")
    return context.part(
        "parts/setup_column.html", slug=slug, of=of, column=found, cells=cells, frame=frame, shown=shown
    )


@router.post("")
def for_series(context: Means, slug: str, way: Chosen, revision: Revision) -> Response:
    """Let the look arrive in a way wherever a set-up says nothing else."""
    asked = _way(way)
    with context.session() as session:
        series = find_series(session, slug)
        if asked is not None:
            by_setup.choose_everywhere(session, series, asked, revision)
    return RedirectResponse(f"/series/{slug}/by-setup", 303)


@router.post("/proposed")
@heavy
def as_proposed(context: Means, slug: str, revision: Revision) -> Response:
    by_setup.take_proposed(context.studio, slug, revision)
    return RedirectResponse(f"/series/{slug}/by-setup", 303)


@router.post("/nearest")
@heavy
def to_nearest(context: Means, slug: str, revision: Revision) -> Response:
    by_setup.take_nearest(context.studio, slug, revision)
    return RedirectResponse(f"/series/{slug}/by-setup", 303)


@router.get("/{setup_id}/looks")
@heavy
def looks(context: Means, slug: str, setup_id: uuid.UUID) -> HTMLResponse:
    """Kept looks that suit one set-up best."""
    with context.session() as session:
        series = find_series(session, slug)
        setting = by_light.setting_of(session, series, setup_id)
        name = next((setup.name for setup in series.setups if setup.id == setup_id), "")
    veil = veils.veil_of(context.studio.bench, setting.ground.facts, setting.places, setting.following)
    found, problem = by_light.best_suited(context.studio.bench, setting)
    middle = setting.frames[len(setting.frames) // 2]
    shown = [(one, row_address(one.entry, setting.ground, [middle], _CELL)) for one in found]
    values = {"slug": slug, "setup": setup_id, "title": name, "frames": len(setting.frames), "problem": problem}
    return context.part("parts/setup_looks.html", looks=shown, followed=setting.followed, veil=veil, **values)


@router.post("/{setup_id}/veil")
def take_veil_off(context: Means, slug: str, setup_id: uuid.UUID, veil: Annotated[VeilOff, Form()]) -> Response:
    """Take a veil off all frames of one set-up, in their trims."""
    with context.session() as session:
        veils.take_off(session, find_series(session, slug), setup_id, (veil.light, veil.a, veil.b))
    return RedirectResponse(f"/series/{slug}/by-setup", 303)


@router.post("/{setup_id}/look")
@heavy
def carry_look(context: Means, slug: str, setup_id: uuid.UUID, kept: Annotated[uuid.UUID, Form()]) -> Response:
    """Let the frames of one set-up follow a kept look, at the strength that it is kept at."""
    with context.session() as session:
        setting = by_light.setting_of(session, find_series(session, slug), setup_id)
    strength = next((entry.strength for entry, _ in setting.looks if entry.id == kept), 100.0)
    meant = uses.meant(context.studio, slug, kept, None, Use(strength=strength))
    with context.session() as session:
        series = find_series(session, slug)
        uses.carry_kept(session, series, meant, setting.frames)
        carried_plans.queue_keep_carried(session, context.studio, series.id)
        subjects.queue_subjects(session, context.studio, series, meant.aimed.look)
    return RedirectResponse(f"/series/{slug}/by-setup", 303)


@router.post("/{setup_id}")
def choose(
    context: Means, slug: str, setup_id: uuid.UUID, revision: Revision, way: Chosen = "", aim: Chosen = ""
) -> Response:
    """Let a set-up arrive in a way of its own, or aim at a reading of its own."""
    own = OfSetup(setup=str(setup_id), way=_way(way), aim=aim)
    with context.session() as session:
        by_setup.choose(session, find_series(session, slug), setup_id, own, revision)
    return RedirectResponse(f"/series/{slug}/by-setup", 303)
