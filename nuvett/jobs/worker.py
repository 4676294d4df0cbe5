"""The worker: takes tasks from the queue and runs the services that they name.

Tasks are idempotent. A worker that is killed leaves its tasks marked as running; they are handed out again by the next
worker that starts, or by one that runs on once the dead one's heartbeat has stopped.
"""

import asyncio
import logging
import os
import signal
import stat
import sys
import threading
import uuid
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass

import procrastinate
from procrastinate.exceptions import ProcrastinateException
from procrastinate.jobs import Job
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from nuvett.core.errors import DiskFullError, MissingBlobError, NuvettError, StoppingError, StoreAbsentError
from nuvett.jobs.rescue import GiveUp, hand_out_again
from nuvett.jobs.watcher import watch_folders
from nuvett.logs import Timed, logged_as, set_up_logs
from nuvett.services.delivery import delivering
from nuvett.services.looks import carried_plans, wall_jobs
from nuvett.services.platform.checkup import find_again, set_aside, tidy
from nuvett.services.platform.installation import absence, recognise
from nuvett.services.platform.memory import hand_back_freed
from nuvett.services.platform.queue import (
    ANY,
    DELIVER,
    DELIVER_FILE,
    DESCRIBE,
    EVEN_SERIES,
    EVEN_SETUP,
    FILL_WALL,
    FIND_SUBJECTS,
    FINISH_DELIVERY,
    FOLDERS,
    FOLLOW,
    INGEST_CLIP,
    INGEST_FRAME,
    INGEST_REFERENCE,
    KEEP_CARRIED,
    PURGE_SERIES,
)
from nuvett.services.platform.studio import Studio
from nuvett.services.platform.workers import at_work, forget_workers, hand_back, say_waiting, twin_waits
from nuvett.services.references import clips, kept_references, new_references, targets
from nuvett.services.series import gathering, lighting, subjects
from nuvett.services.shelf import filing
from nuvett.services.threads import following
from nuvett.settings import Settings

log = logging.getLogger("nuvett.jobs")
_CONCURRENCY = 2
_RETRY = procrastinate.RetryStrategy(max_attempts=3, linear_wait=2)
_LOOK_AGAIN = 15  # seconds until a full disk or an absent store is tried again
_NICE = 5  # lower than pages and previews, which somebody waits for
_GRACE = 5  # seconds that running tasks are given to come to a place where they can stop
Work = Callable[[Studio, uuid.UUID], None]


def _ingest_frame(studio: Studio, frame: uuid.UUID) -> None:
    with studio.database.session() as session:
        series = gathering.series_of(session, frame)
    gathering.ingest_frame(studio, frame)  # which may make it one with another, and then it is gone
    with studio.database.session() as session:
        lighting.queue_even(session, studio, series)


def _even_series(studio: Studio, series: uuid.UUID) -> None:
    if not lighting.order_and_even(studio, series):
        return
    with studio.database.session() as session:
        carried_plans.queue_if_due(session, studio, series)
        following.queue_if_due(session, studio, series)
        wall_jobs.prepare_wall(session, studio, series)


def _ingest_reference(studio: Studio, reference: uuid.UUID) -> None:
    new_references.ingest_reference(studio, reference, targets.renew_target_of_reference)
    with studio.database.session() as session:
        series = kept_references.series_of(session, reference)
        if series is not None:
            wall_jobs.prepare_wall(session, studio, series)


def _leave(studio: Studio, row: uuid.UUID) -> None:
    """Nothing is lost: what is still to be done is found and queued again by a periodic task."""


@dataclass(frozen=True)
class _Task:
    """What a task does with the row that its one argument names, and what when its last try has failed, too."""

    work: Work
    give_up: GiveUp


TASKS: dict[str, _Task] = {
    INGEST_FRAME: _Task(_ingest_frame, gathering.give_up_frame),
    INGEST_REFERENCE: _Task(_ingest_reference, kept_references.give_up),
    INGEST_CLIP: _Task(clips.ingest_clip, clips.give_up),
    EVEN_SERIES: _Task(_even_series, lighting.give_up),
    EVEN_SETUP: _Task(lighting.even_setup, lighting.give_up_setup),
    FIND_SUBJECTS: _Task(subjects.find_subjects, subjects.give_up),
    DESCRIBE: _Task(following.describe_frames, following.leave),
    FOLLOW: _Task(following.follow, following.give_up),
    DELIVER: _Task(delivering.prepare_delivery, delivering.give_up),
    DELIVER_FILE: _Task(delivering.make_file, delivering.give_up_file),
    FILL_WALL: _Task(wall_jobs.fill_wall, wall_jobs.leave),
    KEEP_CARRIED: _Task(carried_plans.keep_carried, _leave),
    PURGE_SERIES: _Task(filing.purge_series, _leave),
    FINISH_DELIVERY: _Task(delivering.finish_delivery, delivering.give_up),
}
_GIVE_UP = {name: task.give_up for name, task in TASKS.items()}


def _most_tries() -> int:
    return _RETRY.max_attempts or 0


def _bind(app: procrastinate.App, studio: Studio, running: set[int], name: str, doing: _Task) -> None:
    def again(job: Job, seconds: int) -> None:
        """Queue the same work anew, which unlike a retry does not count as a try."""
        with studio.database.session() as session:
            lock, queue = job.queueing_lock, job.queue
            studio.queue.defer(session, name, once=lock, seconds=seconds, queue=queue, **job.task_kwargs)

    @app.task(name=name, retry=_RETRY, pass_context=True)
    def task(context: procrastinate.JobContext, /, **argument: str) -> None:
        (row,) = (uuid.UUID(value) for value in argument.values())
        job, timed = context.job, Timed()
        running.add(job.id or 0)
        try:
            with logged_as(job=str(job.id), task=name):
                attempt(job, row)
                timed.over("job", row=str(row))
        finally:
            running.discard(job.id or 0)
            hand_back_freed()

    def attempt(job: Job, row: uuid.UUID) -> None:
        try:
            doing.work(studio, row)
        except StoppingError:
            again(job, 0)
        except (DiskFullError, StoreAbsentError) as error:
            log.warning("%s waits: %s", name, error.message)
            say_waiting(studio, row, error.message)
            again(job, _LOOK_AGAIN)
        except MissingBlobError as error:
            if not set_aside(studio, error.name):
                raise
            again(job, 0)
        except Exception:
            if job.attempts >= _most_tries():
                doing.give_up(studio, row)
            elif twin_waits(studio, job.queueing_lock):
                log.exception("%s failed; one that waits already does it again", name)
                return
            raise  # the queue logs it, and tries again while tries are left


def make_app(studio: Studio, running: set[int] | None = None) -> procrastinate.App:
    """The queue's application with all tasks bound to one studio; `running` holds the ids of jobs at work."""
    app = procrastinate.App(connector=procrastinate.PsycopgConnector(conninfo=studio.settings.database))
    for name, doing in TASKS.items():
        _bind(app, studio, set() if running is None else running, name, doing)

    @app.periodic(cron="* * * * * */10")
    @app.task(name="rescue", queueing_lock="rescue", pass_context=False)
    async def rescue(timestamp: int) -> None:
        stalled = await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=studio.settings.stalled_seconds)
        await hand_out_again(app, studio, stalled, _GIVE_UP, _most_tries())
        await asyncio.to_thread(_in_session, studio, lighting.queue_left)

    @app.periodic(cron="17 4 * * *")
    @app.task(name="forget_plans", queueing_lock="forget_plans", pass_context=False)
    async def forget_plans(timestamp: int) -> None:
        await asyncio.to_thread(studio.bench.plans.forget_old)
        await asyncio.to_thread(studio.bench.lasting.forget_old)

    @app.periodic(cron="37 3 * * *")
    @app.task(name="tidy", queueing_lock="tidy", pass_context=False)
    async def tidy_up(timestamp: int) -> None:
        await asyncio.to_thread(_in_session, studio, filing.queue_outdated)
        await asyncio.to_thread(_when_present, studio, tidy)

    @app.periodic(cron="* * * * *")
    @app.task(name="keep_all_carried", queueing_lock="keep_all_carried", pass_context=False)
    async def keep_all_carried(timestamp: int) -> None:
        await asyncio.to_thread(_in_session, studio, carried_plans.queue_all_due)

    @app.periodic(cron="*/5 * * * *")
    @app.task(name="find_again", queueing_lock="find_again", pass_context=False)
    async def look_for_lost(timestamp: int) -> None:
        await asyncio.to_thread(_when_present, studio, find_again)

    return app


def _in_session(studio: Studio, work: Callable[[Session, Studio], object]) -> None:
    with studio.database.session() as session:
        work(session, studio)


def _when_present(studio: Studio, work: Callable[[Studio], object]) -> None:
    if not absence(studio):
        with suppress(StoreAbsentError):  # it may go meanwhile
            work(studio)


async def clear_the_dead(app: procrastinate.App, studio: Studio) -> None:
    """Hand out the jobs of all earlier workers; for a worker that is alone."""
    with studio.database.session() as session:
        forget_workers(session)
    doing = await app.job_manager.list_jobs_async(status="doing")
    await hand_out_again(app, studio, doing, _GIVE_UP, _most_tries())


async def work(settings: Settings) -> None:
    """Run the worker until it is told to stop, or until whoever started it is gone."""
    studio = Studio.of(settings)
    await asyncio.to_thread(recognise, studio)
    running: set[int] = set()
    app = make_app(studio, running)
    async with app.open_async():
        with at_work(studio) as alone:
            if alone:
                await clear_the_dead(app, studio)
            working = asyncio.create_task(
                app.run_worker_async(
                    queues=[ANY, FOLDERS] if settings.has_folders else [ANY],
                    concurrency=_CONCURRENCY,
                    install_signal_handlers=False,
                    fetch_job_polling_interval=0.5,
                    update_heartbeat_interval=settings.stalled_seconds / 4,
                    stalled_worker_timeout=settings.stalled_seconds,
                    delete_jobs="successful",
                )
            )
            watching = asyncio.create_task(watch_folders(studio) if settings.has_folders else asyncio.sleep(0))
            _stop_when_told(studio, running, working)
            await asyncio.wait([working])
            watching.cancel()
            if not working.cancelled():
                working.result()


def _stop_when_told(studio: Studio, running: set[int], working: asyncio.Task[None]) -> None:
    """Stop on a signal, or when the pipe to whoever started this worker closes.

    Tasks stop at the next place where they can; what has not come to one in time is handed back as it is.
    """
    loop = asyncio.get_running_loop()

    def leave() -> None:
        hand_back(studio, set(running))
        os._exit(0)  # threads in the middle of a picture cannot be stopped otherwise

    def stop() -> None:
        if studio.stopping.is_set():
            return
        studio.stopping.set()
        working.cancel()
        loop.call_later(_GRACE, leave)

    def listen() -> None:
        while sys.stdin.buffer.read(1):
            pass
        loop.call_soon_threadsafe(stop)

    for number in (signal.SIGINT, signal.SIGTERM):
        loop.add_signal_handler(number, stop)
    if stat.S_ISFIFO(os.fstat(sys.stdin.fileno()).st_mode):
        threading.Thread(target=listen, daemon=True).start()


def main() -> None:
    """Entry point of the worker process."""
    settings, code = Settings(), 0
    set_up_logs(settings.log, "worker")
    os.nice(_NICE)
    try:
        asyncio.run(work(settings))
    except (NuvettError, SQLAlchemyError, ProcrastinateException) as error:
        log.error("The worker ends: %s", error)
        code = 1
    os._exit(code)  # threads that are still in the middle of a picture would else be waited for
