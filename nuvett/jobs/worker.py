"""The worker: takes tasks from the queue and runs the services that they name.

Tasks are idempotent. A worker that is killed leaves its task marked as running; a periodic task hands such tasks out
again once the worker's heartbeat has stopped.
"""

import asyncio
import logging
import uuid
from collections.abc import Callable

import procrastinate

from nuvett.services import clips, deliveries, gather, sampling
from nuvett.services.queue import DELIVER, EVEN_SERIES, INGEST_CLIP, INGEST_FRAME, INGEST_REFERENCE
from nuvett.services.studio import Studio
from nuvett.settings import Settings

log = logging.getLogger("nuvett.jobs")
_CONCURRENCY = 2
_RETRY = procrastinate.RetryStrategy(max_attempts=3, linear_wait=2)


def _try(context: procrastinate.JobContext, work: Callable[[], None], give_up: Callable[[], None]) -> None:
    """Do a task's work; when its last try fails, too, give up in an orderly way, and let the queue log the fault."""
    try:
        work()
    except Exception:
        if context.job.attempts >= (_RETRY.max_attempts or 0):
            give_up()
        raise


def make_app(studio: Studio) -> procrastinate.App:
    """The queue's application with all tasks bound to one studio."""
    app = procrastinate.App(connector=procrastinate.PsycopgConnector(conninfo=studio.settings.database))

    @app.task(name=INGEST_FRAME, retry=_RETRY, pass_context=True)
    def ingest_frame(context: procrastinate.JobContext, frame_id: str) -> None:
        frame = uuid.UUID(frame_id)
        _try(context, lambda: gather.ingest_frame(studio, frame), lambda: gather.give_up_frame(studio, frame))
        with studio.database.session() as session:
            gather.queue_even(session, studio, frame)

    @app.task(name=INGEST_REFERENCE, retry=_RETRY, pass_context=True)
    def ingest_reference(context: procrastinate.JobContext, reference_id: str) -> None:
        reference = uuid.UUID(reference_id)
        _try(
            context,
            lambda: gather.ingest_reference(studio, reference),
            lambda: sampling.give_up(studio, reference),
        )
        with studio.database.session() as session:
            sampling.renew_target_of_reference(session, reference)

    @app.task(name=INGEST_CLIP, retry=_RETRY, pass_context=True)
    def ingest_clip(context: procrastinate.JobContext, clip_id: str) -> None:
        clip = uuid.UUID(clip_id)
        _try(context, lambda: clips.ingest_clip(studio, clip), lambda: clips.give_up(studio, clip))

    @app.task(name=EVEN_SERIES, retry=_RETRY)
    def even_series(series_id: str) -> None:
        gather.order_and_even(studio, uuid.UUID(series_id))

    @app.task(name=DELIVER, retry=_RETRY, pass_context=True)
    def deliver(context: procrastinate.JobContext, delivery_id: str) -> None:
        delivery = uuid.UUID(delivery_id)
        _try(
            context,
            lambda: deliveries.make_delivery(studio, delivery),
            lambda: deliveries.give_up(studio, delivery),
        )

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
