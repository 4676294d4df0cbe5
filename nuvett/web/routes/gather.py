"""Gather: frames arriving, set-ups, the hero."""

import uuid
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Form, Query, UploadFile
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response

from nuvett.core.errors import DuplicateFileError
from nuvett.services.platform.blobs import sweep
from nuvett.services.series import arranging, companions, fringes, gathering, lenses, lighting, setups, watching
from nuvett.services.series.catalogue import find_frame, find_series, ready_frames
from nuvett.services.series.stages import stages_of
from nuvett.web.bodies import FolderToWatch, LensChoice
from nuvett.web.context import Means
from nuvett.web.views.board import BoardPage, board_of
from nuvett.web.views.filters import plural

DEVELOPMENTS = [(key, words) for key, (_, words) in companions.DEVELOPMENTS.items()]
router = APIRouter(prefix="/series/{slug}")


@router.get("/gather")
def show(context: Means, slug: str, asked: Annotated[BoardPage, Query()]) -> HTMLResponse:
    with context.session() as session:
        series = find_series(session, slug)
        most = context.studio.settings.upload_bytes // 1_000_000
        board = board_of(context, session, slug, asked)
        values: dict[str, Any] = {"stages": stages_of(session, series), "board": board}
        values |= {"developments": DEVELOPMENTS, "root": str(context.studio.settings.folders)}
        return context.page("gather.html", "gather", series=series, slug=slug, most_megabytes=most, **values)


@router.get("/gather/board")
def board(context: Means, slug: str, asked: Annotated[BoardPage, Query()]) -> HTMLResponse:
    with context.session() as session:
        board = board_of(context, session, slug, asked)
        return context.part("parts/board.html", board=board, slug=slug, developments=DEVELOPMENTS)


@router.get("/gather/frames")
def frames(context: Means, slug: str, asked: Annotated[BoardPage, Query()]) -> HTMLResponse:
    """Frames of the board from a place on, as they are looked for."""
    with context.session() as session:
        board = board_of(context, session, slug, asked)
        return context.part("parts/board_frames.html", board=board, slug=slug, developments=DEVELOPMENTS)


@router.get("/gather/bases")
def bases(context: Means, slug: str, setup: uuid.UUID) -> JSONResponse:
    """What the light of a frame of a set-up can be evened by, once somebody wants to choose."""
    with context.session() as session:
        own = [("own", "by its own set-up"), ("none", "left as it came")]
        others = [(str(one.id), f"by {one.name}") for one in find_series(session, slug).setups if one.id != setup]
    return JSONResponse([{"id": key, "name": words} for key, words in own + others])


@router.post("/frames")
def upload(context: Means, slug: str, file: UploadFile) -> Response:
    try:
        with context.session() as session:
            series = find_series(session, slug)
            frame = gathering.add_frame(session, context.studio, series, file.filename or "", file.file)
            return JSONResponse({"id": str(frame.id), "name": frame.name}, 201)
    except DuplicateFileError as error:  # bringing in a folder again is no mistake
        return JSONResponse({"already": error.message})


def _back(slug: str, frame: uuid.UUID | None = None) -> Response:
    at = f"?frame={frame}#frame-{frame}" if frame else ""
    return RedirectResponse(f"/series/{slug}/gather{at}", 303)


@router.post("/watch")
def watch(context: Means, slug: str, asked: Annotated[FolderToWatch, Form()]) -> Response:
    with context.session() as session:
        watching.watch(session, context.studio, find_series(session, slug), asked.folder, asked.carries)
    return _back(slug)


@router.post("/watch/stop")
def watch_no_longer(context: Means, slug: str) -> Response:
    with context.session() as session:
        watching.watch_no_longer(session, find_series(session, slug))
    return _back(slug)


@router.post("/frames/{frame_id}/hero")
def hero(context: Means, slug: str, frame_id: uuid.UUID) -> Response:
    with context.session() as session:
        series = find_series(session, slug)
        frame = find_frame(session, series, frame_id)
        named = series.hero_id != frame.id
        with arranging.arranged(session, context.studio, series, f"{frame.name} {'' if named else 'no longer '}hero"):
            lighting.name_hero(session, context.studio, series, frame if named else None)
    return _back(slug, frame_id)


@router.post("/frames/{frame_id}/base")
def base(context: Means, slug: str, frame_id: uuid.UUID, base: Annotated[str, Form()]) -> Response:
    with context.session() as session:
        series = find_series(session, slug)
        frame = find_frame(session, series, frame_id)
        with arranging.arranged(session, context.studio, series, f"Light of {frame.name}"):
            lighting.choose_base(session, context.studio, series, frame, base)
    return _back(slug, frame_id)


@router.post("/frames/{frame_id}/develop")
def develop(context: Means, slug: str, frame_id: uuid.UUID, how: Annotated[str, Form()]) -> Response:
    with context.session() as session:
        series = find_series(session, slug)
        companions.choose_development(session, context.studio, [find_frame(session, series, frame_id)], how)
    return _back(slug, frame_id)


@router.get("/frames/{frame_id}/lenses")
def lenses_for(context: Means, slug: str, frame_id: uuid.UUID, words: str = "") -> JSONResponse:
    with context.session() as session:
        frame = find_frame(session, find_series(session, slug), frame_id)
        found = lenses.lenses_for(frame, words)
    return JSONResponse([{"key": lens.key, "title": lens.title} for lens in found])


@router.post("/frames/{frame_id}/lens")
def lens(context: Means, slug: str, frame_id: uuid.UUID, asked: LensChoice) -> JSONResponse:
    if asked.lens == lenses.FOUND:
        count = fringes.find_in_frame(context.studio, slug, frame_id, asked.everywhere)
    else:
        with context.session() as session:
            series = find_series(session, slug)
            frame = None if asked.everywhere else find_frame(session, series, frame_id)
            count = lenses.choose_lens(session, series, frame, asked.lens)
    return JSONResponse({"words": f"Done to {plural(count, 'frame')}."})


@router.post("/develop")
def develop_all(context: Means, slug: str, how: Annotated[str, Form()]) -> Response:
    with context.session() as session:
        rows = ready_frames(session, find_series(session, slug).id)
        companions.choose_development(session, context.studio, rows, how)
    return _back(slug)


@router.post("/frames/{frame_id}/begin")
def begin(context: Means, slug: str, frame_id: uuid.UUID) -> Response:
    with context.session() as session:
        series = find_series(session, slug)
        frame = find_frame(session, series, frame_id)
        with arranging.arranged(session, context.studio, series, f"Set-up begins with {frame.name}"):
            setups.begin_setup(session, series, frame)
    return _back(slug, frame_id)


@router.post("/frames/{frame_id}/join")
def join(context: Means, slug: str, frame_id: uuid.UUID) -> Response:
    with context.session() as session:
        series = find_series(session, slug)
        frame = find_frame(session, series, frame_id)
        with arranging.arranged(session, context.studio, series, f"Set-up of {frame.name} joined"):
            setups.join_setup(session, series, frame)
    return _back(slug, frame_id)


@router.post("/setups/join")
def join_all(context: Means, slug: str) -> Response:
    with context.session() as session:
        series = find_series(session, slug)
        with arranging.arranged(session, context.studio, series, "All set-ups joined"):
            setups.join_all(session, series)
    return _back(slug)


@router.post("/order")
def order(context: Means, slug: str, by: Annotated[Literal["time", "name"], Form()]) -> Response:
    with context.session() as session:
        series = find_series(session, slug)
        with arranging.arranged(session, context.studio, series, f"In order of {by}"):
            setups.order_by(session, series, by)
    return _back(slug)


@router.post("/gather/{direction}")
def walk(context: Means, slug: str, direction: Literal["undo", "redo"]) -> Response:
    """Undo or redo one change of how frames are arranged."""
    with context.session() as session:
        arranging.walk_arrangement(session, context.studio, find_series(session, slug), direction == "redo")
    return _back(slug)


@router.post("/frames/{frame_id}/put-back")
def put_back(context: Means, slug: str, frame_id: uuid.UUID) -> Response:
    with context.session() as session:
        series = find_series(session, slug)
        gathering.put_frame_back(session, context.studio, series, find_frame(session, series, frame_id))
    return _back(slug, frame_id)


@router.post("/frames/{frame_id}/remove")
def remove(context: Means, slug: str, frame_id: uuid.UUID) -> Response:
    with context.session() as session:
        series = find_series(session, slug)
        names = gathering.remove_frame(session, context.studio, series, find_frame(session, series, frame_id))
    sweep(context.studio, names)
    return _back(slug)


@router.post("/setups/{setup_id}/name")
def name_setup(context: Means, slug: str, setup_id: uuid.UUID, name: Annotated[str, Form()]) -> Response:
    with context.session() as session:
        series = find_series(session, slug)
        with arranging.arranged(session, context.studio, series, "Set-up named"):
            setups.rename_setup(session, series, setup_id, name)
    return _back(slug)
