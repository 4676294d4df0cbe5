"""The board of Gather: frames by set-up, those that wait or were refused, and the folder that is watched."""

import uuid
from dataclasses import dataclass

from sqlalchemy.orm import Session

from nuvett.core.even.even_light import EvenLight
from nuvett.services.platform.history import redo_words, steps, undo_words
from nuvett.services.series import arranging, companions, lenses, watching
from nuvett.services.series.catalogue import find_series
from nuvett.services.series.rows import Series
from nuvett.services.series.variants import VARIANT
from nuvett.web.context import Context


@dataclass(frozen=True)
class GatherFrame:
    """One frame on the board."""

    id: str
    name: str
    problem: str
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
    ordered_by: str
    undo: str
    redo: str

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
            problem=row.problem,
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
            hero=row.id == series.hero_id,
            first=first,
            favourite=row.favourite,
            left_out=row.left_out,
        )
        if row.state != "ready":
            {"refused": refused, "removed": removed}.get(row.state, waiting).append(frame)
            continue
        if first:
            setups.append(GatherSetup(str(row.setup_id or ""), names.get(row.setup_id, "Not in a set-up yet"), []))
        setups[-1].frames.append(frame)
        before = row.setup_id
    past = steps(session, arranging.subject_of(series))
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
        series.ordered_by,
        undo_words(past),
        redo_words(past),
    )


def _watch(session: Session, series: Series) -> Watch | None:
    row = watching.watched(session, series)
    if row is None:
        return None
    return Watch(row.folder, row.carries, row.taken, watching.problem_of(row), watching.refused_there(session, series))
