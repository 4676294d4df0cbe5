"""A look or a trim in the making: drafts of it, handles that change it, and its sheet with its history."""

from collections.abc import Callable
from dataclasses import replace
from typing import Any, TypeVar

import numpy as np
from fastapi.responses import JSONResponse
from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError
from nuvett.core.look import handles
from nuvett.core.look.local import Local
from nuvett.core.look.look import Look
from nuvett.core.look.placing import is_of_geometry, place_frame, with_spot
from nuvett.core.look.pointing import POINTINGS
from nuvett.core.look.trim import Trim
from nuvett.core.look.with_steps import WithSteps
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.reading.reading import Target
from nuvett.services.engine.dragging import drag_tone
from nuvett.services.engine.workbench import Workbench
from nuvett.services.lookbook.book_list import tables_kept
from nuvett.services.platform.history import redo_words, steps, undo_words
from nuvett.services.references.palettes import palette_of, saved_palettes
from nuvett.web.bodies import Draft, Drag, PointedPlace
from nuvett.web.context import Context
from nuvett.web.views.chart import chart_place, instruments
from nuvett.web.views.easel import Easel, addresses, evened_on, placed, plan_on, where_address
from nuvett.web.views.proofs import proof_values
from nuvett.web.views.sheet import sheet_of

_ON_CHART = ("zone.", "move.", "hold.", "band.", "primary.", "cast.")


Worked = Look | Trim
_Kept = TypeVar("_Kept", bound=WithSteps)


def scope(document: Worked, area: int | None) -> WithSteps:
    """What holds the steps that are worked on: the document, or one of its areas. Raises InvalidChangeError."""
    if area is None:
        return document
    if area >= len(document.areas):
        raise InvalidChangeError("That area is not there any more.")
    return document.areas[area]


def dragged(bench: Workbench, easel: Easel, document: Worked, asked: Drag) -> Worked:
    """A document after a handle was dragged. Raises InvalidChangeError for a handle that is not there."""
    if asked.reset:
        return _everywhere_or_in(document, easel.area, lambda own: handles.reset(own, asked.handle))
    if asked.handle.startswith("share."):
        if easel.aimed is None or easel.where != "look":
            raise InvalidChangeError
        return drag_tone(bench, easel.facts, easel.index, easel.aimed, int(asked.x), asked.y).look
    if is_of_geometry(asked.handle):
        if not isinstance(document, Trim):
            raise InvalidChangeError
        size = (easel.frame.width, easel.frame.height)
        return place_frame(document, size, asked.handle, (asked.x, asked.y), asked.end)
    return _everywhere_or_in(document, easel.area, lambda own: _dragged(own, asked))


def _everywhere_or_in(document: Worked, area: int | None, change: Callable[[Any], Any]) -> Worked:
    """A document changed everywhere, or in one of its areas."""
    if area is None:
        changed: Worked = change(document)
        return changed
    scope(document, area)
    areas = [change(own) if place == area else own for place, own in enumerate(document.areas)]
    return document.model_copy(update={"areas": tuple(areas)})


def _dragged(document: _Kept, asked: Drag) -> _Kept:
    if asked.handle.startswith(_ON_CHART):
        return handles.drag(document, asked.handle, chart_place(asked.x, asked.y))
    if asked.handle == "grey":
        if asked.lab is None:
            raise InvalidChangeError
        return handles.drag_grey(document, asked.lab, asked.y)
    return handles.drag(document, asked.handle, (asked.x, asked.y))


def drafted(context: Context, easel: Easel, document: Worked, asked: Draft) -> JSONResponse:
    """Pictures and instruments of a document that has not been kept yet; `proofs` asks for the frames below, too.

    `drag` names a handle of an instrument and the place it was dragged to; the document that results comes back.
    """
    bench = context.studio.bench
    easel = replace(easel, area=asked.area)
    scope(document, asked.area)
    if asked.drag is not None:
        document = dragged(bench, easel.with_document(document), document, asked.drag)
    easel = easel.with_document(document)
    shown = easel.uncut() if asked.uncut else easel
    answer: dict[str, Any] = {"pictures": addresses(bench, shown), "document": document.model_dump(mode="json")}
    answer["placed"] = placed(shown)
    if asked.where is not None and asked.where < len(document.areas):
        own = document.areas[asked.where]
        answer["where"], answer["missing"] = where_address(bench, shown, own.area), _missing(bench, easel, own)
    if asked.parts:
        values = instruments(context, easel, scope(document, asked.area))
        answer["instruments"] = context.text("parts/instruments.html", **values)
    if asked.proofs:
        answer["proofs"] = context.text("parts/proofs.html", **proof_values(context, easel))
    return JSONResponse(answer)


def picked(context: Context, easel: Easel, document: Worked, asked: PointedPlace) -> JSONResponse:
    """What a colour that was picked in the frame does: the document with it, or the colour alone for an area.

    The colour is the one that comes to the step that it is picked for, wherever that stands.
    """
    bench = context.studio.bench
    if asked.what == "spot":
        return JSONResponse({"document": _with_spot(easel, document, asked.place).model_dump(mode="json")})
    evened = evened_on(bench, easel)
    came = bench.pictures.colour_under(easel.frame, evened, asked.place)
    if asked.what == "area":
        return JSONResponse({"colour": came})
    pointing, area = POINTINGS[asked.what], asked.area
    easel = replace(easel, area=area)
    if pointing.kind is None:
        colour = bench.pictures.colour_under(easel.frame, _coming(bench, easel), asked.place)
    else:
        standing = _everywhere_or_in(document, area, pointing.standing)
        plan = plan_on(bench, easel.with_document(standing))
        colour = bench.pictures.colour_before(easel.frame, plan, easel.where, pointing.kind, asked.place)
    made = _everywhere_or_in(document, area, lambda own: pointing.add(own, colour, came))
    return JSONResponse({"document": made.model_dump(mode="json")})


def _with_spot(easel: Easel, document: Worked, place: tuple[float, float]) -> Trim:
    """A trim with one spot more at a place of what is seen. Raises InvalidChangeError for a look, and for too many."""
    if not isinstance(document, Trim):
        raise InvalidChangeError("Spots belong to a frame: paint them out on Trim.")
    size = (easel.frame.width, easel.frame.height)
    x, y = replace(document.geometry.placed(size), lens=easel.frame.lens).original(*(np.array([v]) for v in place))
    return with_spot(document, float(x[0]), float(y[0]))


def _coming(bench: Workbench, easel: Easel) -> FramePlan:
    """The plan of a frame before the group that is worked in: evened for a look, under its look for a trim."""
    if easel.group == "look":
        return evened_on(bench, easel)
    trim = easel.frame.trim
    return plan_on(bench, easel.with_trim(Trim(strength=trim.strength, geometry=trim.geometry)))


def _missing(bench: Workbench, easel: Easel, own: Local) -> str:
    """What an area looks for and the frame does not have, in words."""
    found = bench.areas.missing(easel.frame, own.area)
    if found or not own.aims or easel.aimed is None or bench.planner.has(easel.frame, easel.aimed.look, own.area):
        return found
    return "There is nothing of it in this frame, so nothing is brought to the part."


def sheet_values(
    session: Session, document: Worked, revision: int, subject: str, target: Target | None, most_steps: int = 40
) -> dict[str, Any]:
    """Values of a document's sheet with its history, and what it aims at, if anything."""
    past = steps(session, subject, most_steps)
    washes = [
        (str(p.id), p.name, [[c.lightness, c.a, c.b] for c in palette_of(p).colours]) for p in saved_palettes(session)
    ]
    return sheet_of(document, target is not None) | {
        "area_aims": [(part.key, part.name) for part in target.parts] if target else [],
        "revision": revision,
        "washes": washes,
        "target_colours": [[c.lightness, c.a, c.b] for c in target.palette] if target else [],
        "tables": tables_kept(session),
        "undo_words": undo_words(past),
        "redo_words": redo_words(past),
        "past": past,
    }


def kept(context: Context, values: dict[str, Any]) -> JSONResponse:
    """A document as it is kept now, with its sheet and history."""
    return JSONResponse(
        {
            "revision": values["revision"],
            "document": values["document"],
            "history": context.text("parts/history.html", **values),
            "sheet": context.text("parts/sheet.html", **values),
        }
    )
