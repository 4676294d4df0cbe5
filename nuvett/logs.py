"""Logs of processes that serve: as lines for a person, or as JSON for a collector, each with the work that it is of."""

import logging
import sys
import time
import uuid
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar
from typing import Literal

from pythonjsonlogger.json import JsonFormatter

LogForm = Literal["text", "json"]
_TEXT = "%(asctime)s %(levelname)s %(name)s: %(message)s"
_FIELDS = "%(message)s %(levelname)s %(name)s"
_OF: ContextVar[Mapping[str, str] | None] = ContextVar("nuvett_log_of", default=None)
_LONGEST_ID = 64
log = logging.getLogger("nuvett.work")


class _Of(logging.Filter):
    """Gives a line the names of the work that it is of, also on threads that the work has begun."""

    def __init__(self, process: str) -> None:
        super().__init__()
        self._process = process

    def filter(self, record: logging.LogRecord) -> bool:
        for name, value in {"process_kind": self._process, **(_OF.get() or {})}.items():
            setattr(record, name, value)
        return True


def set_up_logs(form: LogForm, process: str) -> None:
    """Write logs of this process to its standard error: what is amiss, and as JSON every piece of work, too."""
    handler = logging.StreamHandler(sys.stderr)
    handler.addFilter(_Of(process))
    as_json = JsonFormatter(_FIELDS, timestamp=True, rename_fields={"levelname": "level", "name": "logger"})
    handler.setFormatter(as_json if form == "json" else logging.Formatter(_TEXT))
    logging.basicConfig(level=logging.WARNING, handlers=[handler], force=True)
    log.setLevel(logging.INFO if form == "json" else logging.WARNING)


@contextmanager
def logged_as(**names: str) -> Iterator[None]:
    """Let all that is logged within say what work it is of."""
    token = _OF.set({**(_OF.get() or {}), **names})
    try:
        yield
    finally:
        _OF.reset(token)


class Timed:
    """A piece of work whose end is logged with how long it took."""

    def __init__(self) -> None:
        self._started = time.perf_counter()

    def over(self, words: str, **facts: object) -> None:
        """The work is over."""
        spent = {"ms": round(1000 * (time.perf_counter() - self._started), 1)}
        log.info(words, extra={**facts, **spent})


def request_id(given: str) -> str:
    """The name of a request: as a proxy gave it, where that is a plain one, or a new one."""
    plain = given.isascii() and given.replace("-", "").isalnum() and len(given) <= _LONGEST_ID
    return given if given and plain else uuid.uuid4().hex
