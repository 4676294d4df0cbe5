"""Walls of long series worked out in the background: the state that somebody looks at, and no other any more."""

import uuid
from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import update
from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError, NotFoundError
from nuvett.services.engine.facts import Facts
from nuvett.services.engine.wall import Wall, WallRequest
from nuvett.services.looks.carrying import carry_state
from nuvett.services.looks.wall_states import state_of, usual_state
from nuvett.services.platform.queue import FILL_WALL
from nuvett.services.platform.studio import Studio
from nuvett.services.series.catalogue import find_series
from nuvett.services.series.frame_facts import series_facts
from nuvett.store import models

_AT_ONCE = 24  # frames that are worked out before it is asked again what is looked at


@dataclass(frozen=True)
class Filling:
    """How far a wall is worked out."""

    known: int
    frames: int


def queue_fill(
    session: Session, studio: Studio, series_id: uuid.UUID, walls: Sequence[tuple[str, Wall | None]]
) -> None:
    """Let the states of a series that are looked at be worked out where frames of them are missing."""
    states = [key for key, wall in walls if wall is not None and wall.missing]
    if states:
        _queue(session, studio, series_id, states)


def _queue(session: Session, studio: Studio, series_id: uuid.UUID, states: Sequence[str]) -> None:
    asked = update(models.SeriesRow).where(models.SeriesRow.id == series_id)
    session.execute(asked.values(wall_asked=" ".join(states)))
    studio.queue.defer(session, FILL_WALL, once=f"wall-{series_id}", series_id=str(series_id))


def filling_of(studio: Studio, session: Session, slug: str, key: str) -> Filling:
    """How far a state of a series' wall is worked out; who asks looks at it, so it goes on. Raises as `state_of`."""
    series = find_series(session, slug)
    facts = series_facts(session, series)
    missing = _state(studio, session, series, facts, key).missing()
    if missing and key not in series.wall_asked.split():
        _queue(session, studio, series.id, [*series.wall_asked.split(), key])
    return Filling(len(facts) - len(missing), len(facts))


def leave_wall(session: Session, series: models.SeriesRow, stopped: bool) -> None:
    """Work out no more of what is looked at; unless it was stopped, what is seen first is worked out all the same."""
    asked, usual = series.wall_asked.split(), ""
    if asked and not stopped:
        usual = usual_state(carry_state(session, series, series_facts(session, series)))
    series.wall_asked = usual if usual in asked else ""


def _state(studio: Studio, session: Session, series: models.SeriesRow, facts: Facts, key: str) -> WallRequest:
    wanted = state_of(session, series, facts, key)
    return WallRequest.of(studio.bench, facts, wanted.aims, wanted.show)


def prepare_wall(session: Session, studio: Studio, series_id: uuid.UUID) -> None:
    """Let what a person sees first of a series be worked out before they look, once its light is evened."""
    series = session.get(models.SeriesRow, series_id)
    if series is None or series.light_due:
        return
    facts = series_facts(session, series)
    if facts:
        usual = usual_state(carry_state(session, series, facts))
        _queue(session, studio, series_id, list(dict.fromkeys([*series.wall_asked.split(), usual])))


def fill_wall(studio: Studio, series_id: uuid.UUID) -> None:
    """Work out what is missing of the states that are looked at, as they are by then. Idempotent.

    What is asked for meanwhile takes the place of what was: a look that was changed again is not worked out.
    """
    at_work: list[WallRequest] = []
    missing: list[tuple[WallRequest, int]] = []
    while True:
        studio.pause()
        asked = _asked(studio, series_id)
        if not _are_same(asked, at_work):
            at_work, missing = asked, [(state, index) for state in asked for index in state.missing()]
        if not missing:
            return
        state = missing[0][0]
        due = [index for other, index in missing[:_AT_ONCE] if other is state]
        state.work_out(due)
        del missing[: len(due)]


def _are_same(one: Sequence[WallRequest], other: Sequence[WallRequest]) -> bool:
    return len(one) == len(other) and all(a.is_same(b) for a, b in zip(one, other, strict=True))


def _asked(studio: Studio, series_id: uuid.UUID) -> list[WallRequest]:
    with studio.database.session() as session:
        series = session.get(models.SeriesRow, series_id)
        if series is None:
            return []
        facts = series_facts(session, series)
        states = []
        for key in series.wall_asked.split():
            try:
                states.append(_state(studio, session, series, facts, key))
            except (InvalidChangeError, NotFoundError):  # a version or a draft that is not there any more
                continue
    return states


def leave(studio: Studio, series_id: uuid.UUID) -> None:
    """Nothing is lost: whoever looks at the wall asks for it again."""
