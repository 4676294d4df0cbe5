"""How frames of a series are arranged, as named steps that can be undone: set-ups, hero, order, bases of light."""

import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from sqlalchemy import ColumnElement, select
from sqlalchemy.orm import Session

from nuvett.services.platform import history
from nuvett.services.platform.studio import Studio
from nuvett.services.series.catalogue import lock_series, ready_frames
from nuvett.services.series.lighting import let_light_be_evened
from nuvett.services.series.setups import number_setups, sort_by_time
from nuvett.store import models


def subject_of(series: models.SeriesRow) -> str:
    """What the history of a series' arrangement goes by."""
    return f"gather:{series.id}"


def _state(session: Session, series: models.SeriesRow) -> dict[str, Any]:
    frames = {
        str(frame.id): [_text(frame.setup_id), frame.light_alone, _text(frame.light_base_id)]
        for frame in ready_frames(session, series.id)
    }
    rows = session.scalars(select(models.SetUpRow).where(models.SetUpRow.series_id == series.id))
    names = {str(row.id): row.name for row in rows}
    return {"frames": frames, "names": names, "hero": _text(series.hero_id), "order": series.ordered_by}


def _text(key: uuid.UUID | None) -> str | None:
    return str(key) if key else None


@contextmanager
def arranged(session: Session, studio: Studio, series: models.SeriesRow, words: str) -> Iterator[None]:
    """A change of the arrangement: kept in the history under its words, and the light evened anew where it matters."""
    lock_series(session, series.id)
    before = _state(session, series)
    yield
    session.flush()
    after = _state(session, series)
    if after != before:
        history.record(session, series.id, subject_of(series), words, before, after)
        _even_if_changed(session, studio, series, before, after)


def _even_if_changed(
    session: Session, studio: Studio, series: models.SeriesRow, before: dict[str, Any], after: dict[str, Any]
) -> None:
    if any(before[what] != after[what] for what in ("frames", "hero")):
        let_light_be_evened(session, studio, series.id)


def walk_arrangement(session: Session, studio: Studio, series: models.SeriesRow, forward: bool) -> str:
    """Undo or redo one change of the arrangement; its words. Raises InvalidChangeError when there is none.

    Frames that came or went since keep what they have.
    """
    lock_series(session, series.id)
    passed = history.walked(session, subject_of(series), forward)
    now = _state(session, series)
    _restore(session, series, passed.state)
    _even_if_changed(session, studio, series, now, _state(session, series))
    return passed.step.words


def _restore(session: Session, series: models.SeriesRow, state: dict[str, Any]) -> None:
    present = {str(row.id): row for row in session.scalars(select(models.SetUpRow).where(_of(series)))}
    for key, name in state["names"].items():
        if key not in present:
            present[key] = models.SetUpRow(id=uuid.UUID(key), series_id=series.id, position=0, name=name)
            session.add(present[key])
        present[key].name = name
    session.flush()
    by_id = {str(frame.id): frame for frame in ready_frames(session, series.id)}
    for key, (setup, alone, base) in state["frames"].items():
        if key in by_id:
            frame = by_id[key]
            frame.setup_id = uuid.UUID(setup) if setup in present else frame.setup_id
            frame.light_alone = alone
            frame.light_base_id = uuid.UUID(base) if base in present else None
    series.hero_id = uuid.UUID(state["hero"]) if state["hero"] in by_id else None
    series.ordered_by = state["order"]
    session.flush()
    sort_by_time(session, series.id)
    number_setups(session, series.id)


def _of(series: models.SeriesRow) -> ColumnElement[bool]:
    return models.SetUpRow.series_id == series.id
