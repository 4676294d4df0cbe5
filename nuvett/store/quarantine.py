"""Quarantine: blobs that nothing uses lie in folders by their day for a while before they are removed."""

import re
from collections.abc import Iterable
from contextlib import suppress
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta

from nuvett.store.blobs import BlobStore

_PLACE = re.compile(r"/quarantine/(\d{4}-\d\d-\d\d)/([0-9a-f]{64})$")


@dataclass(frozen=True)
class Quarantined:
    """A blob in quarantine, since a day (UTC), with its size in bytes."""

    name: str
    since: date
    bytes: int


def today() -> date:
    """The day (UTC) that blobs go into quarantine under."""
    return datetime.now(UTC).date()


class Quarantine:
    """What lies in quarantine beside the blobs of a store. All methods raise StoreAbsentError."""

    def __init__(self, blobs: BlobStore) -> None:
        self._blobs = blobs

    def _place(self, name: str, since: date) -> str:
        return f"{self._blobs.root}/quarantine/{since.isoformat()}/{name}"

    def take(self, names: Iterable[str], since: date | None = None) -> int:
        """Put blobs into quarantine as of a day, today by default; how many were there to be put."""
        day = since or today()
        return sum(self._blobs.move(self._blobs.place(name), self._place(name, day)) for name in sorted(names))

    def held(self) -> list[Quarantined]:
        """All blobs in quarantine, the oldest first."""
        self._blobs.require()
        try:
            found = self._blobs.files.find(f"{self._blobs.root}/quarantine", detail=True)
        except FileNotFoundError:
            return []
        matched = [(_PLACE.search(path), facts) for path, facts in found.items()]
        held = [Quarantined(m[2], date.fromisoformat(m[1]), int(facts["size"] or 0)) for m, facts in matched if m]
        return sorted(held, key=lambda one: (one.since, one.name))

    def bring_back(self, name: str) -> bool:
        """Bring a blob back to its place; whether it was in quarantine."""
        return any(self.put_back(one) for one in self.held() if one.name == name)

    def put_back(self, held: Quarantined) -> bool:
        """Put a blob of `held` back to its place; whether it was still in quarantine."""
        return self._blobs.move(self._place(held.name, held.since), self._blobs.place(held.name))

    def let_go(self, days: int, now: date | None = None) -> int:
        """Remove for good what has lain in quarantine for so many days; how many that were."""
        last = (now or today()) - timedelta(days=days)
        gone = [one for one in self.held() if one.since <= last]
        for one in gone:
            with suppress(FileNotFoundError):
                self._blobs.files.rm(self._place(one.name, one.since))
        return len(gone)
