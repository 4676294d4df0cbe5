"""The worker: takes tasks from the queue and runs the services that they name.

Tasks are idempotent. A worker that is killed leaves its task marked as running; a periodic task hands such tasks out
again once the worker's heartbeat has stopped.
"""

import asyncio
import logging
import uuid

import procrastinate

from nuvett.core.errors import StoreError
from nuvett.services import clips, deliveries, gather, sampling
from nuvett.services.queue import DELIVER, EVEN_SERIES, INGEST_CLIP, INGEST_FRAME, INGEST_REFERENCE
from nuvett.services.studio import Studio
from nuvett.settings import Settings

log = logging.getLogger("nuvett.jobs")
_CONCURRENCY = 2
_RETRY = procrastinate.RetryStrategy(max_attempts=4, linear_wait=2, retry_exceptions=[StoreError, OSError])


def make_app(studio: Studio) -> procrastinate.App:
    """The queue's application with all tasks bound to one studio."""
    app = procrastinate.App(connector=procrastinate.PsycopgConnector(conninfo=studio.settings.database))

    @app.task(name=INGEST_FRAME, retry=_RETRY)
    def ingest_frame(frame_id: str) -> None:
        gather.ingest_frame(studio, uuid.UUID(frame_id))
        with studio.database.session() as session:
            gather.queue_even(session, studio, uuid.UUID(frame_id))

    @app.task(name=INGEST_REFERENCE, retry=_RETRY)
    def ingest_reference(reference_id: str) -> None:
        gather.ingest_reference(studio, uuid.UUID(reference_id))
        with studio.database.session() as session:
            sampling.renew_target_of_reference(session, uuid.UUID(reference_id))

    @app.task(name=INGEST_CLIP, retry=_RETRY)
    def ingest_clip(clip_id: str) -> None:
        clips.ingest_clip(studio, uuid.UUID(clip_id))

    @app.task(name=EVEN_SERIES, retry=_RETRY)
    def even_series(series_id: str) -> None:
        gather.order_and_even(studio, uuid.UUID(series_id))

    @app.task(name=DELIVER, retry=_RETRY)
    def deliver(delivery_id: str) -> None:
        deliveries.make_delivery(studio, uuid.UUID(delivery_id))

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
