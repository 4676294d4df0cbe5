"""Plans kept by their content: any process draws any picture whose address it is given, also after a restart."""

from collections.abc import Iterable
from datetime import UTC, datetime, timedelta

from sqlalchemy import delete, exists, update
from sqlalchemy.dialects.postgresql import insert

from nuvett.core.errors import NotFoundError
from nuvett.core.plan.documents import read_plan, with_tables
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.services.caching.caches import Cache
from nuvett.services.engine.tables import Tables
from nuvett.store import models
from nuvett.store.database import Database

_SEEN_ANEW = timedelta(hours=12)  # after which a plan that is used again is marked as seen
_FORGOTTEN = "This rendering is no longer kept; reload the page."
PLAN_BYTES = 16_000
"""Of a plan in memory, roughly, which is not worth weighing each time."""

KEPT_DAYS = 90
"""Days after which a plan that no page has named is forgotten; the page that shows it keeps it anew."""

# Once for all: it is compiled once then, while values within a statement are compiled each time.
_INSERT = insert(models.table_of(models.PlanRow))
_KEEP = _INSERT.on_conflict_do_update(index_elements=["key"], set_={"seen": _INSERT.excluded.seen})


class Plans:
    """Plans by the keys that stand in addresses of pictures; in the database, and in memory while that lasts.

    Without a database they last as long as the memory does.
    """

    def __init__(self, database: Database | None, tables: Tables, kept: Cache) -> None:
        self._database, self._tables, self._kept = database, tables, kept

    def keep(self, *plans: FramePlan | None) -> None:
        """Keep plans, so that pictures under them can be asked for by their keys."""
        now = datetime.now(UTC)
        found = {plan.key: plan for plan in plans if plan is not None}
        fresh = {key: plan for key, plan in found.items() if self._is_due(key, now)}
        if not fresh:
            return
        rows = [
            {"key": key, "document": plan.model_dump(mode="json"), "seen": now} for key, plan in sorted(fresh.items())
        ]
        if self._database is not None:
            with self._database.session(lasting=False) as session:
                session.execute(_KEEP, rows)
        for key, plan in fresh.items():
            self._kept.put(("seen", key), now)
            self._kept.put(("known", key), plan, PLAN_BYTES)

    def mark_seen(self, keys: Iterable[str]) -> None:
        """Mark plans as named by a page, which keeps them from being forgotten."""
        now = datetime.now(UTC)
        due = sorted({key for key in keys if key and self._is_due(key, now)})
        if due and self._database is not None:
            before = now - _SEEN_ANEW
            with self._database.session() as session:
                old = update(models.PlanRow).where(models.among(models.PlanRow.key, due), models.PlanRow.seen < before)
                session.execute(old.values(seen=now))
        for key in due:
            self._kept.put(("seen", key), now)

    def _is_due(self, key: str, now: datetime) -> bool:
        seen: datetime | None = self._kept.peek(("seen", key))
        return seen is None or now - seen > _SEEN_ANEW

    def find(self, key: str) -> FramePlan | None:
        """The plan of a key; none for the empty key, which is a frame as it came.

        Raises NotFoundError for one that is not kept, DocumentError for one that cannot be read, TableError where a
        lookup table of it is gone.
        """
        if not key:
            return None

        def make() -> FramePlan:
            if self._database is None:
                raise NotFoundError(_FORGOTTEN)
            with self._database.reading() as session:
                row = session.get(models.PlanRow, key)
                if row is None:
                    raise NotFoundError(_FORGOTTEN)
                document = row.document
            return with_tables(read_plan(document), self._tables.find)

        return self._kept.get(("known", key), make)

    def forget_old(self) -> int:
        """Forget plans that nothing has named for KEPT_DAYS and no carried frame is drawn by; how many they were."""
        if self._database is None:
            return 0
        before = datetime.now(UTC) - timedelta(days=KEPT_DAYS)
        with self._database.session() as session:
            carried = exists().where(models.CarriedPlanRow.key == models.PlanRow.key)
            old = delete(models.PlanRow).where(models.PlanRow.seen < before, ~carried)
            gone = session.execute(old.returning(models.PlanRow.key))
            return len(gone.all())
