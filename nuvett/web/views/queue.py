"""The queue of Hand over: deliveries with how far they are."""

from typing import Any

from sqlalchemy.orm import Session

from nuvett.services.delivery.progress import progress_of
from nuvett.services.series.catalogue import find_series
from nuvett.web.context import Context
from nuvett.web.views.filters import plural

_MINUTE = 60


def _left(seconds: float | None) -> str:
    if seconds is None:
        return ""
    if seconds < _MINUTE:
        return "less than a minute left"
    return f"about {plural(round(seconds / _MINUTE), 'minute')} left"


def queue_of(context: Context, session: Session, slug: str) -> dict[str, Any]:
    series = find_series(session, slug)
    rows = [(row, _left(row.seconds_left)) for row in progress_of(session, series)]
    busy = any(row.is_busy for row, _ in rows)
    held_up = context.held_up(session, series) if busy else ""
    return {"deliveries": rows, "slug": slug, "busy": busy, "held_up": held_up}
