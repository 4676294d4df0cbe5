"""Shape: the look being made, beside a reference and on proof frames."""

import uuid
from typing import Annotated, Any

from fastapi import APIRouter, Form, Query, UploadFile
from fastapi.responses import HTMLResponse, JSONResponse, Response
from sqlalchemy.orm import Session

from nuvett.core.book.kept import LEFT_OUT, PARTS, USUAL_PARTS
from nuvett.core.errors import InvalidChangeError, NotFoundError
from nuvett.core.look.look import Look
from nuvett.core.steps.registry import REGISTRY
from nuvett.services.engine.facts import Aimed
from nuvett.services.lookbook import book_list, uses
from nuvett.services.looks import carrying, looks
from nuvett.services.platform import history
from nuvett.services.platform.documents import parse_change, read_look_file
from nuvett.services.references import kept_references, targets
from nuvett.services.series import subjects
from nuvett.services.series.catalogue import find_series, look_of, other_series
from nuvett.services.series.stages import stages_of
from nuvett.web.bodies import Change, LookCopy, LookDraft, PointedPlace, Proofs, ReachedName, Walk
from nuvett.web.context import Context, Means
from nuvett.web.heavy import heavy
from nuvett.web.views.chart import instruments
from nuvett.web.views.drafting import drafted, kept, picked, sheet_values
from nuvett.web.views.easel import Easel, addresses, easel_for_look
from nuvett.web.views.frame_lists import Choice
from nuvett.web.views.proofs import proof_values
from nuvett.web.views.viewing import Beside, viewing

router = APIRouter(prefix="/series/{slug}")
_MAX_DIGITS = 9
_STRENGTHS = (25, 50, 75, 100)
_MAX_STEPS, _LATEST_STEPS = 60, 12


def _sheet_values(session: Session, slug: str, draft: Aimed | None = None) -> dict[str, Any]:
    """The look sheet with its history; `draft` where it has been loaded already."""
    series = find_series(session, slug)
    row = look_of(session, series)
    state = carrying.carry_state(session, series)
    look = Look.model_validate(row.draft)
    target = (draft or looks.draft_of(session, series)).target if state.aimed else None
    values = sheet_values(session, look, row.revision, f"look:{row.id}", target, _MAX_STEPS)
    return values | {
        "slug": slug,
        "offers_fit": row.by_hand and targets.latest_target(session, series.id) is not None,
        "versions": [v.number for v in row.versions],
        "state": state,
        "origin": uses.origin_of(session, row.origin),
        "aims_elsewhere": row.target_id is not None,
        "has_own": row.target_id is not None and bool(targets.latest_palette(session, series.id)),
    }


def _states(values: dict[str, Any]) -> list[Beside]:
    """States of the look that the frame can be shown under beside itself."""
    found = [Choice(f"strength {s}", f"the look at {s} %") for s in _STRENGTHS]
    found += [Choice(f"version {n}", f"version {n}, as carried") for n in reversed(values["versions"])]
    found += [Choice(f"step {s.number}", s.called) for s in values["past"][:_LATEST_STEPS]]
    return [Beside("This frame under", found)]


@router.get("/shape")
@heavy
def show(
    context: Means,
    slug: str,
    frame: Annotated[uuid.UUID | None, Query()] = None,
    reference: Annotated[uuid.UUID | None, Query()] = None,
) -> HTMLResponse:
    with context.session() as session:
        series = find_series(session, slug)
        values: dict[str, Any] = {"series": series, "slug": slug, "stages": stages_of(session, series)}
        easel = easel_for_look(session, slug, frame, reference)
        values |= _sheet_values(session, slug, easel.aimed if easel else None)
        rows = kept_references.ready_references(session, series.id, readings=False)
        groups = book_list.group_names(session)
        others = other_series(session, series)
    if easel is None or easel.aimed is None:
        return context.page("shape_empty.html", "shape", **values)
    values |= instruments(context, easel, easel.aimed.look)
    return context.page(
        "shape.html",
        "shape",
        **values,
        view=viewing(context, easel, rows, _states(values)),
        chosen_proofs={str(p) for p in easel.proofs},
        others=others,
        groups=groups,
        kept_parts=[(name, words, name in USUAL_PARTS, LEFT_OUT.get(name, "")) for name, words in PARTS.items()],
        step_titles=[(kind.name, kind.title) for kind in REGISTRY],
        **proof_values(context, easel),
    )


def _asked(context: Context, slug: str, asked: LookDraft) -> tuple[Easel, Look]:
    """The easel and look of a request. Raises InvalidChangeError."""
    look = parse_change(asked.document)
    with context.session() as session:
        easel = easel_for_look(session, slug, asked.frame, asked.reference)
    if easel is None:
        raise InvalidChangeError("There is no frame to show yet.")
    return easel, look


@router.post("/shape/draft")
@heavy
def draft(context: Means, slug: str, asked: LookDraft) -> JSONResponse:
    easel, look = _asked(context, slug, asked)
    return drafted(context, easel, look, asked)


@router.post("/shape/other")
@heavy
def other(context: Means, slug: str, asked: LookDraft) -> JSONResponse:
    """The same frame under another state of the look, to stand beside the draft.

    `what` is "strength 50", "step 3" of the history, or "version 2" that was carried.
    """
    easel, look = _asked(context, slug, asked)
    kind, _, number = asked.what.partition(" ")
    if not number.isdecimal() or len(number) > _MAX_DIGITS:
        raise InvalidChangeError("There is no such state of the look.")
    with context.session() as session:
        series = find_series(session, slug)
        if kind == "strength":
            look = parse_change(look.model_dump() | {"strength": float(number)})
        elif kind == "step":
            look = looks.look_at_step(session, series, int(number))
        elif kind == "version":
            look = carrying.carried_look(session, series, int(number))
        else:
            raise InvalidChangeError("There is no such state of the look.")
    return JSONResponse({"picture": addresses(context.studio.bench, easel.with_look(look))["look"]})


@router.post("/shape/pick")
@heavy
def pick(context: Means, slug: str, asked: PointedPlace) -> JSONResponse:
    """What a colour of the frame does to the look, picked at a place in shares of the picture."""
    look = parse_change(asked.document)
    with context.session() as session:
        easel = easel_for_look(session, slug, asked.frame, None)
    if easel is None or easel.aimed is None:
        raise InvalidChangeError("There is no frame to pick from.")
    return picked(context, easel.with_look(look), look, asked)


@router.put("/look")
def keep(context: Means, slug: str, change: Change) -> JSONResponse:
    look = parse_change(change.document)
    with context.session() as session:
        series = find_series(session, slug)
        looks.change_look(session, series, look, change.revision)
        subjects.queue_subjects(session, context.studio, series, look)
        session.flush()
        return _kept(context, session, slug)


def _kept(context: Context, session: Session, slug: str) -> JSONResponse:
    return kept(context, _sheet_values(session, slug))


@router.get("/look")
def current(context: Means, slug: str) -> JSONResponse:
    with context.session() as session:
        return _kept(context, session, slug)


@router.post("/look/step/{number}")
def travel(context: Means, slug: str, number: int, asked: Walk) -> JSONResponse:
    with context.session() as session:
        looks.travel_look(session, find_series(session, slug), number, asked.revision)
        session.flush()
        return _kept(context, session, slug)


@router.post("/look/step/{number}/name")
def name_step(context: Means, slug: str, number: int, asked: ReachedName) -> JSONResponse:
    """Give a state of the look a name."""
    with context.session() as session:
        history.name_step(session, looks.subject_of(session, find_series(session, slug)), number, asked.name)
        session.flush()
        return _kept(context, session, slug)


@router.post("/look/proofs")
def choose_proofs(context: Means, slug: str, proofs: Proofs) -> JSONResponse:
    """Choose the proof frames, or the most different ones."""
    with context.session() as session:
        looks.set_proofs(session, find_series(session, slug), proofs.frames)
    return JSONResponse({})


@router.post("/look/copy")
def copy(context: Means, slug: str, asked: LookCopy) -> JSONResponse:
    """Take the look of another series, whole or by named parts."""
    parts = None if asked.parts is None else frozenset(asked.parts)
    with context.session() as session:
        uses.take_over(session, find_series(session, slug), find_series(session, asked.series), parts, asked.revision)
        session.flush()
        return _kept(context, session, slug)


@router.post("/look/{direction}")
def walk(context: Means, slug: str, direction: str, asked: Walk) -> JSONResponse:
    """Undo or redo one step of the draft."""
    if direction not in ("undo", "redo"):
        raise NotFoundError
    with context.session() as session:
        looks.walk_look(session, find_series(session, slug), direction == "redo", asked.revision)
        session.flush()
        return _kept(context, session, slug)


@router.get("/look.json")
def download(context: Means, slug: str) -> Response:
    with context.session() as session:
        text = looks.look_text(session, find_series(session, slug))
    return Response(
        text, media_type="application/json", headers={"content-disposition": f'attachment; filename="{slug}-look.json"'}
    )


@router.post("/look.json")
def bring_in(
    context: Means, slug: str, file: UploadFile, revision: Annotated[int, Form(ge=0, le=2**31 - 1)]
) -> JSONResponse:
    look = read_look_file(file.file.read(1_000_001))
    with context.session() as session:
        series = find_series(session, slug)
        looks.change_look(session, series, look, revision, "Look brought in from a file")
        session.flush()
        return _kept(context, session, slug)
