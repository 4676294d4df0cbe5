"""What every use case is handed besides its session: blobs, settings, the workbench and the queue."""

from dataclasses import dataclass, field
from threading import Event

from nuvett.core.errors import StoppingError
from nuvett.imaging.opened import Limits
from nuvett.services.engine.workbench import Workbench
from nuvett.services.platform.memory import MemoryBudget
from nuvett.services.platform.queue import Queue
from nuvett.settings import Settings
from nuvett.store.blobs import BlobStore
from nuvett.store.database import Database


@dataclass(frozen=True)
class Studio:
    """Shared means of all use cases; made once at each entry point. Long work pauses now and then."""

    settings: Settings
    database: Database
    blobs: BlobStore
    bench: Workbench
    queue: Queue
    memory: MemoryBudget
    stopping: Event = field(default_factory=Event)

    @classmethod
    def of(cls, settings: Settings) -> "Studio":
        blobs = BlobStore(settings.blobs)
        limits = Limits(settings.upload_bytes, settings.upload_pixels)
        database = Database(settings.database, settings.database_connections)
        bench = Workbench(blobs, database, limits, settings.cache_megabytes)
        memory = MemoryBudget(settings.task_megabytes * 1_000_000)
        return cls(settings, database, blobs, bench, Queue(settings.database), memory)

    def pause(self) -> None:
        """A place where long work can stop, with what is done kept. Raises StoppingError where it is to stop."""
        if self.stopping.is_set():
            raise StoppingError

    @property
    def limits(self) -> Limits:
        return Limits(self.settings.upload_bytes, self.settings.upload_pixels)
