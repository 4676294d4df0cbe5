"""Long work that nobody waits for: it gives its place to what somebody does, and goes on after that."""

from sqlalchemy import text

from nuvett.core.errors import StoppingError
from nuvett.services.platform.queue import priority_of
from nuvett.services.platform.studio import Studio

# What could begin at once: nothing that is for later, and nothing that may not run beside what runs.
_WAITS = text(
    "SELECT EXISTS (SELECT 1 FROM procrastinate_jobs AS job WHERE status = 'todo' AND priority > :own"
    " AND (scheduled_at IS NULL OR scheduled_at <= now()) AND NOT EXISTS"
    " (SELECT 1 FROM procrastinate_jobs AS other WHERE other.status = 'doing' AND other.lock = job.lock))"
)


def give_way(studio: Studio, task: str) -> None:
    """Raises StoppingError where work that is more urgent than a task waits, or the application stops.

    A task that ends so is queued again, behind what it gave way to.
    """
    if studio.stopping.is_set():
        raise StoppingError
    with studio.database.session() as session:
        if session.scalar(_WAITS, {"own": priority_of(task)}):
            raise StoppingError
