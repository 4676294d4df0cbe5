"""Shape: the look being made, beside a reference and on proof frames."""

import uuid
from typing import Annotated, Any

from fastapi import APIRouter, Query, UploadFile
from fastapi.responses import HTMLResponse, JSONResponse, Response
from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError, NotFoundError
from nuvett.core.look import handles
from nuvett.core.look.look import STEPS, Look
from nuvett.core.look.words import STEP_TITLES
from nuvett.services import looks, sampling
from nuvett.services.catalogue import find_series, look_of
from nuvett.services.stages import stages_of
from nuvett.services.workbench import straight_marks
from nuvett.web.bodies import Drag, LookChange, LookCopy, LookDraft, Picked, Proofs
from nuvett.web.context import Context, Means
from nuvett.web.heavy import heavy
from nuvett.web.shaping import (
    Choice,
    Easel,
    addresses,
    chart_place,
    easel_of,
    instruments,
    proof_tiles,
    sheet_values,
)

router = APIRouter(prefix="/series/{slug}")
_MOST_DIGITS = 9


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
        easel = easel_of(session, slug, frame, reference)
        values |= sheet_values(session, slug)
        references = [Choice(str(r.id), r.name) for r in sampling.ready_references(session, series.id, readings=False)]
    if easel is None:
        return context.page("shape_empty.html", "shape", **values, has_frames=bool(values["stages"][0].done))
    count = len(easel.facts)
    values |= instruments(context, easel)
    return context.page(
        "shape.html",
        "shape",
        **values,
        frame_id=str(easel.frame.id),
        frame_name=easel.labels[easel.frame.id].name,
        hero=easel.labels[easel.frame.id].hero,
        faces=len(easel.frame.faces),
        frame_width=easel.frame.width,
        frame_height=easel.frame.height,
        before_id=str(easel.facts[(easel.index - 1) % count].id),
        next_id=str(easel.facts[(easel.index + 1) % count].id),
        position=easel.index + 1,
        count=count,
        references=references,
        chosen=easel.reference,
        addresses=addresses(context, easel),
        proofs=proof_tiles(context, easel),
        chosen_proofs={str(p) for p in easel.proofs},
        frames=[Choice(str(f.id), easel.labels[f.id].name) for f in easel.facts],
        step_titles=[(name, STEP_TITLES[name]) for name in STEPS],
    )


def _asked(context: Context, slug: str, asked: LookDraft) -> tuple[Easel, Look]:
    """The easel and look of a request. Raises InvalidChangeError."""
    look = looks.parse_change(asked.look)
    with context.session() as session:
        easel = easel_of(session, slug, asked.frame, asked.reference)
    if easel is None:
        raise InvalidChangeError("There is no frame to show yet.")
    return easel, look


def _text(context: Context, name: str, **values: Any) -> str:
    return bytes(context.part(name, **values).body).decode()


@router.post("/shape/draft")
@heavy
def draft(context: Means, slug: str, asked: LookDraft) -> JSONResponse:
    """Pictures and instruments of a look that has not been kept yet; `proofs` asks for the proof frames, too.

    `drag` names a handle of an instrument and the place it was dragged to; the look that results comes back.
    """
    easel, look = _asked(context, slug, asked)
    if asked.drag is not None:
        look = _dragged(context, easel, look, asked.drag)
    easel = easel.with_look(look)
    answer: dict[str, Any] = {"pictures": addresses(context, easel), "look": look.model_dump(mode="json")}
    if asked.parts:
        answer["instruments"] = _text(context, "parts/instruments.html", **instruments(context, easel))
    if asked.proofs:
        answer["proofs"] = _text(context, "parts/proofs.html", proofs=proof_tiles(context, easel), slug=slug)
    return JSONResponse(answer)


def _dragged(context: Context, easel: Easel, look: Look, asked: Drag) -> Look:
    handle, x, y = asked.handle, asked.x, asked.y
    if handle.startswith(("zone.", "move.", "hold.")):
        x, y = chart_place(x, y)
    if handle.startswith("share."):
        marks = straight_marks(context.studio.bench, easel.facts, easel.index, easel.with_look(look).aimed)
        index = int(x)
        if not 0 <= index < len(marks):
            raise InvalidChangeError
        handle, x = "land", marks[index]
    return handles.drag(look, handle, (x, y))


@router.post("/shape/other")
@heavy
def other(context: Means, slug: str, asked: LookDraft) -> JSONResponse:
    """The same frame under another state of the look, to stand beside the draft.

    `what` is "strength 50", "step 3" of the history, or "version 2" that was carried.
    """
    easel, look = _asked(context, slug, asked)
    kind, _, number = asked.what.partition(" ")
    if not number.isdecimal() or len(number) > _MOST_DIGITS:
        raise InvalidChangeError("There is no such state of the look.")
    with context.session() as session:
        series = find_series(session, slug)
        if kind == "strength":
            look = looks.parse_change(look.model_dump() | {"strength": float(number)})
        elif kind == "step":
            look = looks.look_at_step(session, series, int(number))
        elif kind == "version":
            look = looks.carried_look(session, series, int(number))
        else:
            raise InvalidChangeError("There is no such state of the look.")
    return JSONResponse({"picture": addresses(context, easel.with_look(look))["look"]})


@router.post("/shape/pick")
@heavy
def pick(context: Means, slug: str, picked: Picked) -> JSONResponse:
    """Colour of the evened frame at a place given in shares of the picture."""
    with context.session() as session:
        easel = easel_of(session, slug, picked.frame, None)
    if easel is None:
        raise InvalidChangeError("There is no frame to pick from.")
    colour = context.studio.bench.evened_colour_at(easel.frame, easel.aimed.look, picked.place)
    return JSONResponse({"colour": colour})


@router.put("/look")
def keep(context: Means, slug: str, change: LookChange) -> JSONResponse:
    look = looks.parse_change(change.look)
    with context.session() as session:
        looks.change_look(session, find_series(session, slug), look, change.revision)
        session.flush()
        return _kept(context, session, slug, sheet=change.sheet)


def _kept(context: Context, session: Session, slug: str, sheet: bool = False) -> JSONResponse:
    values = sheet_values(session, slug)
    answer = {"revision": values["revision"], "look": values["look"]}
    answer["history"] = _text(context, "parts/history.html", **values)
    if sheet:
        answer["sheet"] = _text(context, "parts/sheet.html", **values)
    return JSONResponse(answer)


@router.get("/look")
def current(context: Means, slug: str) -> JSONResponse:
    with context.session() as session:
        return _kept(context, session, slug, sheet=True)


@router.post("/look/step/{number}")
def travel(context: Means, slug: str, number: int) -> JSONResponse:
    with context.session() as session:
        looks.travel_look(session, find_series(session, slug), number)
        session.flush()
        return _kept(context, session, slug, sheet=True)


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
        looks.copy_look(session, find_series(session, slug), find_series(session, asked.series), parts)
        session.flush()
        return _kept(context, session, slug, sheet=True)


@router.post("/look/{direction}")
def walk(context: Means, slug: str, direction: str) -> JSONResponse:
    """Undo or redo one step of the draft."""
    if direction not in ("undo", "redo"):
        raise NotFoundError
    with context.session() as session:
        looks.walk_look(session, find_series(session, slug), forward=direction == "redo")
        session.flush()
        return _kept(context, session, slug, sheet=True)


@router.get("/look.json")
def download(context: Means, slug: str) -> Response:
    with context.session() as session:
        text = looks.look_text(session, find_series(session, slug))
    return Response(
        text, media_type="application/json", headers={"content-disposition": f'attachment; filename="{slug}-look.json"'}
    )


@router.post("/look.json")
def bring_in(context: Means, slug: str, file: UploadFile) -> JSONResponse:
    look = looks.read_look_file(file.file.read(1_000_001))
    with context.session() as session:
        series = find_series(session, slug)
        looks.change_look(session, series, look, look_of(session, series).revision, "Look brought in from a file")
        session.flush()
        return _kept(context, session, slug, sheet=True)
