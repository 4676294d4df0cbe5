"""A worker that is killed in the middle of a delivery: its task is handed out again and nothing is lost."""

import os
import subprocess
import sys
import time
from pathlib import Path
from typing import Any

import numpy as np
import procrastinate
import pytest
from sqlalchemy import func, select, text

from nuvett.core.errors import DiskFullError, StoppingError
from nuvett.imaging.opened import Limits
from nuvett.jobs import worker
from nuvett.services.delivery import deliveries, delivering
from nuvett.services.delivery.delivery_settings import DeliverySettings
from nuvett.services.files import writing
from nuvett.services.files.measuring import MeasuredFile
from nuvett.services.platform import workers
from nuvett.services.platform.memory import hand_back_freed
from nuvett.services.platform.studio import Studio
from nuvett.services.references import clips, new_references
from nuvett.services.series import catalogue, gathering, lighting
from nuvett.store import models
from tests.conftest import DEMO, PROJECT, drain, run_apart
from tests.services.conftest import Orderer

SMALL = DeliverySettings(size=100)


def faulty(*_: object) -> None:
    raise RuntimeError("nobody foresaw this")


def start_worker(studio: Studio) -> subprocess.Popen[bytes]:
    environment = os.environ | {
        "NUVETT_DATABASE": studio.settings.database,
        "NUVETT_BLOBS": studio.settings.blobs,
        "NUVETT_STALLED_SECONDS": "2",
    }
    return subprocess.Popen([sys.executable, "-m", "nuvett.jobs"], cwd=PROJECT, env=environment)


def made(studio: Studio) -> int:
    with studio.database.session() as session:
        query = select(func.count()).where(models.DeliveryFileRow.state == "done")
        return session.scalar(query) or 0


def wait_for(studio: Studio, count: int, seconds: float) -> None:
    end = time.monotonic() + seconds
    while made(studio) < count:
        assert time.monotonic() < end, f"only {made(studio)} of {count} files were made"
        time.sleep(0.05)


def test_a_killed_worker_s_delivery_is_finished_by_another(studio: Studio, ordered: Orderer) -> None:
    ordered(5, DeliverySettings(format="png16", space="p3"))
    first = start_worker(studio)
    try:
        wait_for(studio, 1, 180)
    finally:
        first.kill()
        first.wait()
    assert made(studio) < 5
    second = start_worker(studio)
    try:
        wait_for(studio, 5, 300)
    finally:
        second.terminate()
        second.wait(120)
    with studio.database.session() as session:
        delivery = session.scalars(select(models.DeliveryRow)).one()
        assert {f.state for f in delivery.files} == {"done"}


def test_a_fault_nobody_foresaw_refuses_one_frame_and_holds_up_nothing(
    studio: Studio, monkeypatch: pytest.MonkeyPatch
) -> None:
    measure = gathering.measure_file
    seen: list[Path] = []

    def faulty(path: Path, limits: Limits, *how: object) -> MeasuredFile:
        seen.append(path)
        if path == seen[0]:
            raise RuntimeError("nobody foresaw this")
        return measure(path, limits)

    monkeypatch.setattr(gathering, "measure_file", faulty)
    monkeypatch.setattr(worker, "_RETRY", procrastinate.RetryStrategy(max_attempts=1))
    with studio.database.session() as session:
        series = catalogue.start_series(session, "Winter fair")
        for n in range(1, 4):
            gathering.add_file(session, studio, series, DEMO / "frames" / f"AT-010{n}.jpg")
    drain(studio)
    assert seen.count(seen[0]) == 2
    with studio.database.session() as session:
        rows = session.scalars(select(models.FrameRow)).all()
        assert sorted(frame.state for frame in rows) == ["ready", "ready", "refused"]
        (refused,) = (frame for frame in rows if frame.state == "refused")
        assert "internal error" in refused.problem
        assert all(frame.even for frame in rows if frame.state == "ready")


def test_what_no_try_could_finish_is_refused_and_can_be_tried_again_once_mended(
    studio: Studio, ordered: Orderer, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(worker, "_RETRY", procrastinate.RetryStrategy(max_attempts=1))
    ordered_id = ordered(1, SMALL)
    with studio.database.session() as session:
        series = catalogue.find_series(session, "winter-fair")
        with (DEMO / "stills" / "still_1_teal_amber.jpg").open("rb") as stream:
            refused = new_references.add_reference(session, studio, series, "teal.jpg", stream).id
        with (DEMO / "clips" / "salt-road.webm").open("rb") as stream:
            clip = clips.add_clip(session, studio, series, "salt-road.webm", stream).id
    with monkeypatch.context() as broken:
        broken.setattr(new_references, "measure_file", faulty)
        broken.setattr(clips, "read_clip", faulty)
        broken.setattr(writing, "render_file", faulty)
        drain(studio)
    with studio.database.session() as session:
        for row in (session.get_one(models.ReferenceRow, refused), session.get_one(models.ClipRow, clip)):
            assert row.state == "refused" and "internal error" in row.problem
        delivery = session.get_one(models.DeliveryRow, ordered_id)
        assert delivery.state == "done" and [file.state for file in delivery.files] == ["failed"]
        assert "internal error" in delivery.files[0].problem
        assert deliveries.retry_failed(session, studio, delivery) == 1
    drain(studio)
    with studio.database.session() as session:
        delivery = session.get_one(models.DeliveryRow, ordered_id)
        assert delivery.state == "done" and [file.state for file in delivery.files] == ["done"]


def queued(studio: Studio) -> list[tuple[str, str, int]]:
    with studio.database.session() as session:
        query = "SELECT task_name, status::text, attempts FROM procrastinate_jobs WHERE status IN ('todo', 'doing')"
        rows = session.execute(text(f"{query} ORDER BY id"))
        return [(row[0], row[1], row[2]) for row in rows]


def leave_behind(studio: Studio, task: str, attempts: int = 0) -> None:
    """Make the waiting jobs of a task look as a killed worker leaves them."""
    dead = "UPDATE procrastinate_jobs SET status = 'doing', attempts = :attempts"
    with studio.database.session() as session:
        session.execute(
            text(f"{dead} WHERE task_name = :task AND status = 'todo'"), {"task": task, "attempts": attempts}
        )


def restart(studio: Studio) -> None:
    """What a worker does that starts and is alone."""

    async def clear() -> None:
        app = worker.make_app(studio)
        async with app.open_async():
            await worker.clear_the_dead(app, studio)

    run_apart(clear())


def test_light_that_a_dead_worker_was_evening_while_more_waited_is_evened_once(studio: Studio) -> None:
    with studio.database.session() as session:
        series = catalogue.start_series(session, "Winter fair")
        gathering.add_file(session, studio, series, DEMO / "frames" / "AT-0101.jpg")
    drain(studio)
    for _ in range(2):
        with studio.database.session() as session:
            lighting.let_light_be_evened(session, studio, catalogue.find_series(session, "winter-fair").id)
        if not [job for job in queued(studio) if job[1] == "doing"]:
            leave_behind(studio, "even_series")
    assert [job[1] for job in queued(studio)] == ["doing", "todo"]
    restart(studio)
    assert [job[1] for job in queued(studio)] == ["todo"]
    drain(studio)
    with studio.database.session() as session:
        assert not catalogue.find_series(session, "winter-fair").light_due
    assert queued(studio) == []


def test_a_job_whose_worker_dies_again_and_again_is_given_up_with_a_sentence(studio: Studio) -> None:
    with studio.database.session() as session:
        series = catalogue.start_series(session, "Winter fair")
        gathering.add_file(session, studio, series, DEMO / "frames" / "AT-0101.jpg")
    for tries in range(4):
        assert queued(studio)[0][1:] == ("todo", tries)
        leave_behind(studio, "ingest_frame", tries)
        restart(studio)
    with studio.database.session() as session:
        frame = session.scalars(select(models.FrameRow)).one()
        assert frame.state == "refused" and "internal error" in frame.problem
    drain(studio)


def test_jobs_handed_back_at_a_stop_wait_again_uncounted(studio: Studio) -> None:
    with studio.database.session() as session:
        series = catalogue.start_series(session, "Winter fair")
        gathering.add_file(session, studio, series, DEMO / "frames" / "AT-0101.jpg")
    leave_behind(studio, "ingest_frame", 2)
    with studio.database.session() as session:
        jobs = set(session.scalars(text("SELECT id FROM procrastinate_jobs")))
    workers.hand_back(studio, jobs)
    assert queued(studio) == [("ingest_frame", "todo", 2)]


def test_a_delivery_stops_between_files_when_the_application_does_and_goes_on_later(
    studio: Studio, ordered: Orderer, monkeypatch: pytest.MonkeyPatch
) -> None:
    delivery = ordered(5, SMALL)
    render = writing.render_file

    def once(*arguments: Any) -> Any:
        studio.stopping.set()
        return render(*arguments)

    try:
        with monkeypatch.context() as patched, pytest.raises(StoppingError):
            patched.setattr(writing, "render_file", once)
            delivering.prepare_delivery(studio, delivery)
            with studio.database.session() as session:
                files = [file.id for file in session.get_one(models.DeliveryRow, delivery).files]
            for file in files:
                delivering.make_file(studio, file)
    finally:
        studio.stopping.clear()
    assert 1 <= made(studio) < 5
    drain(studio)
    assert made(studio) == 5


def test_the_first_files_of_an_order_are_made_while_others_are_planned_and_it_goes_on_after_a_fault(
    studio: Studio, ordered: Orderer, monkeypatch: pytest.MonkeyPatch
) -> None:
    delivery = ordered(5, SMALL)
    planner, planned = studio.bench.planner, []

    def finished(facts: Any, index: int, aimed: Any) -> Any:
        if len(planned) == 3:
            raise RuntimeError("the machine went away")
        planned.append(index)
        return type(planner).finished(planner, facts, index, aimed)

    with monkeypatch.context() as patched, pytest.raises(RuntimeError):
        patched.setattr(delivering, "_PLANNED_AT_ONCE", 2)
        patched.setattr(planner, "finished", finished)
        delivering.prepare_delivery(studio, delivery)
    assert [name for name, state, _ in queued(studio) if state == "todo"].count("deliver_file") == 2
    for again in range(2):  # the second time all of them wait already
        delivering.prepare_delivery(studio, delivery)
        assert [name for name, *_ in queued(studio)].count("deliver_file") == 5, again
    drain(studio)
    assert made(studio) == 5


def test_a_full_disk_makes_work_wait_with_words_and_go_on_by_itself(
    studio: Studio, ordered: Orderer, monkeypatch: pytest.MonkeyPatch
) -> None:
    delivery = ordered(5, SMALL)
    with studio.database.session() as session:
        series = catalogue.find_series(session, "winter-fair")
        frame = gathering.add_file(session, studio, series, DEMO / "frames" / "AT-0109.jpg").id
    monkeypatch.setattr(worker, "_LOOK_AGAIN", 0)
    put, seen = type(studio.blobs).put, []

    def full(blobs: Any, stream: Any) -> Any:
        with studio.database.session() as session:
            rows = (session.get_one(models.FrameRow, frame), session.get_one(models.DeliveryRow, delivery))
            seen.append([(row.state, row.problem) for row in rows])
        if len(seen) < 16:
            raise DiskFullError
        return put(blobs, stream)

    with monkeypatch.context() as patched:
        patched.setattr(type(studio.blobs), "put", full)
        drain(studio)
    told = [problem for states in seen for _, problem in states]
    assert any("disk is full" in problem for problem in told), seen
    with studio.database.session() as session:
        row = session.get_one(models.FrameRow, frame)
        assert (row.state, row.problem) == ("ready", "")
        finished = session.get_one(models.DeliveryRow, delivery)
        assert (finished.state, finished.problem) == ("done", "")
    assert made(studio) == 5


def test_a_series_says_first_what_its_waiting_work_waits_for(studio: Studio) -> None:
    with studio.database.session() as session:
        series = catalogue.start_series(session, "Winter fair")
        frame = gathering.add_file(session, studio, series, DEMO / "frames" / "AT-0101.jpg").id
        other = catalogue.start_series(session, "Other fair")
        assert workers.held_up(session, series, 20) == ""
    workers.say_waiting(studio, frame, DiskFullError().message)
    with studio.database.session() as session:
        series, other = (catalogue.find_series(session, slug) for slug in ("winter-fair", "other-fair"))
        assert "disk is full" in workers.held_up(session, series, 20)
        assert workers.held_up(session, other, 20) == ""
    drain(studio)
    with studio.database.session() as session:
        assert workers.held_up(session, catalogue.find_series(session, "winter-fair"), 20) == ""


def test_light_that_cannot_be_evened_leaves_frames_as_they_are_and_says_so(
    studio: Studio, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(worker, "_RETRY", procrastinate.RetryStrategy(max_attempts=1))
    with studio.database.session() as session:
        series = catalogue.start_series(session, "Winter fair")
        gathering.add_file(session, studio, series, DEMO / "frames" / "AT-0101.jpg")
    with monkeypatch.context() as broken:
        broken.setattr(lighting, "even_members", faulty)
        drain(studio)
    with studio.database.session() as session:
        series = catalogue.find_series(session, "winter-fair")
        assert not series.light_due and "internal error" in workers.held_up(session, series, 20)
        lighting.name_hero(session, studio, series, catalogue.ready_frames(session, series.id)[0])
    drain(studio)
    with studio.database.session() as session:
        series = catalogue.find_series(session, "winter-fair")
        assert workers.held_up(session, series, 20) == "" and catalogue.ready_frames(session, series.id)[0].even


def test_what_a_task_has_freed_is_handed_back() -> None:
    def held() -> int:
        (line,) = (line for line in Path("/proc/self/status").read_text().splitlines() if line.startswith("VmRSS"))
        return int(line.split()[1])

    # Pieces too small to be given back one by one, the last of which keeps all below it where it is.
    pieces = [np.ones(60_000, np.uint8) for _ in range(3000)]
    last, before = pieces.pop(), held()
    pieces.clear()
    hand_back_freed()
    assert held() < before - 100_000 and last.any()
