"""Kept looks tried on the frame in work: a strip of them, each drawn large while it is pointed at."""

import uuid
from dataclasses import dataclass, replace

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, JSONResponse

from nuvett.core.book.kept import Use
from nuvett.core.errors import NotFoundError
from nuvett.services.lookbook import book, book_list
from nuvett.services.lookbook.starters import add_starters
from nuvett.services.lookbook.trials import Ground, aimed_with, ground_of, with_frame_parts
from nuvett.services.series.catalogue import find_series
from nuvett.web.bodies import TryLook
from nuvett.web.context import Means
from nuvett.web.heavy import heavy
from nuvett.web.views.easel import Easel, addresses, easel_for_look, easel_for_trim
from nuvett.web.views.lookbook_views import CELLS, key_of

router = APIRouter(prefix="/series/{slug}")


@dataclass(frozen=True)
class Thumb:
    """One kept look in the strip."""

    id: str
    number: int
    name: str
    use_when: str
    strength: float
    src: str


@router.get("/frames/{frame_id}/looks")
@heavy
def strip(context: Means, slug: str, frame_id: uuid.UUID) -> HTMLResponse:
    """All kept looks on a frame, small; favourites first."""
    with context.session() as session:
        add_starters(session)
    with context.session() as session:
        ground = ground_of(session, find_series(session, slug))
        found = book_list.entries(session, book_list.BookFilter())
    place = ground.facts.index_of(frame_id)
    if place is None:
        raise NotFoundError
    key = key_of(ground, [place])
    thumbs = [_thumb(slug, frame_id, entry, key) for entry in sorted(found, key=lambda e: not e.favourite)]
    return context.part("parts/try_strip.html", thumbs=thumbs)


def _thumb(slug: str, frame_id: uuid.UUID, entry: book_list.Entry, key: str) -> Thumb:
    at = f"/lookbook/{entry.id}/row.jpg?series={slug}&frames={frame_id}&number={entry.number}&cell={CELLS[0]}"
    src = f"{at}&strength={entry.strength:g}&as={key}"
    return Thumb(str(entry.id), entry.number, entry.name, entry.use_when, entry.strength, src)


@router.post("/frames/{frame_id}/looks/{where}")
@heavy
def try_on(context: Means, slug: str, frame_id: uuid.UUID, where: str, asked: TryLook) -> JSONResponse:
    """Addresses of a frame's pictures with a kept look tried on; nothing is changed by that.

    where : "shape" for the draft of the look, "trim" for the frame alone, with its trim
    """
    if where not in ("shape", "trim"):
        raise NotFoundError
    with context.session() as session:
        version = book.version_of(session, asked.kept)
        ground = ground_of(session, find_series(session, slug))
        make = easel_for_look if where == "shape" else easel_for_trim
        easel = make(session, slug, frame_id, asked.reference)
    if easel is None or easel.frame.id != frame_id:
        raise NotFoundError
    tried = _tried(context, easel, ground, version, Use(strength=asked.strength))
    return JSONResponse({"pictures": addresses(context.studio.bench, tried)})


def _tried(context: Means, easel: Easel, ground: Ground, version: book.KeptVersion, use: Use) -> Easel:
    facts = with_frame_parts(easel.facts, [easel.index], version, use)
    return replace(easel, facts=facts, aimed=aimed_with(ground, version, use))
