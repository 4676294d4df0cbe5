"""Sessions and failed attempts to sign in, kept in the database: every web server knows them, also after a restart."""

import hashlib
import secrets
import time
from datetime import UTC, datetime, timedelta
from threading import Lock

from cachetools import TTLCache
from sqlalchemy import delete, select, update
from sqlalchemy.dialects.postgresql import insert

from nuvett.store import models
from nuvett.store.database import Database

_LASTS = timedelta(hours=12)  # that a session lasts unused
_SEEN_ANEW = timedelta(minutes=5)  # after which a session that is used again is marked as used
_BELIEVED = 5.0  # seconds that a session is held to go on without asking: an end elsewhere is known by then
_MAX_SESSIONS = 1000
_FREE_ATTEMPTS, _FIRST_WAIT, _LONGEST_WAIT = 5, 30.0, 900.0  # attempts without a pause, and seconds of the pauses
_FORGIVEN = timedelta(days=1)  # after which failed attempts are forgotten


class Sessions:
    """Sessions by their secret names, of which the database knows a hash alone; the longest unused are let go first."""

    def __init__(self, database: Database) -> None:
        self._database = database
        self._believed: TTLCache[str, bool] = TTLCache(_MAX_SESSIONS, _BELIEVED, time.monotonic)
        self._lock = Lock()

    def begin(self) -> str:
        """A new session's name."""
        name, row = secrets.token_urlsafe(32), models.SignedInRow
        with self._database.session() as session:
            session.add(row(key=_hash(name), used=datetime.now(UTC)))
            session.flush()
            session.execute(delete(row).where(row.used < datetime.now(UTC) - _LASTS))
            kept = select(row.key).order_by(row.used.desc()).limit(_MAX_SESSIONS)
            session.execute(delete(row).where(row.key.not_in(kept)))
        return name

    def holds(self, name: str) -> bool:
        """Whether a session goes on; it goes on from now."""
        if not name:
            return False
        key = _hash(name)
        with self._lock:
            if key in self._believed:
                return True
        row, now = models.SignedInRow, datetime.now(UTC)
        with self._database.session() as session:
            used = session.scalar(select(row.used).where(row.key == key, row.used > now - _LASTS))
            if used is not None and now - used > _SEEN_ANEW:
                session.execute(update(row).where(row.key == key).values(used=now))
        if used is not None:
            with self._lock:
                self._believed[key] = True
        return used is not None

    def end(self, name: str) -> None:
        """End a session, if it goes on."""
        key = _hash(name)
        with self._database.session() as session:
            session.execute(delete(models.SignedInRow).where(models.SignedInRow.key == key))
        with self._lock:
            self._believed.pop(key, None)


class Attempts:
    """Failed attempts by address: after a few, each must wait twice as long as the one before."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def wait(self, address: str) -> float:
        """Seconds until an address may try again."""
        row = models.FailedAttemptRow
        with self._database.session() as session:
            until = session.scalar(select(row.until).where(row.address == address))
        return max(0.0, (until - datetime.now(UTC)).total_seconds()) if until else 0.0

    def failed(self, address: str) -> None:
        """Count an attempt that failed; of several at once each counts."""
        row, now = models.FailedAttemptRow, datetime.now(UTC)
        with self._database.session() as session:
            session.execute(delete(row).where(row.until < now - _FORGIVEN))
            first = insert(row).values(address=address, count=1, until=now)
            more = first.on_conflict_do_update(index_elements=[row.address], set_={"count": row.count + 1})
            count = session.scalar(more.returning(row.count)) or 1
            over = count - _FREE_ATTEMPTS
            pause = min(_FIRST_WAIT * 2**over, _LONGEST_WAIT) if over >= 0 else 0.0
            session.execute(update(row).where(row.address == address).values(until=now + timedelta(seconds=pause)))

    def succeeded(self, address: str) -> None:
        """Forget what failed before."""
        with self._database.session() as session:
            session.execute(delete(models.FailedAttemptRow).where(models.FailedAttemptRow.address == address))


def _hash(name: str) -> str:
    return hashlib.sha256(name.encode()).hexdigest()
