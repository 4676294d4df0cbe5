"""The connection to PostgreSQL: engine, sessions, and driver errors in our own words."""

import time
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import psycopg
from psycopg.errors import CheckViolation, DiskFull
from pydantic_core import from_json
from sqlalchemy import Engine, create_engine, event, text
from sqlalchemy.exc import DataError, IntegrityError, InterfaceError, InvalidatePoolError, OperationalError
from sqlalchemy.orm import ORMExecuteState, Session, sessionmaker

from nuvett.core.errors import ConflictError, DiskFullError, InvalidChangeError, StoreError
from nuvett.store.remembered import Remembered

_AT_LEISURE = text("SET LOCAL synchronous_commit TO off")
_IDLE = 1.0  # seconds that a connection may lie unused before it is asked whether it still stands


class Database:
    """One database: hands out sessions, and remembers what they read of series."""

    def __init__(self, address: str, pool_size: int = 8) -> None:
        self.address = address
        self.engine: Engine = create_engine(
            address,
            pool_size=pool_size,
            json_deserializer=from_json,  # in less than half the time of the standard one, to the same values
        )
        _look_after(self.engine)
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)
        self._readers = sessionmaker(self.engine.execution_options(isolation_level="AUTOCOMMIT"))
        kept = Remembered()
        kept.watch(self._sessions)
        kept.watch(self._readers)
        event.listen(self._readers, "before_flush", _refuse)
        event.listen(self._readers, "do_orm_execute", _refuse_writing)

    @contextmanager
    def session(self, lasting: bool = True) -> Iterator[Session]:
        """A session that commits at the end and rolls back on any error.

        lasting : whether it waits until what it wrote is on disk; what can be worked out anew need not, and a later
        one that does wait takes it along

        Raises StoreError when the database cannot be reached, ConflictError when a constraint is broken,
        InvalidChangeError for a value that it cannot hold, DiskFullError; IntegrityError as it is where a check is
        broken, which nobody else has done.
        """
        with _in_our_words(), self._sessions() as session, session.begin():
            if not lasting:
                session.execute(_AT_LEISURE)
            yield session

    @contextmanager
    def reading(self) -> Iterator[Session]:
        """A session that only reads, without a transaction: each question costs one way to the database and back.

        What it reads is what is there at each question, as in a transaction of the usual kind. Raises StoreError, and
        RuntimeError where something is written.
        """
        with _in_our_words(), self._readers() as session:
            yield session

    def close(self) -> None:
        self.engine.dispose()


def _refuse(*_: object) -> None:
    raise RuntimeError("A session that only reads was asked to write.")


def _refuse_writing(state: ORMExecuteState) -> None:
    if state.is_insert or state.is_update or state.is_delete:
        _refuse()


@contextmanager
def _in_our_words() -> Iterator[None]:
    """Errors of the driver as ours; see `Database.session`."""
    try:
        yield
    except IntegrityError as error:
        if isinstance(error.orig, CheckViolation):
            raise
        raise ConflictError from error
    except DataError as error:
        raise InvalidChangeError from error
    except (OperationalError, InterfaceError) as error:
        if isinstance(error.orig, DiskFull):
            raise DiskFullError from error
        raise StoreError from error


def _look_after(engine: Engine) -> None:
    """Ask connections that lay unused for a while whether they still stand, and let all of them go where one does not.

    The engine's own way asks at every use, which costs as much as many a question itself.
    """

    def used(_: Any, record: Any) -> None:
        record.info["used"] = time.monotonic()

    def asked(connection: Any, record: Any, _: Any) -> None:
        if time.monotonic() - record.info.get("used", time.monotonic()) < _IDLE:
            return
        try:
            engine.dialect.do_ping(connection)
        except psycopg.Error as error:
            raise InvalidatePoolError from error

    event.listen(engine, "checkin", used)
    event.listen(engine, "checkout", asked)
