"""The worker: takes tasks from the queue and runs the services that they name.

Tasks are idempotent. A worker that is killed leaves its task marked as running; a periodic task hands such tasks out
again once the worker's heartbeat has stopped.
"""

import asyncio
import logging
import uuid
from collections.abc import Callable

import procrastinate

from nuvett.services import clips, deliveries, gather, lighting, sampling
from nuvett.services.queue import DELIVER, EVEN_SERIES, INGEST_CLIP, INGEST_FRAME, INGEST_REFERENCE
from nuvett.services.studio import Studio
from nuvett.settings import Settings

log = logging.getLogger("nuvett.jobs")
_CONCURRENCY = 2
_RETRY = procrastinate.RetryStrategy(max_attempts=3, linear_wait=2)
Work = Callable[[Studio, uuid.UUID], None]


def _ingest_frame(studio: Studio, frame: uuid.UUID) -> None:
    gather.ingest_frame(studio, frame)
    with studio.database.session() as session:
        lighting.queue_even(session, studio, frame)


def _ingest_reference(studio: Studio, reference: uuid.UUID) -> None:
    gather.ingest_reference(studio, reference)
    with studio.database.session() as session:
        sampling.renew_target_of_reference(session, reference)


# What each task does with the row that its one argument names, and what it does when its last try has failed, too.
_TASKS: dict[str, tuple[Work, Work | None]] = {
    INGEST_FRAME: (_ingest_frame, gather.give_up_frame),
    INGEST_REFERENCE: (_ingest_reference, sampling.give_up),
    INGEST_CLIP: (clips.ingest_clip, clips.give_up),
    EVEN_SERIES: (lighting.order_and_even, None),
    DELIVER: (deliveries.make_delivery, deliveries.give_up),
}


def _bind(app: procrastinate.App, studio: Studio, name: str, work: Work, give_up: Work | None) -> None:
    @app.task(name=name, retry=_RETRY, pass_context=True)
    def task(context: procrastinate.JobContext, /, **argument: str) -> None:
        (row,) = (uuid.UUID(value) for value in argument.values())
        try:
            work(studio, row)
        except Exception:
            if give_up is not None and context.job.attempts >= (_RETRY.max_attempts or 0):
                give_up(studio, row)
            raise  # the queue logs it, and tries again while tries are left


def make_app(studio: Studio) -> procrastinate.App:
    """The queue's application with all tasks bound to one studio."""
    app = procrastinate.App(connector=procrastinate.PsycopgConnector(conninfo=studio.settings.database))
    for name, (work, give_up) in _TASKS.items():
        _bind(app, studio, name, work, give_up)

    @app.periodic(cron="* * * * * */10")
    @app.task(name="rescue", queueing_lock="rescue", pass_context=False)
    async def rescue(timestamp: int) -> None:
        for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=studio.settings.stalled_seconds):
            log.warning("A worker stopped during %s; it is handed out again", job.task_name)
            await app.job_manager.retry_job(job)

    return app


async def work(settings: Settings) -> None:
    """Run the worker until it is told to stop."""
    studio = Studio.of(settings)
    app = make_app(studio)
    async with app.open_async():
        await app.run_worker_async(
            concurrency=_CONCURRENCY,
            install_signal_handlers=True,
            fetch_job_polling_interval=0.5,
            update_heartbeat_interval=settings.stalled_seconds / 4,
            stalled_worker_timeout=settings.stalled_seconds,
            shutdown_graceful_timeout=10,
            delete_jobs="successful",
        )
    studio.database.close()


def main() -> None:
    """Entry point of the worker process."""
    logging.basicConfig(level=logging.WARNING, format="%(levelname)s %(name)s: %(message)s")
    asyncio.run(work(Settings()))
