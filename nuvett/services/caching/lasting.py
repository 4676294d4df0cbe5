"""Documents named by all that they depend on: in the database for every process, and in memory while that lasts."""

from collections.abc import Callable, Iterable, Mapping
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


class Lasting:
    """Documents by keys that name all that they depend on, so that none is ever out of date.

    Without a database they last as long as the memory does.
    """

    def __init__(self, database: Database | None, kept: Cache) -> None:
        self._database, self._kept = database, kept

    def known(self, key: str) -> Document | None:
        """The document of a key where memory has it."""
        return cast(Document | None, self._kept.peek(("lasting", key)))

    def find(self, kind: type[D], keys: Iterable[str]) -> dict[str, D]:
        """Those documents of some keys that are there, in memory or in the database."""
        asked = set(keys)
        found = {key: cast(D, value) for key in asked if (value := self.known(key)) is not None}
        missing = sorted(asked - set(found))
        for start in range(0, len(missing), _AT_ONCE):
            found |= self._read(kind, missing[start : start + _AT_ONCE])
        return found

    def _read(self, kind: type[D], keys: list[str]) -> dict[str, D]:
        if self._database is None:
            return {}
        row, now = models.Measured, datetime.now(UTC)
        with self._database.session() as session:
            rows = session.execute(select(row.key, row.document, row.seen).where(row.key.in_(keys))).all()
            due = [key for key, _, seen in rows if now - seen > _SEEN_ANEW]
            if due:
                session.execute(update(row).where(row.key.in_(due)).values(seen=now))
        found = {key: kind.model_validate_json(document) for key, document, _ in rows}
        self._remember(found)
        return found

    def keep(self, made: Mapping[str, D]) -> None:
        """Keep documents; where one is there already, it is the same."""
        self._remember(made)
        if self._database is None or not made:
            return
        now = datetime.now(UTC)
        rows = [{"key": key, "document": made[key].model_dump_json(), "seen": now} for key in sorted(made)]
        with self._database.session() as session:
            session.execute(insert(models.Measured).values(rows).on_conflict_do_nothing())

    def _remember(self, found: Mapping[str, D]) -> None:
        for key, value in found.items():
            self._kept.put(("lasting", key), value)

    def get(self, kind: type[D], key: str, make: Callable[[], D]) -> D:
        """The document of a key, made and kept if need be; asked for twice at once, it is made once."""

        def made() -> D:
            found = self.find(kind, [key])
            if key not in found:
                found = {key: make()}
                self.keep(found)
            return found[key]

        return self._kept.get(("lasting", key), made)

    def forget_old(self) -> None:
        """Forget what nothing has asked for during KEPT_DAYS."""
        if self._database is None:
            return
        before = datetime.now(UTC) - timedelta(days=KEPT_DAYS)
        with self._database.session() as session:
            session.execute(delete(models.Measured).where(models.Measured.seen < before))
