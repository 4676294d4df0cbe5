"""Tables. Documents (looks, trims, readings, targets) are JSONB beside the columns that are queried."""

from nuvett.store.models.base import Base, Json, among, table_of
from nuvett.store.models.book import (
    FinishedRow,
    KeptLookRow,
    KeptVersionRow,
    LookupTableRow,
    PairRow,
    PaletteRow,
    WorkedOutRow,
)
from nuvett.store.models.deliveries import DeliveryFileRow, DeliveryRow, KeptSettingsRow
from nuvett.store.models.installation import FailedAttemptRow, InstallationRow, SignedInRow
from nuvett.store.models.looks import (
    CarriedPlanRow,
    HistoryRow,
    LookRow,
    LookVersionRow,
    MeasuredRow,
    PlanRow,
    TargetRow,
)
from nuvett.store.models.series import (
    ClipRow,
    FrameRow,
    ReferenceRow,
    SeriesRevisionRow,
    SeriesRow,
    SetUpRow,
    WatchedFileRow,
    WatchedFolderRow,
)
from nuvett.store.models.threads import ThreadPlaceRow, ThreadQuestionRow, ThreadRow

__all__ = [
    "Base",
    "CarriedPlanRow",
    "ClipRow",
    "DeliveryFileRow",
    "DeliveryRow",
    "FailedAttemptRow",
    "FinishedRow",
    "FrameRow",
    "HistoryRow",
    "InstallationRow",
    "Json",
    "KeptLookRow",
    "KeptSettingsRow",
    "KeptVersionRow",
    "LookRow",
    "LookVersionRow",
    "LookupTableRow",
    "MeasuredRow",
    "PairRow",
    "PaletteRow",
    "PlanRow",
    "ReferenceRow",
    "SeriesRevisionRow",
    "SeriesRow",
    "SetUpRow",
    "SignedInRow",
    "TargetRow",
    "ThreadPlaceRow",
    "ThreadQuestionRow",
    "ThreadRow",
    "WatchedFileRow",
    "WatchedFolderRow",
    "WorkedOutRow",
    "among",
    "table_of",
]
