"""Tables. Documents (looks, trims, readings, targets) are JSONB beside the columns that are queried."""

from nuvett.store.models.base import Base, Json
from nuvett.store.models.book import Finished, KeptLook, KeptVersion, LookupTable, Pair, Palette, WorkedOut
from nuvett.store.models.deliveries import Delivery, DeliveryFile, KeptSettings
from nuvett.store.models.installation import FailedAttempt, Installation, SignedIn
from nuvett.store.models.looks import CarriedPlan, History, Look, LookVersion, Measured, Plan, Target
from nuvett.store.models.series import Clip, Frame, Reference, Series, SeriesRevision, SetUp, WatchedFile, WatchedFolder
from nuvett.store.models.threads import Thread, ThreadPlace, ThreadQuestion

__all__ = [
    "Base",
    "CarriedPlan",
    "Clip",
    "Delivery",
    "DeliveryFile",
    "FailedAttempt",
    "Finished",
    "Frame",
    "History",
    "Installation",
    "Json",
    "KeptLook",
    "KeptSettings",
    "KeptVersion",
    "Look",
    "LookVersion",
    "LookupTable",
    "Measured",
    "Pair",
    "Palette",
    "Plan",
    "Reference",
    "Series",
    "SeriesRevision",
    "SetUp",
    "SignedIn",
    "Target",
    "Thread",
    "ThreadPlace",
    "ThreadQuestion",
    "WatchedFile",
    "WatchedFolder",
    "WorkedOut",
]
