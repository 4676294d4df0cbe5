"""The connection to PostgreSQL: engine, sessions, and driver errors in our own words."""

from collections.abc import Iterator
from contextlib import contextmanager

from psycopg.errors import CheckViolation, DiskFull
from pydantic_core import from_json
from sqlalchemy import Engine, create_engine, text
from sqlalchemy.exc import DataError, IntegrityError, InterfaceError, OperationalError
from sqlalchemy.orm import Session, sessionmaker

from nuvett.core.errors import ConflictError, DiskFullError, InvalidChangeError, StoreError
from nuvett.store.remembered import Remembered

_AT_LEISURE = text("SET LOCAL synchronous_commit TO off")


class Database:
    """One database: hands out sessions, and remembers what they read of series."""

    def __init__(self, address: str, pool_size: int = 8) -> None:
        self.address = address
        self.engine: Engine = create_engine(
            address,
            pool_size=pool_size,
            pool_pre_ping=True,
            json_deserializer=from_json,  # in less than half the time of the standard one, to the same values
        )
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)
        Remembered().watch(self._sessions)

    @contextmanager
    def session(self, lasting: bool = True) -> Iterator[Session]:
        """A session that commits at the end and rolls back on any error.

        lasting : whether it waits until what it wrote is on disk; what can be worked out anew need not, and a later
        one that does wait takes it along

        Raises StoreError when the database cannot be reached, ConflictError when a constraint is broken,
        InvalidChangeError for a value that it cannot hold, DiskFullError; IntegrityError as it is where a check is
        broken, which nobody else has done.
        """
        try:
            with self._sessions() as session, session.begin():
                if not lasting:
                    session.execute(_AT_LEISURE)
                yield session
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

    def close(self) -> None:
        self.engine.dispose()
