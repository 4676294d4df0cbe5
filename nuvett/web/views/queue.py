"""The queue of Hand over: deliveries with how far they are."""

from dataclasses import dataclass
from typing import Any

from sqlalchemy.orm import Session

from nuvett.services.delivery import deliveries
from nuvett.services.series.catalogue import find_series
from nuvett.web.context import Context
from nuvett.web.views.filters import plural

_MINUTE = 60


@dataclass(frozen=True)
class DeliveryView:
    """One delivery in the queue or finished."""

    id: str
    state: str
    created: Any
    words: str
    folder: str
    problem: str
    total: int
    done: int
    bytes: int
    left: str
    failed: list[tuple[str, str]]
    files: list[tuple[str, int]]
    waiting: list[str]


def _left(seconds: float | None) -> str:
    if seconds is None:
        return ""
    if seconds < _MINUTE:
        return "less than a minute left"
    return f"about {plural(round(seconds / _MINUTE), 'minute')} left"


def _view(row: Any) -> DeliveryView:
    settings = deliveries.settings_of(row)
    files = list(row.files)
    return DeliveryView(
        id=str(row.id),
        state=row.state,
        created=row.created,
        words=settings.words,
        folder=settings.folder,
        problem=row.problem if row.state == "stopped" else "",
        total=len(files),
        done=sum(f.state == "done" for f in files),
        bytes=sum(f.bytes for f in files),
        left=_left(deliveries.seconds_left(row)),
        failed=[(f.name, f.problem) for f in files if f.state == "failed"],
        files=[(f.name, f.bytes) for f in files if f.state == "done"],
        waiting=[f.name for f in files if f.state == "waiting"],
    )


def queue_of(context: Context, session: Session, slug: str) -> dict[str, Any]:
    series = find_series(session, slug)
    rows = [_view(row) for row in deliveries.list_deliveries(session, series)]
    busy = any(row.state in ("waiting", "running") for row in rows)
    held_up = context.held_up(session, series) if busy else ""
    return {"deliveries": rows, "slug": slug, "busy": busy, "held_up": held_up}
