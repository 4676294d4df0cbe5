"""The workbench of one process: sources, tables, planner, measures, plans and pictures, which share its memory."""

from nuvett.imaging.opened import Limits
from nuvett.services.caching.caches import Caches
from nuvett.services.caching.lasting import Lasting
from nuvett.services.engine.areas import Areas
from nuvett.services.engine.measures import Measures
from nuvett.services.engine.originals import Originals
from nuvett.services.engine.pictures import Pictures
from nuvett.services.engine.planner import Planner
from nuvett.services.engine.plans import Plans
from nuvett.services.engine.pooling import Pooling
from nuvett.services.engine.sources import Sources
from nuvett.services.engine.tables import Tables
from nuvett.store.blobs import BlobStore
from nuvett.store.database import Database


class Workbench:
    """What computes and remembers, each by its subject; everything is keyed by content."""

    def __init__(self, blobs: BlobStore, database: Database | None, limits: Limits, megabytes: int) -> None:
        caches = Caches(megabytes)
        self.originals = Originals(blobs, limits)
        self.sources = Sources(blobs, caches.pictures)
        self.tables = Tables(blobs, caches.pictures)
        self.plans = Plans(database, self.tables, caches.facts)
        self.areas = Areas(blobs, self.sources, caches.pictures)
        self.matches = caches.matches
        self.lasting = Lasting(database, caches.facts)
        pooling = Pooling(self.sources, self.lasting, caches.facts, caches.pools)
        self.planner = Planner(self.sources, self.tables, self.plans, self.areas, pooling, caches.facts)
        self.measures = Measures(self.sources, self.planner, self.areas, caches)
        self.pictures = Pictures(self.sources, self.originals, self.areas, caches.pictures)
