"""Gather: frames arriving, set-ups, the hero."""

import uuid
from dataclasses import dataclass
from typing import Annotated, Any

from fastapi import APIRouter, Form, UploadFile
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from sqlalchemy.orm import Session

from nuvett.core.errors import DuplicateFileError
from nuvett.core.even.even_light import EvenLight
from nuvett.services import companions, gathering, lenses, lighting, setups, watching
from nuvett.services.catalogue import find_frame, find_series, ready_frames, sweep
from nuvett.services.stages import stages_of
from nuvett.services.variants import VARIANT
from nuvett.web.bodies import FolderToWatch, LensChoice
from nuvett.web.context import Context, Means
from nuvett.web.filters import plural

DEVELOPMENTS = [(key, words) for key, (_, words) in companions.DEVELOPMENTS.items()]
router = APIRouter(prefix="/series/{slug}")


@dataclass(frozen=True)
class GatherFrame:
    """One frame on the board."""

    id: str
    name: str
    state: str
    problem: str
    taken: str
    facts: str
    light: str
    sure: bool
    base: str
    file: str
    note: str
    development: str
    lens: str
    lens_choice: str
    hero: bool
    first: bool


@dataclass(frozen=True)
class GatherSetup:
    """Consecutive frames under one bracket."""

    id: str
    name: str
    frames: list[GatherFrame]

    @property
    def times(self) -> str:
        """From when to when it was shot; nothing when no frame says so."""
        known = [frame.taken for frame in self.frames if frame.taken]
        return " to ".join(dict.fromkeys([known[0], known[-1]])) if known else ""


@dataclass(frozen=True)
class Watch:
    """The folder that is watched for the series, and what of it could not be taken."""

    folder: str
    carries: bool
    taken: int
    problem: str
    refused: list[tuple[str, str]]


@dataclass(frozen=True)
class Board:
    """Everything that the board of Gather shows."""

    setups: list[GatherSetup]
    waiting: list[GatherFrame]
    refused: list[GatherFrame]
    removed: list[GatherFrame]
    ready: int
    hero: str
    light_due: bool
    held_up: str
    watch: Watch | None

    @property
    def total(self) -> int:
        return self.ready + len(self.waiting) + len(self.refused)

    @property
    def developments(self) -> list[str]:
        """How raw frames are developed, each way once; none without raw frames."""
        return list(dict.fromkeys(f.development for setup in self.setups for f in setup.frames if f.development))

    @property
    def moving(self) -> bool:
        """Whether work in the background will still change what is shown."""
        return self.light_due or bool(self.waiting) or self.watch is not None


def board_of(context: Context, session: Session, slug: str) -> Board:
    """The board of a series."""
    series = find_series(session, slug)
    names: dict[uuid.UUID | None, str] = {setup.id: setup.name for setup in series.setups}
    setups: list[GatherSetup] = []
    waiting: list[GatherFrame] = []
    refused: list[GatherFrame] = []
    removed: list[GatherFrame] = []
    before: uuid.UUID | None = None
    for row in series.frames:
        if row.state == VARIANT:
            continue
        light = EvenLight.model_validate(row.even) if row.even else None
        first = row.state == "ready" and (not setups or row.setup_id != before)
        frame = GatherFrame(
            id=str(row.id),
            name=row.name,
            state=row.state,
            problem=row.problem,
            taken=row.taken.strftime("%H:%M") if row.taken else "",
            facts=f"{row.width} × {row.height}, {row.bits} bit",
            light=light.words if light else "",
            sure=light is None or not light.is_unsure,
            file=companions.file_words(row),
            note=row.note,
            development=companions.development_of(row),
            lens=lenses.lens_words(row),
            lens_choice=(row.lens or {}).get("choice", lenses.AUTO),
            base="none" if row.light_alone else str(row.light_base_id or "own"),
            hero=row.id == series.hero_id,
            first=first,
        )
        if row.state != "ready":
            {"refused": refused, "removed": removed}.get(row.state, waiting).append(frame)
            continue
        if first:
            setups.append(GatherSetup(str(row.setup_id or ""), names.get(row.setup_id, "Not in a set-up yet"), []))
        setups[-1].frames.append(frame)
        before = row.setup_id
    hero = next((f.name for s in setups for f in s.frames if f.hero), "")
    return Board(
        setups,
        waiting,
        refused,
        removed,
        sum(len(s.frames) for s in setups),
        hero,
        series.light_due,
        context.held_up(session, series),
        _watch(session, series),
    )


def _watch(session: Session, series: Any) -> Watch | None:
    row = watching.watched(session, series)
    if row is None:
        return None
    return Watch(row.folder, row.carries, row.taken, row.problem, watching.refused_there(session, series))


@router.get("/gather")
def show(context: Means, slug: str) -> HTMLResponse:
    with context.session() as session:
        series = find_series(session, slug)
        most = context.studio.settings.upload_bytes // 1_000_000
        values: dict[str, Any] = {"stages": stages_of(session, series), "board": board_of(context, session, slug)}
        values |= {"developments": DEVELOPMENTS, "root": str(context.studio.settings.folders)}
        return context.page("gather.html", "gather", series=series, slug=slug, most_megabytes=most, **values)


@router.get("/gather/board")
def board(context: Means, slug: str) -> HTMLResponse:
    with context.session() as session:
        board = board_of(context, session, slug)
        return context.part("parts/board.html", board=board, slug=slug, developments=DEVELOPMENTS)


@router.post("/frames")
def upload(context: Means, slug: str, file: UploadFile) -> Response:
    try:
        with context.session() as session:
            series = find_series(session, slug)
            frame = gathering.add_frame(session, context.studio, series, file.filename or "", file.file)
            return JSONResponse({"id": str(frame.id), "name": frame.name}, 201)
    except DuplicateFileError as error:  # bringing in a folder again is no mistake
        return JSONResponse({"already": error.message})


def _back(slug: str, anchor: str = "") -> Response:
    return RedirectResponse(f"/series/{slug}/gather{anchor}", 303)


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
        lighting.name_hero(session, context.studio, series, None if series.hero_id == frame.id else frame)
    return _back(slug, f"#frame-{frame_id}")


@router.post("/frames/{frame_id}/base")
def base(context: Means, slug: str, frame_id: uuid.UUID, base: Annotated[str, Form()]) -> Response:
    with context.session() as session:
        series = find_series(session, slug)
        lighting.choose_base(session, context.studio, series, find_frame(session, series, frame_id), base)
    return _back(slug, f"#frame-{frame_id}")


@router.post("/frames/{frame_id}/develop")
def develop(context: Means, slug: str, frame_id: uuid.UUID, how: Annotated[str, Form()]) -> Response:
    with context.session() as session:
        series = find_series(session, slug)
        companions.choose_development(session, context.studio, [find_frame(session, series, frame_id)], how)
    return _back(slug, f"#frame-{frame_id}")


@router.get("/frames/{frame_id}/lenses")
def lenses_for(context: Means, slug: str, frame_id: uuid.UUID, words: str = "") -> JSONResponse:
    with context.session() as session:
        frame = find_frame(session, find_series(session, slug), frame_id)
        found = lenses.lenses_for(frame, words)
    return JSONResponse([{"key": lens.key, "title": lens.title} for lens in found])


@router.post("/frames/{frame_id}/lens")
def lens(context: Means, slug: str, frame_id: uuid.UUID, asked: LensChoice) -> JSONResponse:
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
        setups.begin_setup(session, series, find_frame(session, series, frame_id))
        lighting.let_light_be_evened(session, context.studio, series.id)
    return _back(slug, f"#frame-{frame_id}")


@router.post("/frames/{frame_id}/join")
def join(context: Means, slug: str, frame_id: uuid.UUID) -> Response:
    with context.session() as session:
        series = find_series(session, slug)
        setups.join_setup(session, series, find_frame(session, series, frame_id))
        lighting.let_light_be_evened(session, context.studio, series.id)
    return _back(slug, f"#frame-{frame_id}")


@router.post("/frames/{frame_id}/put-back")
def put_back(context: Means, slug: str, frame_id: uuid.UUID) -> Response:
    with context.session() as session:
        series = find_series(session, slug)
        gathering.put_frame_back(session, context.studio, series, find_frame(session, series, frame_id))
    return _back(slug, f"#frame-{frame_id}")


@router.post("/frames/{frame_id}/remove")
def remove(context: Means, slug: str, frame_id: uuid.UUID) -> Response:
    with context.session() as session:
        series = find_series(session, slug)
        names = gathering.remove_frame(session, context.studio, series, find_frame(session, series, frame_id))
    with context.session() as session:
        sweep(session, context.studio.blobs, names)
    return _back(slug)


@router.post("/setups/{setup_id}/name")
def name_setup(context: Means, slug: str, setup_id: uuid.UUID, name: Annotated[str, Form()]) -> Response:
    with context.session() as session:
        setups.rename_setup(session, find_series(session, slug), setup_id, name)
    return _back(slug)
