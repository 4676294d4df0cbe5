"""The health of a look before it is kept: the draft of a series, or a kept look on its frames."""

import uuid
from typing import Annotated, Any

from fastapi import APIRouter, Form, Query
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response

from nuvett.core.book.kept import Use
from nuvett.core.book.remedies import Remedy
from nuvett.core.errors import InvalidChangeError, NotFoundError
from nuvett.services.engine.facts import Aimed
from nuvett.services.engine.wall import choose_proofs
from nuvett.services.lookbook import book
from nuvett.services.lookbook.health import KINDS, Affected, findings_on, in_short, remedy_for
from nuvett.services.lookbook.softness import TornFrame, soft_remedy, softness_on
from nuvett.services.lookbook.trials import Ground, aimed_with, drafted, ground_of, health_of
from nuvett.services.looks import looks
from nuvett.services.looks.looks import proofs_of
from nuvett.services.series.catalogue import find_series, look_of
from nuvett.services.series.labels import labels_of
from nuvett.services.series.stages import stages_of
from nuvett.web.context import Context, Means
from nuvett.web.heavy import heavy
from nuvett.web.views.tiles import picture_address

router = APIRouter(prefix="/series/{slug}/health")
Kept = Annotated[uuid.UUID | None, Query()]
_EDGE, _MAX_SHOWN, _MAX_TORN = 320, 12, 6
_SHORT = 48  # frames of a series that are all looked at before the page is shown
_AT_FIRST, _AT_ONCE = 8, 24  # frames of a longer one that are looked at before it is shown, and at each time after that


def _asked(context: Context, slug: str, kept: uuid.UUID | None) -> tuple[Ground, Aimed, str]:
    """The series, the look that is examined, and what it is called. Raises InvalidChangeError without frames."""
    with context.session() as session:
        ground = ground_of(session, find_series(session, slug))
        version = book.version_of(session, kept) if kept else None
    if not ground.facts:
        raise InvalidChangeError("A look is examined on frames: gather some first.")
    if version is None:
        return ground, drafted(ground), "the draft"
    return ground, aimed_with(ground, version, Use(strength=version.strength)), version.name


@router.get("")
@heavy
def show(context: Means, slug: str, kept: Kept = None) -> HTMLResponse:
    ground, aimed, name = _asked(context, slug, kept)
    most = _SHORT if len(ground.facts) <= _SHORT else _AT_FIRST
    health = findings_on(context.studio.bench, ground.facts, aimed, most)
    shown = [(one, [_tile(slug, frame) for frame in one.affected[:_MAX_SHOWN]]) for one in health.findings]
    context.studio.bench.plans.mark_seen(frame.health.plan for one in health.findings for frame in one.affected)
    with context.session() as session:
        series = find_series(session, slug)
        names = {str(own): labels.name for own, labels in labels_of(session, series).items()}
        values: dict[str, Any] = {"series": series, "stages": stages_of(session, series)}
    query = f"?kept={kept}" if kept else ""
    return context.page(
        "health.html",
        "health",
        slug=slug,
        called=name,
        kept=str(kept or ""),
        findings=shown,
        names=names,
        frames=health.frames,
        looked_at=health.looked_at,
        query=query,
        **values,
    )


def _tile(slug: str, one: Affected) -> dict[str, str]:
    health, note = one.health, one.note
    src = picture_address(slug, health.frame.id, health.plan, _EDGE)
    asked = f"plan={health.plan}&edge={_EDGE}&what={note.veil}&colour={note.where}"
    veil = f"/series/{slug}/frames/{health.frame.id}/veil.png?{asked}"
    said = {"words": note.words, "what": note.veil, "of": note.where}
    return {"frame": str(health.frame.id), "src": src, "veil": veil, **said}


@router.get("/more")
@heavy
def more(context: Means, slug: str, kept: Kept = None) -> JSONResponse:
    """Look at some more frames of a long series, for as long as the page that shows them is open."""
    ground, aimed, _ = _asked(context, slug, kept)
    health = findings_on(context.studio.bench, ground.facts, aimed, _AT_ONCE)
    return JSONResponse({"looked_at": health.looked_at, "frames": health.frames})


@router.get("/short")
@heavy
def short(context: Means, slug: str) -> HTMLResponse:
    """What goes wrong with the draft on its proof frames, in one sentence."""
    ground, aimed, _ = _asked(context, slug, None)
    with context.session() as session:
        wanted = proofs_of(look_of(session, find_series(session, slug)))
    places = choose_proofs(context.studio.bench, ground.facts, wanted)
    return context.part(
        "parts/health_short.html", words=in_short(health_of(context.studio.bench, ground.facts, places, aimed), 3)
    )


@router.get("/soft")
@heavy
def soft(context: Means, slug: str, kept: Kept = None) -> HTMLResponse:
    """What becomes of soft colour at full size, which takes longer to see than all else."""
    ground, aimed, _ = _asked(context, slug, kept)
    found = softness_on(context.studio.bench, ground.facts, aimed)
    tiles = [_torn_tile(context, slug, one) for one in found.torn[:_MAX_TORN]]
    with context.session() as session:
        names = {str(own): labels.name for own, labels in labels_of(session, find_series(session, slug)).items()}
    values = {"found": found, "tiles": tiles, "names": names, "query": f"?kept={kept}" if kept else ""}
    return context.part("parts/soft.html", slug=slug, of=len(ground.facts), **values)


def _torn_tile(context: Context, slug: str, one: TornFrame) -> dict[str, Any]:
    context.studio.bench.plans.keep(one.evened, one.plan)
    place = ",".join(str(value) for value in one.tear.box)
    at = f"/series/{slug}/frames/{one.frame.id}/crop.png"
    sources = [f"{at}?plan={plan.key}&place={place}" for plan in (one.evened, one.plan)]
    return {"frame": str(one.frame.id), "sources": sources, "words": one.tear.words, "place": one.place}


def _remedy(context: Context, slug: str, kind: str, kept: uuid.UUID | None) -> Remedy | None:
    """Raises NotFoundError for what is no kind of finding."""
    if kind not in (*KINDS, "soft"):
        raise NotFoundError
    ground, aimed, _ = _asked(context, slug, kept)
    if kind == "soft":
        return soft_remedy(context.studio.bench, ground.facts, aimed)
    return remedy_for(context.studio.bench, ground.facts, aimed, kind)  # type: ignore[arg-type]


@router.get("/remedy")
@heavy
def remedy(context: Means, slug: str, kind: str, kept: Kept = None) -> HTMLResponse:
    """What to turn down to mend a finding, in words."""
    found = _remedy(context, slug, kind, kept)
    return context.part("parts/remedy.html", found=found, slug=slug, kind=kind, kept=bool(kept))


@router.post("/remedy")
@heavy
def mend(context: Means, slug: str, kind: Annotated[str, Form()]) -> Response:
    """Turn down in the draft what mends a finding."""
    found = _remedy(context, slug, kind, None)
    if found is None:
        raise InvalidChangeError("No single setting fixes this.")
    with context.session() as session:
        series = find_series(session, slug)
        looks.change_look(session, series, found.look, look_of(session, series).revision)
    return RedirectResponse(f"/series/{slug}/health", 303)
