"""Jobs whose worker died, and jobs that this worker leaves when it stops: handed out again, finished, or given up."""

import logging
import uuid
from collections.abc import Callable, Iterable

import procrastinate
from procrastinate.exceptions import ConnectorException, UniqueViolation
from procrastinate.jobs import Job, Status

from nuvett.services.platform.studio import Studio
from nuvett.services.platform.workers import twin_waits

log = logging.getLogger("nuvett.jobs")
GiveUp = Callable[[Studio, uuid.UUID], None]


def row_of(job: Job) -> uuid.UUID | None:
    """The row that a job's one argument names; none for the queue's own jobs."""
    values = [value for value in job.task_kwargs.values() if isinstance(value, str)]
    return uuid.UUID(values[0]) if len(values) == 1 else None


async def hand_out_again(
    app: procrastinate.App, studio: Studio, jobs: Iterable[Job], give_up: dict[str, GiveUp], most: int
) -> None:
    """Deal with jobs whose worker died, each by itself, so that one that cannot be dealt with holds up no other.

    A death counts as a try: at the limit the job is given up, because it may be what killed the worker.
    """
    for job in jobs:
        try:
            await _hand_out_again(app, studio, job, give_up.get(job.task_name), most)
        except ConnectorException:
            log.exception("A job of a dead worker, %s, could not be handed out again", job.task_name)


async def _hand_out_again(app: procrastinate.App, studio: Studio, job: Job, give_up: GiveUp | None, most: int) -> None:
    row = row_of(job)
    if job.id is None:
        return
    if twin_waits(studio, job.queueing_lock):
        await app.job_manager.finish_job_by_id_async(job.id, Status.ABORTED, delete_job=True)
    elif job.attempts + 1 > most:
        log.error("A worker stopped during %s %d times; it is given up", job.task_name, job.attempts + 1)
        if give_up is not None and row is not None:
            give_up(studio, row)
        await app.job_manager.finish_job_by_id_async(job.id, Status.FAILED, delete_job=False)
    else:
        log.warning("A worker stopped during %s; it is handed out again", job.task_name)
        try:
            await app.job_manager.retry_job(job)
        except UniqueViolation:  # a twin came in between
            await app.job_manager.finish_job_by_id_async(job.id, Status.ABORTED, delete_job=True)
