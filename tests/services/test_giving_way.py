"""Long work that nobody waits for gives its place to what somebody does."""

import uuid
from collections.abc import Iterator

import pytest
from sqlalchemy import text

from nuvett.core.errors import StoppingError
from nuvett.services.looks import carried_plans, carrying
from nuvett.services.platform.queue import DELIVER_FILE, DESCRIBE, FILL_WALL, KEEP_CARRIED, PURGE_SERIES
from nuvett.services.platform.studio import Studio
from nuvett.services.platform.workers import give_way
from nuvett.services.series.catalogue import find_series
from nuvett.services.threads import following


def waits(studio: Studio, task: str, name: str | None = None, seconds: int = 0) -> None:
    with studio.database.session() as session:
        studio.queue.defer(session, task, once=name, seconds=seconds, row=str(uuid.uuid4()))


@pytest.fixture(autouse=True)
def nothing_left(studio: Studio) -> Iterator[None]:
    yield
    studio.stopping.clear()
    with studio.database.session() as session:
        session.execute(text("DELETE FROM procrastinate_jobs"))


def test_work_gives_way_to_what_is_more_urgent_and_could_begin(studio: Studio) -> None:
    waits(studio, KEEP_CARRIED)
    waits(studio, FILL_WALL, seconds=600)
    give_way(studio, DESCRIBE)
    with studio.database.session() as session:
        session.execute(
            text("UPDATE procrastinate_jobs SET status = 'doing', lock = 'one' WHERE task_name = 'fill_wall'")
        )
    waits(studio, PURGE_SERIES, name="one")
    give_way(studio, DESCRIBE)
    waits(studio, DELIVER_FILE, name="other")
    with pytest.raises(StoppingError):
        give_way(studio, DESCRIBE)
    give_way(studio, FILL_WALL)
    studio.stopping.set()
    with pytest.raises(StoppingError):
        give_way(studio, FILL_WALL)


def test_describing_and_keeping_end_where_files_wait_and_go_on_afterwards(studio: Studio, slug: str) -> None:
    with studio.database.session() as session:
        series = find_series(session, slug)
        carrying.carry(session, series)
        session.execute(text("UPDATE frame SET described = NULL"))
        session.execute(text("DELETE FROM procrastinate_jobs WHERE status = 'todo'"))
    waits(studio, DELIVER_FILE)
    for work in (following.describe_frames, carried_plans.keep_carried):
        with pytest.raises(StoppingError):
            work(studio, series.id)
    with studio.database.session() as session:
        session.execute(text("DELETE FROM procrastinate_jobs WHERE status = 'todo'"))
    following.describe_frames(studio, series.id)
    carried_plans.keep_carried(studio, series.id)
    with studio.database.session() as session:
        assert session.scalar(text("SELECT count(*) FROM frame WHERE described IS NULL")) == 0
        assert session.scalar(text("SELECT count(*) FROM carried_plan")) == session.scalar(
            text("SELECT count(*) FROM frame")
        )
