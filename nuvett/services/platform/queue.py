"""Handing work to the background queue, inside the transaction that makes the work necessary."""

from collections.abc import Mapping
from typing import Any

import procrastinate
from procrastinate.exceptions import AlreadyEnqueued
from procrastinate.jobs import Job
from sqlalchemy import event
from sqlalchemy.orm import Session

INGEST_FRAME = "ingest_frame"
INGEST_REFERENCE = "ingest_reference"
INGEST_CLIP = "ingest_clip"
EVEN_SERIES = "even_series"
EVEN_SETUP = "even_setup"
FIND_SUBJECTS = "find_subjects"
FOLLOW = "follow"
DESCRIBE = "describe_frames"
DELIVER = "deliver"
DELIVER_FILE = "deliver_file"
FINISH_DELIVERY = "finish_delivery"
PURGE_SERIES = "purge_series"
KEEP_CARRIED = "keep_carried"
FILL_WALL = "fill_wall"
FOLDERS = "folders"
"""The queue of work that reads or writes folders, for workers that reach them; all other work is on ANY."""

ANY = "default"
_PRIORITY = {
    INGEST_REFERENCE: 2,  # few, and somebody looks at the screen that they appear on
    INGEST_CLIP: 1,
    FILL_WALL: 1,  # as long as somebody looks
    DELIVER_FILE: -1,  # these wait while anything else does
    FINISH_DELIVERY: -1,
    PURGE_SERIES: -1,
    DESCRIBE: -2,  # nobody waits for these, and they take minutes for a long series
    FIND_SUBJECTS: -2,
    KEEP_CARRIED: -2,
}


def priority_of(task: str) -> int:
    """How urgent a task is; larger is sooner."""
    return _PRIORITY.get(task, 0)


class Queue:
    """Defers tasks by name; the worker process knows what they do."""

    def __init__(self, database: str) -> None:
        self._app = procrastinate.App(connector=procrastinate.SyncPsycopgConnector(conninfo=database))

    def defer(
        self,
        session: Session,
        task: str,
        once: str | None = None,
        seconds: int = 0,
        queue: str = ANY,
        **arguments: Any,
    ) -> None:
        """Queue a task in the session's own transaction, to be run after so many seconds.

        With `once`, a task waiting under that name is enough. queue : ANY, or FOLDERS for work in folders

        A name is held from when it is queued until the transaction ends. So that two transactions never wait for each
        other's names, or for a row while they hold one, tasks with names are queued last, in the order of the names,
        and also those that were asked for in a savepoint that failed.
        """
        asked = self._app.configure_task(
            task,
            queue=queue,
            queueing_lock=once,
            lock=once,
            schedule_in={"seconds": seconds},
            priority=priority_of(task),
        ).job.evolve(task_kwargs=arguments)
        if once is None:
            self._insert(session, [asked])
        else:
            self._named(session).setdefault(once, asked)

    def defer_each(self, session: Session, task: str, each: Mapping[str, dict[str, Any]], queue: str = ANY) -> None:
        """Queue a task once for each of some names, with its arguments, at once and in the order given.

        The names must be such that whoever queues them does so in the same order.
        """
        asked = self._app.configure_task(task, queue=queue, priority=priority_of(task)).job
        jobs = [asked.evolve(lock=once, queueing_lock=once, task_kwargs=given) for once, given in each.items()]
        self._insert_new(session, jobs)

    def _named(self, session: Session) -> dict[str, Job]:
        """What is to be queued when the session commits, by name."""
        if self not in session.info:
            session.info[self] = {}
            event.listen(session, "before_commit", self._queue_named)
        named: dict[str, Job] = session.info[self]
        return named

    def _queue_named(self, session: Session) -> None:
        if session.in_nested_transaction():  # a savepoint ends, the transaction goes on
            return
        named = self._named(session)
        jobs = [job for _, job in sorted(named.items())]
        named.clear()
        self._insert_new(session, jobs)

    def _insert_new(self, session: Session, jobs: list[Job]) -> None:
        """Queue those of some jobs whose names nobody waits under."""
        try:
            with session.begin_nested():
                self._insert(session, jobs)
        except AlreadyEnqueued:  # one of them waits already, which undoes them all
            if len(jobs) > 1:
                for job in jobs:
                    self._insert_new(session, [job])

    def _insert(self, session: Session, jobs: list[Job]) -> None:
        # The connection is asked for inside the savepoint, because that is what makes the savepoint real.
        if jobs:
            connection = session.connection().connection.driver_connection
            self._app.job_manager.batch_defer_jobs(jobs, connection=connection)
