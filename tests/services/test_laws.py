"""Laws of the background's tasks: done twice they change nothing the second time, and two at once lose nothing."""

import threading
import uuid
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from typing import Any

import pytest
from sqlalchemy import text, update

from nuvett.core.errors import DuplicateFileError
from nuvett.core.look.local import Local
from nuvett.core.look.look import Look
from nuvett.jobs.worker import TASKS
from nuvett.services.delivery import deliveries, delivering
from nuvett.services.delivery.delivery_settings import read_settings
from nuvett.services.looks import carrying, looks
from nuvett.services.platform import queue, workers
from nuvett.services.platform.memory import MemoryBudget
from nuvett.services.platform.studio import Studio
from nuvett.services.references import clips
from nuvett.services.series import catalogue, gathering
from nuvett.services.shelf import filing
from nuvett.store import models
from nuvett.store.models import Base
from tests.conftest import DEMO

# Times, and what a rendering or a measuring on another thread may write a little otherwise.
_PASSING = {"created", "started", "finished", "seen", "placed", "bytes", "blob"}


def rows(studio: Studio) -> dict[str, list[dict[str, Any]]]:
    """All rows of all tables, but for what passes."""
    with studio.database.session() as session:
        return {
            table.name: sorted(
                (
                    {k: v for k, v in row._mapping.items() if k not in _PASSING}
                    for row in session.execute(table.select())
                ),
                key=repr,
            )
            for table in Base.metadata.sorted_tables
            if table.name != "series_revision"  # which is another one whenever rows are written
        }


def jobs(studio: Studio) -> int:
    with studio.database.session() as session:
        return int(session.scalar(text("SELECT count(*) FROM procrastinate_jobs WHERE status = 'todo'")) or 0)


@pytest.fixture
def busy(studio: Studio, slug: str) -> dict[str, uuid.UUID]:
    """A series in which every task has something to do, and the row that each task is handed."""
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        with next(DEMO.rglob("*.webm")).open("rb") as stream:
            clip = clips.add_clip(session, studio, series, "clip.webm", stream)
        area = Local.model_validate({"area": {"parts": [{"kind": "subject"}]}, "exposure": {"exposure": 1}})
        looks.change_look(session, series, Look(areas=(area,)), catalogue.look_of(session, series).revision)
        carrying.carry(session, series)
        asked = read_settings({"outputs": [{"resize": {"by": "long", "pixels": 64}}], "papers": {"record": True}})
        delivery = deliveries.order_delivery(session, studio, series, asked)
        gone = catalogue.start_series(session, "Gone")
        filing.delete_series(session, gone)
        filing.remove_for_good(session, studio, gone)
        frame, reference = series.frames[0], series.references[0]
        frame.state = reference.state = "waiting"
        session.flush()
        first = delivery.files[0]
        session.execute(update(models.SetUpRow).values(light_key="", own_key=""))
        series.wall_asked, series.light_due = "draft", True
        due = {
            queue.INGEST_FRAME: frame.id,
            queue.INGEST_REFERENCE: reference.id,
            queue.INGEST_CLIP: clip.id,
            queue.EVEN_SETUP: series.setups[0].id,
            queue.EVEN_SERIES: series.id,
            queue.FIND_SUBJECTS: series.id,
            queue.DESCRIBE: series.id,
            queue.FOLLOW: series.id,
            queue.DELIVER: delivery.id,
            queue.DELIVER_FILE: first.id,
            queue.FINISH_DELIVERY: delivery.id,
            queue.KEEP_CARRIED: series.id,
            queue.FILL_WALL: series.id,
            queue.PURGE_SERIES: gone.id,
        }
    with studio.database.session() as session:
        session.execute(text("DELETE FROM procrastinate_jobs"))
    return due


def test_every_task_done_twice_changes_nothing_the_second_time(studio: Studio, busy: dict[str, uuid.UUID]) -> None:
    assert set(busy) == set(TASKS)

    def done(name: str) -> None:
        with studio.database.session() as session:  # what is due would be given way to
            session.execute(text("UPDATE procrastinate_jobs SET scheduled_at = now() + interval '1 hour'"))
        TASKS[name].work(studio, busy[name])

    for name in busy:  # in the order in which work goes
        before = rows(studio)
        done(name)
        after, queued = rows(studio), jobs(studio)
        if name != queue.FINISH_DELIVERY:  # whose pictures are not all made here
            assert after != before or jobs(studio), f"{name} had something to do"
        done(name)
        again = rows(studio)
        assert {k: v for k, v in again.items() if v != after[k]} == {}, name
        assert jobs(studio) <= queued + (name == queue.EVEN_SERIES), name


@pytest.mark.parametrize("name", sorted(TASKS))
def test_every_task_takes_a_row_that_is_gone_calmly(studio: Studio, name: str) -> None:
    before = rows(studio)
    TASKS[name].work(studio, uuid.uuid4())
    TASKS[name].give_up(studio, uuid.uuid4())
    assert rows(studio) == before and jobs(studio) == 0


def test_of_two_files_that_end_together_one_finishes_the_delivery(studio: Studio, slug: str) -> None:
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        carrying.carry(session, series)
        asked = read_settings({"outputs": [{"resize": {"by": "long", "pixels": 64}}]})
        delivery = deliveries.order_delivery(session, studio, series, asked)
        delivery.state = "running"
        session.flush()
        files = [file.id for file in delivery.files]
    with studio.database.session() as session:
        session.execute(text("DELETE FROM procrastinate_jobs"))
    for file in files[2:]:
        delivering.give_up_file(studio, file)
    with studio.database.session() as session:
        first = session.get_one(models.DeliveryFileRow, files[0])
        delivering._ended(session, studio, first, state="failed", problem="x")
        other = threading.Thread(target=delivering.give_up_file, args=(studio, files[1]))
        other.start()
        other.join(0.5)
        assert other.is_alive(), "the second waits until the first is settled"
    other.join(20)
    with studio.database.session() as session:
        tasks = session.scalars(text("SELECT task_name FROM procrastinate_jobs WHERE status = 'todo'")).all()
    assert tasks == [queue.FINISH_DELIVERY]


def test_a_frame_is_added_by_one_at_a_time_so_that_a_file_is_not_there_twice(studio: Studio, slug: str) -> None:
    path = DEMO / "frames" / "AT-0120.jpg"
    told: list[str] = []

    def add() -> None:
        try:
            with studio.database.session() as session:
                gathering.add_file(session, studio, catalogue.find_series(session, slug), path)
        except DuplicateFileError:
            told.append("there")
        else:
            told.append("added")

    threads = [threading.Thread(target=add) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(60)
    assert sorted(told) == ["added", "there", "there", "there"]


def test_a_job_is_handed_back_unless_its_twin_waits_already(studio: Studio, slug: str) -> None:
    with studio.database.session() as session:
        key = str(catalogue.find_series(session, slug).id)
        studio.queue.defer(session, queue.EVEN_SERIES, once="even", series_id=key)
    with studio.database.session() as session:
        session.execute(text("UPDATE procrastinate_jobs SET status = 'doing' WHERE status = 'todo'"))
        studio.queue.defer(session, queue.EVEN_SERIES, once="even", series_id=key)
        studio.queue.defer(session, queue.FIND_SUBJECTS, once="other", series_id=key)
    with studio.database.session() as session:
        session.execute(text("UPDATE procrastinate_jobs SET status = 'doing' WHERE queueing_lock = 'other'"))
        doing = set(session.scalars(text("SELECT id FROM procrastinate_jobs WHERE status = 'doing'")))
    assert len(doing) == 2 and workers.twin_waits(studio, "even") and not workers.twin_waits(studio, "other")
    workers.hand_back(studio, doing)
    with studio.database.session() as session:
        names = session.execute(text("SELECT queueing_lock, status FROM procrastinate_jobs ORDER BY id")).all()
    assert [tuple(row) for row in names] == [("even", "doing"), ("even", "todo"), ("other", "todo")]


def test_transactions_that_queue_the_same_names_do_not_wait_for_each_other(studio: Studio, slug: str) -> None:
    both = threading.Barrier(2)

    def handing(names: str) -> None:
        with studio.database.session() as session:
            for name in names:
                studio.queue.defer(session, queue.EVEN_SERIES, once=name, series_id=name)
                both.wait(20)
            with suppress(LookupError), session.begin_nested():
                raise LookupError

    with ThreadPoolExecutor(2) as pool:
        list(pool.map(handing, ("ab", "ba")))
    with studio.database.session() as session:
        names = session.scalars(text("SELECT queueing_lock FROM procrastinate_jobs WHERE lock IN ('a', 'b')")).all()
        session.execute(text("DELETE FROM procrastinate_jobs WHERE lock IN ('a', 'b')"))
    assert sorted(names) == ["a", "b"]


def test_large_tasks_wait_for_each_other_and_small_ones_do_not() -> None:
    budget, order = MemoryBudget(100), []
    inside, leave = threading.Event(), threading.Event()

    def large(name: str) -> None:
        with budget.hold(400 if name == "first" else 60):
            order.append(name)
            inside.set()
            leave.wait(20)

    first = threading.Thread(target=large, args=("first",))
    first.start()
    assert inside.wait(10)
    second = threading.Thread(target=large, args=("second",))
    second.start()
    second.join(0.3)
    assert order == ["first"], "what asks for more than there is works alone"
    leave.set()
    first.join(10), second.join(10)
    assert order == ["first", "second"]
    with budget.hold(60), budget.hold(40):
        order.append("both")
    assert order[-1] == "both"
