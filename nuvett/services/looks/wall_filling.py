"""Walls of long series worked out in the background: the state that somebody looks at, and no other any more."""

import uuid
from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import update
from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError, NotFoundError, StoppingError
from nuvett.services.engine.wall import State, Wall
from nuvett.services.looks.wall_states import state_of
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
        asked = update(models.Series).where(models.Series.id == series_id)
        session.execute(asked.values(wall_asked=" ".join(states)))
        studio.queue.defer(session, FILL_WALL, once=f"wall-{series_id}", series_id=str(series_id))


def filling_of(studio: Studio, session: Session, slug: str, key: str) -> Filling:
    """How far a state of a series' wall is worked out. Raises as `state_of`."""
    series = find_series(session, slug)
    facts = series_facts(session, series)
    wanted = state_of(session, series, facts, key)
    missing = State.of(studio.bench, facts, wanted.aims, wanted.show).missing()
    return Filling(len(facts) - len(missing), len(facts))


def fill_wall(studio: Studio, series_id: uuid.UUID) -> None:
    """Work out what is missing of the states that are looked at, as they are by then. Idempotent.

    What is asked for meanwhile takes the place of what was: a look that was changed again is not worked out.
    """
    while (due := _due(studio, series_id)) is not None:
        if studio.stopping.is_set():
            raise StoppingError
        state, indices = due
        state.work_out(indices)


def _due(studio: Studio, series_id: uuid.UUID) -> tuple[State, list[int]] | None:
    with studio.database.session() as session:
        series = session.get(models.Series, series_id)
        if series is None:
            return None
        facts = series_facts(session, series)
        states = []
        for key in series.wall_asked.split():
            try:
                states.append(state_of(session, series, facts, key))
            except (InvalidChangeError, NotFoundError):  # a version or a draft that is not there any more
                continue
    for one in states:
        state = State.of(studio.bench, facts, one.aims, one.show)
        missing = state.missing()
        if missing:
            return state, missing[:_AT_ONCE]
    return None


def leave(studio: Studio, series_id: uuid.UUID) -> None:
    """Nothing is lost: whoever looks at the wall asks for it again."""
