"""The workbench of one process: sources, tables, planner, measures, plans and pictures, which share its memory."""

from nuvett.imaging.opened import Limits
from nuvett.services.areas import Areas
from nuvett.services.caches import Caches
from nuvett.services.measures import Measures
from nuvett.services.originals import Originals
from nuvett.services.pictures import Pictures
from nuvett.services.planner import Planner
from nuvett.services.plans import Plans
from nuvett.services.sources import Sources
from nuvett.services.tables import Tables
from nuvett.store.blobs import BlobStore
from nuvett.store.database import Database


class Workbench:
    """What computes and remembers, each by its subject; everything is keyed by content."""

    def __init__(self, blobs: BlobStore, database: Database | None, limits: Limits, megabytes: int) -> None:
        caches = Caches(megabytes)
        self.originals = Originals(blobs, limits)
        self.sources = Sources(blobs, caches.pictures)
        self.tables = Tables(blobs, caches.pictures)
        self.planner = Planner(self.sources, self.tables, caches.facts)
        self.areas = Areas(blobs, self.sources, caches.pictures)
        self.measures = Measures(self.sources, self.planner, self.areas, caches.facts)
        self.plans = Plans(database, self.tables, caches.facts)
        self.pictures = Pictures(self.sources, self.originals, self.areas, caches.pictures)
