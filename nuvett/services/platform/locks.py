"""Advisory locks of the database: which there are, each with a number of its own."""

from enum import IntEnum, unique

from sqlalchemy import func, select
from sqlalchemy.orm import Session


@unique
class Lock(IntEnum):
    """What only one transaction, or one connection, does at a time."""

    BLOBS = 7201
    """Keeping a blob takes it shared, sweeping takes it alone."""
    STARTERS = 7202
    """Two windows that open an empty lookbook at once add the starters once."""
    BOOK = 7203
    """Names are given to many looks by one transaction at a time."""
    OPENING = 7204
    """Who holds it brings the tables up to date."""
    IDENTITY = 7205
    """Identities are compared and given one after the other."""
    AT_WORK = 7301
    """Every worker holds it shared for as long as it lives."""
    WATCHING = 7302
    """Who holds it watches folders."""


def hold(session: Session, lock: Lock, shared: bool = False) -> None:
    """Hold a lock until the transaction ends; waits until it is free."""
    take = func.pg_advisory_xact_lock_shared if shared else func.pg_advisory_xact_lock
    session.execute(select(take(lock.value)))
