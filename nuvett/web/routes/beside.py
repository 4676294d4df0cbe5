"""Finished frames beside each other, what tells them apart, and going some of the way from one to another."""

import uuid
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Form, Query
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from nuvett.core.errors import InvalidChangeError
from nuvett.services.lookbook import beside
from nuvett.services.looks import carrying, looks, wall_states
from nuvett.services.series.catalogue import find_series
from nuvett.services.series.frame_facts import series_facts
from nuvett.services.series.labels import labels_of
from nuvett.services.series.stages import stages_of
from nuvett.web.context import Means
from nuvett.web.heavy import heavy
from nuvett.web.views.frame_lists import choices_of, is_long
from nuvett.web.views.tiles import picture_address

router = APIRouter(prefix="/series/{slug}/beside")
_EDGE = 1280
Spelled = Annotated[str, Form(max_length=100)]


def _asked(text: str) -> beside.BesideRequest:
    """A frame with its state as addresses spell it: the id, and the state after a colon. Raises InvalidChangeError."""
    frame, _, state = text.partition(":")
    try:
        return beside.BesideRequest(uuid.UUID(frame), state[:60])
    except ValueError as error:
        raise InvalidChangeError("There is no such frame.") from error


@router.get("")
@heavy
def show(context: Means, slug: str, of: Annotated[list[str] | None, Query(max_length=20)] = None) -> HTMLResponse:
    with context.session() as session:
        series = find_series(session, slug)
        frames, labels = series_facts(session, series), labels_of(session, series)
        values: dict[str, Any] = {"series": series, "slug": slug, "stages": stages_of(session, series)}
        names = choices_of(frames, labels)
        first = series.hero_id or (frames[0].id if frames else None)
        usual = [frame.id for frame in frames if frame.id == first] + [f.id for f in frames if f.id != first][:1]
        asked = [_asked(text) for text in of or []] or [beside.BesideRequest(frame) for frame in usual]
        standing = [beside.standing(session, slug, one) for one in asked[: beside.MAX]]
        state = carrying.carry_state(session, series)
        states = [("", "As finished"), *((c.key, c.words) for c in wall_states.choices(state))]
        more = [*wall_states.ways(looks.draft_of(session, series)), *wall_states.versions(session, series)]
        states += [(c.key, c.words) for c in more]
        kept = beside.kept_states(session)
    bench = context.studio.bench
    columns = [_column(context, slug, one, standing[0]) for one in standing]
    bench.plans.keep(*(one.plan(bench) for one in standing))
    values |= {"columns": columns, "names": names, "long": is_long(frames)}
    values |= {"states": states, "kept": kept, "most": beside.MAX}
    return context.page("beside.html", "beside", **values)


def _column(context: Means, slug: str, one: beside.BesideFrame, first: beside.BesideFrame) -> dict[str, Any]:
    bench = context.studio.bench
    plan = one.plan(bench)
    size = plan.placed((one.frame.width, one.frame.height)).size if plan else (one.frame.width, one.frame.height)
    return {
        "frame": str(one.asked.frame),
        "state": one.asked.state,
        "src": picture_address(slug, one.frame.id, plan.key if plan else "", _EDGE),
        "plan": plan.key if plan else "",
        "size": size,
        "told": beside.told(bench, one, first) if one is not first else None,
    }


@router.post("/go")
@heavy
def go(
    context: Means,
    slug: str,
    own: Spelled,
    other: Spelled,
    kind: Annotated[str, Form(max_length=20)],
    share: Annotated[float, Form(gt=0, le=1)],
    into: Annotated[Literal["trim", "look"], Form()],
    back: Annotated[str, Form(max_length=500)] = "",
) -> Response:
    """Let a frame, or all of them, go some of the way to another one."""
    pair = _asked(own), _asked(other)
    beside.go(context.studio, slug, pair, kind, share, into)
    query = back if back.startswith("?") else ""
    return RedirectResponse(f"/series/{slug}/beside{query}", 303)
