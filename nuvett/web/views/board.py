"""The board of Gather: frames by set-up, those that wait or were refused, and the folder that is watched."""

import uuid
from dataclasses import dataclass, fields
from datetime import datetime
from itertools import groupby, pairwise

from pydantic import Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from nuvett.core.even.even_light import EvenLight
from nuvett.services.platform.history import redo_words, steps, undo_words
from nuvett.services.series import arranging, companions, lenses, watching
from nuvett.services.series.catalogue import find_series
from nuvett.services.series.lighting import setups_left
from nuvett.services.series.rows import Frame, Series
from nuvett.services.series.variants import VARIANT
from nuvett.web.context import Context
from nuvett.web.views.frame_lists import FramesAsked

WHOLE, PAGE = 48, 24
"""Frames up to which a board is there whole, and of a longer one at once; more come as they are looked for."""

_COMING = 16  # frames that wait which are shown


@dataclass(frozen=True)
class GatherFrame:
    """One frame on the board."""

    id: str
    name: str
    taken: str
    light: str
    sure: bool
    by_key: bool
    base: str
    file: str
    note: str
    development: str
    lens: str
    lens_choice: str
    hero: bool
    first: bool
    favourite: bool
    left_out: bool


@dataclass(frozen=True)
class GatherSetup:
    """Consecutive frames under one bracket.

    places : its frames that are asked for, none for those on other pages; count : of all; first : id of the first
    """

    id: str
    name: str
    places: list[GatherFrame | None]
    count: int
    times: str
    first: str


class BoardPage(FramesAsked):
    """Which frames of a board are asked for, and which page of it: from a place on, or the one with a frame."""

    start: int = Field(default=0, ge=0)
    frame: uuid.UUID | None = None


@dataclass(frozen=True)
class Watch:
    """The folder that is watched for the series, and what of it could not be taken."""

    folder: str
    carries: bool
    taken: int
    problem: str
    refused: list[tuple[str, str]]


@dataclass(frozen=True)
class RefusedFile:
    """A file that is no frame of the board, by its name, and why."""

    id: str
    name: str
    problem: str


@dataclass(frozen=True)
class Board:
    """Everything that the board of Gather shows.

    light_left : set-ups whose light is being evened, each by a job
    coming : the first frames that wait to be measured; page_size : how many frames are there at once
    """

    setups: list[GatherSetup]
    waiting: int
    refused: list[RefusedFile]
    removed: list[RefusedFile]
    ready: int
    hero: str
    light_due: bool
    light_left: int
    held_up: str
    watch: Watch | None
    ordered_by: str
    developments: list[str]
    coming: list[RefusedFile]
    asked: BoardPage
    page_size: int
    undo: str
    redo: str

    @property
    def total(self) -> int:
        return self.ready + self.waiting + len(self.refused)

    @property
    def moving(self) -> bool:
        """Whether work in the background will still change what is shown."""
        return self.light_due or bool(self.waiting) or self.watch is not None


@dataclass(frozen=True)
class _Row:
    """What the board needs of every frame."""

    id: uuid.UUID
    name: str
    state: str
    problem: str
    setup_id: uuid.UUID | None
    taken: datetime | None
    favourite: bool
    left_out: bool

    @property
    def named(self) -> RefusedFile:
        return RefusedFile(str(self.id), self.name, self.problem)


def _rows(session: Session, series: Series) -> list[_Row]:
    columns = [getattr(Frame, one.name) for one in fields(_Row)]
    query = select(*columns).where(Frame.series_id == series.id, Frame.state != VARIANT).order_by(Frame.position)
    return [_Row(*row) for row in session.execute(query)]


def board_of(context: Context, session: Session, slug: str, asked: BoardPage) -> Board:
    """The board of a series."""
    series = find_series(session, slug)
    rows = _rows(session, series)
    ready = [row for row in rows if row.state == "ready"]
    wanted = [row for row in ready if asked.finds(row)]
    at = next((place for place, row in enumerate(wanted) if row.id == asked.frame), asked.start)
    size = WHOLE if len(wanted) <= WHOLE else PAGE
    start = at // size * size
    shown = _frames(session, series, wanted[start : start + size], ready)
    past = steps(session, arranging.subject_of(series))
    return Board(
        setups=_setups(series, ready, {row.id for row in wanted}, shown),
        waiting=sum(row.state == "waiting" for row in rows),
        refused=[row.named for row in rows if row.state == "refused"],
        removed=[row.named for row in rows if row.state == "removed"],
        ready=len(ready),
        hero=next((row.name for row in ready if row.id == series.hero_id), ""),
        light_due=series.light_due,
        light_left=setups_left(session, series),
        held_up=context.held_up(session, series),
        watch=_watch(session, series),
        ordered_by=series.ordered_by,
        developments=companions.developments_in(session, series),
        coming=[row.named for row in rows if row.state == "waiting"][:_COMING],
        asked=asked,
        page_size=size,
        undo=undo_words(past),
        redo=redo_words(past),
    )


def _setups(
    series: Series, ready: list[_Row], wanted: set[uuid.UUID], shown: dict[uuid.UUID, GatherFrame]
) -> list[GatherSetup]:
    names: dict[uuid.UUID | None, str] = {setup.id: setup.name for setup in series.setups}
    found = []
    for setup, group in groupby(ready, key=lambda row: row.setup_id):
        rows = list(group)
        times = [row.taken.strftime("%H:%M") for row in rows if row.taken]
        shot = " to ".join(dict.fromkeys([times[0], times[-1]])) if times else ""
        places = [shown.get(row.id) for row in rows if row.id in wanted]
        name = names.get(setup, "Not in a set-up yet")
        found.append(GatherSetup(str(setup or ""), name, places, len(rows), shot, str(rows[0].id)))
    return found


def _frames(session: Session, series: Series, page: list[_Row], ready: list[_Row]) -> dict[uuid.UUID, GatherFrame]:
    """Frames of a page with all that is said of each."""
    befores = pairwise([None, *ready])
    begins = {row.id for before, row in befores if row and (before is None or before.setup_id != row.setup_id)}
    rows = session.scalars(select(Frame).where(Frame.id.in_([row.id for row in page])))
    return {row.id: _frame(row, row.id == series.hero_id, row.id in begins) for row in rows}


def _frame(row: Frame, hero: bool, first: bool) -> GatherFrame:
    light = EvenLight.model_validate(row.even) if row.even else None
    return GatherFrame(
        id=str(row.id),
        name=row.name,
        taken=row.taken.strftime("%H:%M") if row.taken else "",
        light=light.words if light else "",
        sure=light is None or not light.wants_a_look,
        by_key=light is not None and light.is_unsure,
        file=companions.file_words(row),
        note=row.note,
        development=companions.development_of(row),
        lens=lenses.lens_words(row),
        lens_choice=(row.lens or {}).get("choice", lenses.AUTO),
        base="none" if row.light_alone else str(row.light_base_id or "own"),
        hero=hero,
        first=first,
        favourite=row.favourite,
        left_out=row.left_out,
    )


def _watch(session: Session, series: Series) -> Watch | None:
    row = watching.watched(session, series)
    if row is None:
        return None
    return Watch(row.folder, row.carries, row.taken, watching.problem_of(row), watching.refused_there(session, series))
