"""How an installation fares: its workers, its queue, its store, and what to do where something is amiss."""

import shutil
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import func, select, text
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from nuvett.core.errors import StoreAbsentError
from nuvett.services.platform.installation import absence
from nuvett.services.platform.studio import Studio
from nuvett.store import models
from nuvett.store.quarantine import Quarantine

MIN_FREE = 10_000_000_000
"""Bytes on the disk of pictures below which somebody should make room."""
LONGEST_WAIT = 900.0
"""Seconds that work may wait before somebody should know."""
_LARGEST = 5  # series that are named


@dataclass(frozen=True)
class UpkeepState:
    """How an installation fares.

    absent : that the store is not there, in words; free : bytes on its disk, none where it is no folder
    workers, silent : that gave a sign of life lately, and that did not
    waiting, doing : jobs by task; oldest : seconds that the oldest waits; failed : jobs that were given up
    frames, series : how many there are; largest : series with most frames
    quarantined, quarantined_bytes : files that nothing uses any more
    """

    absent: str
    free: int | None
    workers: int
    silent: int
    waiting: dict[str, int]
    doing: dict[str, int]
    oldest: float
    failed: int
    frames: int
    series: int
    largest: list[tuple[str, str, int]]
    quarantined: int
    quarantined_bytes: int


@dataclass(frozen=True)
class UpkeepRemedy:
    """Something that is amiss, and what to do about it."""

    amiss: str
    doing: str


def why_not_ready(studio: Studio) -> str:
    """Why requests cannot be answered just now, in words that strangers may read; nothing when they can."""
    try:
        with studio.database.session() as session:
            session.execute(text("SELECT 1"))
    except SQLAlchemyError:
        return "The database does not answer."
    return "The storage of pictures is not there." if absence(studio) else ""


def state_of(studio: Studio) -> UpkeepState:
    """How an installation fares now."""
    absent = absence(studio)
    held = [] if absent else _held(studio)
    with studio.database.session() as session:
        alive, silent = _workers(session, studio.settings.stalled_seconds)
        counted = session.execute(
            text("SELECT status::text, task_name, count(*) FROM procrastinate_jobs GROUP BY 1, 2")
        ).all()
        frames = select(func.count()).select_from(models.FrameRow).where(models.FrameRow.state == "ready")
        return UpkeepState(
            absent=absent,
            free=_free(studio.settings.blobs),
            workers=alive,
            silent=silent,
            waiting={task: count for status, task, count in counted if status == "todo"},
            doing={task: count for status, task, count in counted if status == "doing"},
            oldest=_oldest(session),
            failed=sum(count for status, _, count in counted if status == "failed"),
            frames=session.scalar(frames) or 0,
            series=session.scalar(select(func.count()).select_from(models.SeriesRow)) or 0,
            largest=_largest(session),
            quarantined=len(held),
            quarantined_bytes=sum(held),
        )


def _held(studio: Studio) -> list[int]:
    try:
        return [one.bytes for one in Quarantine(studio.blobs).held()]
    except StoreAbsentError:
        return []


def _free(blobs: str) -> int | None:
    """Bytes free where pictures are kept; none where that is no folder of this machine."""
    if "://" in blobs:
        return None
    place = Path(blobs)
    while not place.exists() and place != place.parent:
        place = place.parent
    return shutil.disk_usage(place).free


def _workers(session: Session, seconds: float) -> tuple[int, int]:
    query = text(
        "SELECT count(*) FILTER (WHERE last_heartbeat > now() - make_interval(secs => :seconds)), count(*) "
        "FROM procrastinate_workers"
    )
    alive, known = session.execute(query, {"seconds": seconds}).one()
    return int(alive), int(known - alive)


def _oldest(session: Session) -> float:
    """Seconds that the oldest job waits that could be done now; 0 for none."""
    query = text(
        "SELECT extract(epoch FROM now() - min(event.at)) FROM procrastinate_jobs AS job "
        "JOIN procrastinate_events AS event ON event.job_id = job.id AND event.type = 'deferred' "
        "WHERE job.status = 'todo' AND (job.scheduled_at IS NULL OR job.scheduled_at <= now())"
    )
    return float(session.scalar(query) or 0.0)


def _largest(session: Session) -> list[tuple[str, str, int]]:
    """Titles, addresses and numbers of frames of the series with most of them."""
    series, frame, count = models.SeriesRow, models.FrameRow, func.count()
    query = (
        select(series.title, series.slug, count)
        .join(frame, frame.series_id == series.id)
        .where(frame.state == "ready", series.deleted.is_(None))
        .group_by(series.id)
        .order_by(count.desc(), series.title)
        .limit(_LARGEST)
    )
    return [(title, slug, number) for title, slug, number in session.execute(query)]


def remedies(state: UpkeepState) -> list[UpkeepRemedy]:
    """What is amiss, with what to do about each; nothing where all is well."""
    found = []
    if state.absent:
        found.append(
            UpkeepRemedy(state.absent, "Mount its disk, or start the server that holds it. Work waits meanwhile.")
        )
    if not state.workers:
        found.append(
            UpkeepRemedy(
                "No worker gives a sign of life.",
                "The start command starts one again by itself. Where workers run on their own, start one with "
                "python -m nuvett.jobs; what waits is safe.",
            )
        )
    if state.silent:
        words = "1 worker has" if state.silent == 1 else f"{state.silent} workers have"
        remedy = "Their work is handed to others by itself. Look at the machines that they ran on."
        found.append(UpkeepRemedy(f"{words} fallen silent.", remedy))
    if state.oldest > LONGEST_WAIT:
        words = f"Work has been waiting for {state.oldest / 60:.0f} minutes."
        found.append(UpkeepRemedy(words, "Start more workers, on this machine or another one: python -m nuvett.jobs."))
    if state.free is not None and state.free < MIN_FREE:
        words = f"The disk of pictures has {state.free / 1e9:.1f} GB left."
        remedy = "Empty the quarantine or the bin on the shelf, or move the store to a larger disk. Full, work waits."
        found.append(UpkeepRemedy(words, remedy))
    if state.failed:
        jobs = "1 job was" if state.failed == 1 else f"{state.failed} jobs were"
        found.append(UpkeepRemedy(f"{jobs} given up.", "What they were for says so in its place; the log says why."))
    return found
