"""Keeps the worker and the private database running while the start command does."""

import logging
import subprocess
import threading
import time
from collections.abc import Callable

log = logging.getLogger("nuvett.start")
_LOOK = 0.5  # seconds between looks at what is kept running
_FIRST_WAIT, _LONGEST_WAIT = 1.0, 30.0  # seconds before what stopped is started again; doubled each time
_STEADY = 60.0  # seconds that something must run for its next stop to count as its first
_STOP_SECONDS = 10


class KeptWorker:
    """A worker process that is started again, after a pause that grows, whenever it ends.

    Its standard input is a pipe that ends with this process, however this process ends; that tells it to stop.
    """

    def __init__(self, start: Callable[[], subprocess.Popen[bytes]]) -> None:
        self._start = start
        self._process = start()
        self._started = time.monotonic()
        self._wait = _FIRST_WAIT
        self._due: float | None = None

    def look(self) -> None:
        """Start it again when it is due."""
        now = time.monotonic()
        if self._due is not None:
            if now >= self._due:
                self._process, self._started, self._due = self._start(), now, None
        elif self._process.poll() is not None:
            self._wait = _FIRST_WAIT if now - self._started > _STEADY else min(self._wait * 2, _LONGEST_WAIT)
            self._due = now + self._wait
            if self._process.stdin is not None:
                self._process.stdin.close()
            log.warning("The worker ended (%s); started again in %.0f s", self._process.returncode, self._wait)

    def stop(self) -> None:
        """Ask it to stop, and stop it when it does not."""
        if self._process.poll() is None:
            self._process.terminate()
            try:
                self._process.wait(_STOP_SECONDS)
            except subprocess.TimeoutExpired:
                self._process.kill()
                self._process.wait()
        if self._process.stdin is not None:
            self._process.stdin.close()


class Keeper:
    """Looks after the worker, and after the database if it is ours, in a thread of its own."""

    def __init__(self, worker: KeptWorker, revive: Callable[[], None] | None = None) -> None:
        self._worker, self._revive = worker, revive
        self._over = threading.Event()
        self._thread = threading.Thread(target=self._run, name="keeper", daemon=True)
        self._thread.start()

    def _run(self) -> None:
        while not self._over.wait(_LOOK):
            try:
                if self._revive is not None:
                    self._revive()
                self._worker.look()
            except (OSError, SystemExit):
                log.exception("What was to be kept running could not be started; it is tried again")
                self._over.wait(2 * _FIRST_WAIT)

    def stop(self) -> None:
        """Stop looking, then stop the worker."""
        self._over.set()
        self._thread.join()
        self._worker.stop()
