"""What is known of the workers: whether one is at work, which of its jobs wait for what, and which give way."""

import uuid
from collections.abc import Collection, Iterator
from contextlib import contextmanager

from sqlalchemy import bindparam, select, text, update
from sqlalchemy.orm import Session

from nuvett.core.errors import StoppingError
from nuvett.services.platform.locks import Lock
from nuvett.services.platform.queue import priority_of
from nuvett.services.platform.studio import Studio
from nuvett.store import models

_WAIT_FOR = (models.FrameRow, models.ReferenceRow, models.ClipRow, models.DeliveryRow)


@contextmanager
def at_work(studio: Studio) -> Iterator[bool]:
    """Hold a worker's lock while it lives; whether no other worker lived when it began.

    The server lets go of a lock when the connection that holds it ends, however that comes about.
    """
    with studio.database.engine.connect() as connection:
        alone = bool(connection.scalar(text("SELECT pg_try_advisory_lock(:lock)"), {"lock": Lock.AT_WORK.value}))
        connection.execute(text("SELECT pg_advisory_lock_shared(:lock)"), {"lock": Lock.AT_WORK.value})
        if alone:
            connection.execute(text("SELECT pg_advisory_unlock(:lock)"), {"lock": Lock.AT_WORK.value})
        connection.commit()
        yield alone


def worker_beats(session: Session, seconds: float) -> bool:
    """Whether any worker gave a sign of life within so many seconds."""
    newest = session.scalar(text("SELECT extract(epoch FROM now() - max(last_heartbeat)) FROM procrastinate_workers"))
    return newest is not None and float(newest) < seconds


_SILENT = "Background processing is not running. It restarts by itself; queued work is safe."


def held_up(session: Session, series: models.SeriesRow, seconds: float) -> str:
    """Why a series' waiting work does not go on, in words; nothing when it does, or when none waits.

    seconds : silence after which a worker counts as dead; work that has not waited that long is given time
    """
    told: list[str] = []
    for table in _WAIT_FOR:
        waits = select(table.problem).where(
            table.series_id == series.id, table.state.in_(("waiting", "running")), table.problem != ""
        )
        told += session.scalars(waits.limit(1))
    if series.light_problem:
        told.append(series.light_problem)
    if not worker_beats(session, seconds) and _waited(session, seconds):
        told.insert(0, _SILENT)
    return told[0] if told else ""


def _waited(session: Session, seconds: float) -> bool:
    """Whether any work has been in the queue for so many seconds."""
    query = text(
        "SELECT EXISTS (SELECT 1 FROM procrastinate_jobs AS job JOIN procrastinate_events AS event "
        "ON event.job_id = job.id AND event.type = 'deferred' WHERE job.status IN ('todo', 'doing') "
        "AND event.at < now() - make_interval(secs => :seconds))"
    )
    return bool(session.scalar(query, {"seconds": seconds}))


def forget_workers(session: Session) -> None:
    """Forget all workers on record; for the one that knows that it is alone."""
    session.execute(text("DELETE FROM procrastinate_workers"))


def twin_waits(studio: Studio, name: str | None) -> bool:
    """Whether a job waits under this name, which will do all that another of that name would."""
    query = text("SELECT EXISTS (SELECT 1 FROM procrastinate_jobs WHERE status = 'todo' AND queueing_lock = :name)")
    with studio.database.session() as session:
        return name is not None and bool(session.scalar(query, {"name": name}))


def under_way(session: Session, names: Collection[str]) -> set[str]:
    """Those of some names under which a job waits or is at work."""
    query = text("SELECT lock FROM procrastinate_jobs WHERE status IN ('todo', 'doing') AND lock IN :names").bindparams(
        bindparam("names", expanding=True)
    )
    return set(session.scalars(query, {"names": list(names)})) if names else set()


# What could begin at once: nothing that is for later, and nothing that may not run beside what runs.
_WAITS = text(
    "SELECT EXISTS (SELECT 1 FROM procrastinate_jobs AS job WHERE status = 'todo' AND priority > :own"
    " AND (scheduled_at IS NULL OR scheduled_at <= now()) AND NOT EXISTS"
    " (SELECT 1 FROM procrastinate_jobs AS other WHERE other.status = 'doing' AND other.lock = job.lock))"
)


def give_way(studio: Studio, task: str) -> None:
    """Raises StoppingError where work that is more urgent than a task waits, or the application stops.

    A task that ends so is queued again, behind what it gave way to.
    """
    studio.pause()
    with studio.database.session() as session:
        if session.scalar(_WAITS, {"own": priority_of(task)}):
            raise StoppingError


def hand_back(studio: Studio, jobs: set[int]) -> None:
    """Let running jobs wait again, for the next worker, without that counting as a try."""
    if not jobs:
        return
    again = text(
        "UPDATE procrastinate_jobs AS job SET status = 'todo' WHERE id IN :jobs AND status = 'doing' AND NOT EXISTS "
        "(SELECT 1 FROM procrastinate_jobs AS twin WHERE twin.status = 'todo' "
        "AND twin.queueing_lock = job.queueing_lock)"
    ).bindparams(bindparam("jobs", expanding=True))
    with studio.database.session() as session:
        session.execute(again, {"jobs": sorted(jobs)})


def say_waiting(studio: Studio, row_id: uuid.UUID, words: str) -> None:
    """Write beside whatever waits under an id what it waits for."""
    with studio.database.session() as session:
        for table in _WAIT_FOR:
            waits = update(table).where(table.id == row_id, table.state.in_(("waiting", "running")))
            session.execute(waits.values(problem=words))
        session.execute(update(models.SeriesRow).where(models.SeriesRow.id == row_id).values(light_problem=words))
        of_file = (
            select(models.DeliveryFileRow.delivery_id).where(models.DeliveryFileRow.id == row_id).scalar_subquery()
        )
        session.execute(update(models.DeliveryRow).where(models.DeliveryRow.id == of_file).values(problem=words))
