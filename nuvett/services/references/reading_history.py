"""Changes of references as named steps, each with the target that follows from it."""

from collections.abc import Iterator
from contextlib import contextmanager

from sqlalchemy import select
from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError
from nuvett.core.reading.regions import Sampling
from nuvett.services.platform import history
from nuvett.services.platform.studio import Studio
from nuvett.services.references.kept_references import State, measure_sampling, references_of, set_reading, state_of
from nuvett.services.references.parts import restore_parts
from nuvett.services.references.targets import lock_series, renew_target_if_weighed
from nuvett.store import models


def subject_of(series: models.SeriesRow) -> str:
    """What the history of a series' references goes by."""
    return f"read:{series.id}"


@contextmanager
def recorded(session: Session, series: models.SeriesRow, words: str) -> Iterator[None]:
    """A change of references: kept in the history under its words, and the target blended anew."""
    lock_series(session, series)
    before = state_of(session, series.id)
    yield
    session.flush()
    after = state_of(session, series.id)
    changed = {name for name in before.keys() | after.keys() if before.get(name) != after.get(name)}
    if changed:
        absent = {"removed": True}
        history.record(
            session,
            series.id,
            subject_of(series),
            words,
            {name: before.get(name, absent) for name in changed},
            {name: after[name] for name in changed},
        )
    renew_target_if_weighed(session, series.id)


def restore(session: Session, studio: Studio, series: models.SeriesRow, state: State) -> None:
    """Put references back into a state, measuring anew those whose sampling differs; others are left alone."""
    for row in references_of(session, series.id):
        wanted = state.get(str(row.id))
        if wanted is None:
            continue
        row.removed = wanted.get("removed", False)
        row.tone_weight, row.colour_weight = (
            wanted.get("tone", row.tone_weight),
            wanted.get("colour", row.colour_weight),
        )
        if row.state == "ready":
            restore_parts(studio, row, wanted.get("parts", []))
        if row.state == "ready" and wanted.get("sampling", row.sampling) != row.sampling:
            set_reading(row, measure_sampling(studio, row.proxy or "", Sampling.model_validate(wanted["sampling"])))
    session.flush()


def walk_references(session: Session, studio: Studio, series: models.SeriesRow, forward: bool) -> str:
    """Undo or redo one change of references; its words. Raises InvalidChangeError when there is none."""
    lock_series(session, series)
    passed = history.walked(session, subject_of(series), forward)
    restore(session, studio, series, passed.state)
    renew_target_if_weighed(session, series.id)
    return passed.step.words


def return_to_target(session: Session, studio: Studio, series: models.SeriesRow, number: int) -> None:
    """Sample and weigh the references as they were for a version of the target; what was then is blended anew.

    Raises InvalidChangeError for a version that is not kept, or whose references are gone.
    """
    row = session.scalars(
        select(models.TargetRow).where(models.TargetRow.series_id == series.id, models.TargetRow.number == number)
    ).first()
    if row is None or not row.sources:
        raise InvalidChangeError("How that version was sampled is not kept.")
    sources = {name: state for name, state in row.sources.items() if "sampling" in state}
    name = f"Target as in version {number}"
    with recorded(session, series, name):
        later = {str(r.id): {"removed": True} for r in references_of(session, series.id) if str(r.id) not in sources}
        restore(session, studio, series, sources | later)
