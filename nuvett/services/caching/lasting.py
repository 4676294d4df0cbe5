"""Documents named by all that they depend on: in the database for every process, and in memory while that lasts."""

from collections.abc import Iterable, Mapping
from datetime import UTC, datetime, timedelta
from typing import TypeVar, cast

from sqlalchemy import delete, select, update
from sqlalchemy.dialects.postgresql import insert

from nuvett.core.types import Document
from nuvett.services.caching.caches import Cache
from nuvett.store import models
from nuvett.store.database import Database

D = TypeVar("D", bound=Document)
_SEEN_ANEW = timedelta(hours=12)  # after which one that is used again is marked as seen
_AT_ONCE = 500  # rows a statement
KEPT_DAYS = 30
"""Days after which one that nothing has asked for is forgotten; it is worked out anew where it is asked for again."""

# Once for all, so that it is compiled once.
_KEEP = insert(models.table_of(models.MeasuredRow)).on_conflict_do_nothing()


class Lasting:
    """Documents by keys that name all that they depend on, so that none is ever out of date.

    Without a database they last as long as the memory does.
    """

    def __init__(self, database: Database | None, kept: Cache) -> None:
        self._database, self._kept = database, kept

    def find(self, kind: type[D], keys: Iterable[str]) -> dict[str, D]:
        """Those documents of some keys that are there, in memory or in the database."""
        asked = set(keys)
        found = {key: cast(D, value) for key in asked if (value := self._kept.peek(("lasting", key))) is not None}
        missing = sorted(asked - set(found))
        for start in range(0, len(missing), _AT_ONCE):
            found |= self._read(kind, missing[start : start + _AT_ONCE])
        return found

    def _read(self, kind: type[D], keys: list[str]) -> dict[str, D]:
        if self._database is None:
            return {}
        row, now = models.MeasuredRow, datetime.now(UTC)
        with self._database.session() as session:
            rows = session.execute(select(row.key, row.document, row.seen).where(models.among(row.key, keys))).all()
            due = [key for key, _, seen in rows if now - seen > _SEEN_ANEW]
            if due:
                session.execute(update(row).where(models.among(row.key, due)).values(seen=now))
        found = {}
        for key, document, _ in rows:
            found[key] = kind.model_validate_json(document)
            self._kept.put(("lasting", key), found[key], len(document))
        return found

    def keep(self, made: Mapping[str, D]) -> None:
        """Keep documents; where one is there already, it is the same."""
        now, rows = datetime.now(UTC), []
        for key in sorted(made):
            document = made[key].model_dump_json()
            self._kept.put(("lasting", key), made[key], len(document))
            rows.append({"key": key, "document": document, "seen": now})
        if self._database is None or not rows:
            return
        with self._database.session(lasting=False) as session:
            session.execute(_KEEP, rows)

    def forget_old(self) -> None:
        """Forget what nothing has asked for during KEPT_DAYS."""
        if self._database is None:
            return
        before = datetime.now(UTC) - timedelta(days=KEPT_DAYS)
        with self._database.session() as session:
            session.execute(delete(models.MeasuredRow).where(models.MeasuredRow.seen < before))
