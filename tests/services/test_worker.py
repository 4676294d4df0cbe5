"""A worker that is killed in the middle of a delivery: its task is handed out again and nothing is lost."""

import os
import subprocess
import sys
import time
from pathlib import Path

import procrastinate
import pytest
from sqlalchemy import func, select

from nuvett.imaging.decode import Limits
from nuvett.jobs import worker
from nuvett.services import catalogue, clips, deliveries, gather, looks
from nuvett.services.measuring import MeasuredFile
from nuvett.services.studio import Studio
from nuvett.store import models
from tests.conftest import DEMO, PROJECT, drain


def start_worker(studio: Studio) -> subprocess.Popen[bytes]:
    environment = os.environ | {
        "NUVETT_DATABASE": studio.settings.database,
        "NUVETT_BLOBS": studio.settings.blobs,
        "NUVETT_STALLED_SECONDS": "2",
    }
    return subprocess.Popen([sys.executable, "-m", "nuvett.jobs"], cwd=PROJECT, env=environment)


def made(studio: Studio) -> int:
    with studio.database.session() as session:
        query = select(func.count()).where(models.DeliveryFile.state == "done")
        return session.scalar(query) or 0


def wait_for(studio: Studio, count: int, seconds: float) -> None:
    end = time.monotonic() + seconds
    while made(studio) < count:
        assert time.monotonic() < end, f"only {made(studio)} of {count} files were made"
        time.sleep(0.05)


def test_a_killed_worker_s_delivery_is_finished_by_another(studio: Studio) -> None:
    with studio.database.session() as session:
        series = catalogue.start_series(session, "Winter fair")
        for n in range(1, 10):
            gather.add_file(session, studio, series, DEMO / "frames" / f"AT-010{n}.jpg")
        with (DEMO / "stills" / "still_4_silver.jpg").open("rb") as stream:
            gather.add_reference(session, studio, series, "silver.jpg", stream)
    drain(studio)
    with studio.database.session() as session:
        series = catalogue.find_series(session, "winter-fair")
        looks.carry(session, series)
        settings = deliveries.parse_settings("png16", "p3", 92, "", "{name}")
        deliveries.order_delivery(session, studio, series, settings)
    first = start_worker(studio)
    try:
        wait_for(studio, 1, 180)
    finally:
        first.kill()
        first.wait()
    assert made(studio) < 9
    second = start_worker(studio)
    try:
        wait_for(studio, 9, 300)
    finally:
        second.terminate()
        second.wait(120)
    with studio.database.session() as session:
        delivery = session.scalars(select(models.Delivery)).one()
        assert {f.state for f in delivery.files} == {"done"}


def test_a_fault_nobody_foresaw_refuses_one_frame_and_holds_up_nothing(
    studio: Studio, monkeypatch: pytest.MonkeyPatch
) -> None:
    measure = gather.measure_file
    seen: list[Path] = []

    def faulty(path: Path, limits: Limits) -> MeasuredFile:
        seen.append(path)
        if path == seen[0]:
            raise RuntimeError("nobody foresaw this")
        return measure(path, limits)

    monkeypatch.setattr(gather, "measure_file", faulty)
    monkeypatch.setattr(worker, "_RETRY", procrastinate.RetryStrategy(max_attempts=1))
    with studio.database.session() as session:
        series = catalogue.start_series(session, "Winter fair")
        for n in range(1, 4):
            gather.add_file(session, studio, series, DEMO / "frames" / f"AT-010{n}.jpg")
    drain(studio)
    assert seen.count(seen[0]) == 2
    with studio.database.session() as session:
        frames = session.scalars(select(models.Frame)).all()
        assert sorted(frame.state for frame in frames) == ["ready", "ready", "refused"]
        (refused,) = (frame for frame in frames if frame.state == "refused")
        assert "went wrong" in refused.problem
        assert all(frame.even for frame in frames if frame.state == "ready")


def test_what_no_try_could_finish_is_refused_or_stopped_and_can_go_on_once_mended(
    studio: Studio, monkeypatch: pytest.MonkeyPatch
) -> None:
    def faulty(*_: object) -> None:
        raise RuntimeError("nobody foresaw this")

    monkeypatch.setattr(worker, "_RETRY", procrastinate.RetryStrategy(max_attempts=1))
    with studio.database.session() as session:
        series = catalogue.start_series(session, "Winter fair")
        gather.add_file(session, studio, series, DEMO / "frames" / "AT-0101.jpg")
        with (DEMO / "stills" / "still_4_silver.jpg").open("rb") as stream:
            gather.add_reference(session, studio, series, "silver.jpg", stream)
    drain(studio)
    with studio.database.session() as session:
        series = catalogue.find_series(session, "winter-fair")
        looks.carry(session, series)
        ordered = deliveries.order_delivery(session, studio, series, deliveries.DeliverySettings(size=100)).id
        with (DEMO / "stills" / "still_1_teal_amber.jpg").open("rb") as stream:
            refused = gather.add_reference(session, studio, series, "teal.jpg", stream).id
        with (DEMO / "clips" / "salt-road.webm").open("rb") as stream:
            clip = clips.add_clip(session, studio, series, "salt-road.webm", stream).id
    with monkeypatch.context() as broken:
        broken.setattr(gather, "measure_file", faulty)
        broken.setattr(clips, "read_clip", faulty)
        broken.setattr(deliveries, "render_file", faulty)
        drain(studio)
    with studio.database.session() as session:
        for row in (session.get_one(models.Reference, refused), session.get_one(models.Clip, clip)):
            assert row.state == "refused" and "went wrong" in row.problem
        delivery = session.get_one(models.Delivery, ordered)
        assert delivery.state == "stopped" and [file.state for file in delivery.files] == ["waiting"]
        deliveries.resume_delivery(session, studio, delivery)
    drain(studio)
    with studio.database.session() as session:
        assert session.get_one(models.Delivery, ordered).state == "done"
