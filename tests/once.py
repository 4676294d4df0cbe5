"""What takes long to make is made once in a run of the tests, by the process that needs it first, and read by all."""

import fcntl
import hashlib
import io
import pickle
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, TypeVar

import numpy as np
from sqlalchemy import update

from nuvett.services.platform.studio import Studio
from nuvett.store.models import Base, SeriesRow

T = TypeVar("T")


class Once:
    """Things by name, in a folder that all processes of a run share."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    @contextmanager
    def _alone_with(self, name: str) -> Iterator[Path]:
        with (self._folder / f"{name}.lock").open("w") as lock:
            fcntl.flock(lock, fcntl.LOCK_EX)
            yield self._folder / f"{name}.pickle"

    def found(self, name: str, make: Callable[[], T]) -> tuple[T, bool]:
        """What goes by a name, and whether it was made just now; another process that asks for it waits."""
        with self._alone_with(name) as path:
            if path.exists():
                return pickle.loads(path.read_bytes()), False
            made = make()
            path.write_bytes(pickle.dumps(made))
            return made, True

    def of_pixels(self, work: Callable[[np.ndarray], T]) -> Callable[[np.ndarray], T]:
        """A function of pixels alone, worked out once for each picture."""

        def remembered(pixels: np.ndarray) -> T:
            seen = hashlib.sha256(np.ascontiguousarray(pixels).tobytes()).hexdigest()
            return self.found(f"{work.__name__}-{seen}", lambda: work(pixels))[0]

        return remembered

    def filled(self, name: str, studio: Studio, fill: Callable[[], object]) -> None:
        """An empty studio is filled: by doing it, or with the rows and files that this came to before."""

        def make() -> Kept:
            fill()
            return Kept(studio)

        kept, made_now = self.found(name, make)
        if not made_now:
            kept.put_back(studio)


_TABLES = [table for table in Base.metadata.sorted_tables if table.name != "installation"]


class Kept:
    """Rows and files of a studio, all but what makes it one of its own."""

    def __init__(self, studio: Studio) -> None:
        with studio.database.session() as session:
            self._rows = {
                table.name: [dict(row._mapping) for row in session.execute(table.select())] for table in _TABLES
            }
        self._files = [studio.blobs.read(name) for name in studio.blobs.names()]

    def put_back(self, studio: Studio) -> None:
        """Put them into a studio that is empty."""
        for data in self._files:
            studio.blobs.put(io.BytesIO(data))
        with studio.database.session() as session:
            heroes: dict[Any, Any] = {}
            for table in _TABLES:
                rows = self._rows[table.name]
                if table.name == "series":
                    heroes = {row["id"]: row["hero_id"] for row in rows if row["hero_id"]}
                    rows = [row | {"hero_id": None} for row in rows]
                if rows:
                    session.execute(table.insert(), rows)
            for series, hero in heroes.items():
                session.execute(update(SeriesRow).where(SeriesRow.id == series).values(hero_id=hero))
