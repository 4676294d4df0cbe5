"""Folders that are watched: frames arrive once, whole, and are carried; a folder that vanishes or fills the disk."""

import dataclasses
import os
import shutil
import uuid
from datetime import timedelta
from pathlib import Path

import pytest
from sqlalchemy.orm import Session

from nuvett.core.errors import DiskFullError, InvalidChangeError
from nuvett.services.looks import carrying
from nuvett.services.platform.studio import Studio
from nuvett.services.series import catalogue, gathering, watching
from nuvett.services.series.watching import Seen, look_into_all
from nuvett.store import models
from tests.conftest import DEMO, drain
from tools import camera

FRAMES = [DEMO / "frames" / f"AT-01{n:02}.jpg" for n in (9, 10, 11)]


@pytest.fixture
def here(studio: Studio, tmp_path: Path) -> Studio:
    settings = studio.settings.model_copy(update={"folders": tmp_path})
    return dataclasses.replace(studio, settings=settings)


@pytest.fixture
def hot(here: Studio, slug: str, tmp_path: Path) -> Path:
    """A folder that is watched for a measured series that has been carried."""
    with here.database.session() as session:
        series = catalogue.find_series(session, slug)
        carrying.carry(session, series)
        watching.watch(session, here, series, "hot", carries=True)
    return tmp_path / "hot"


def state(studio: Studio, slug: str) -> tuple[list[str], models.WatchedFolderRow]:
    """Names of all frames of the series, and its watched folder."""
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        row = watching.watched(session, series)
        assert row is not None
        return [frame.name for frame in series.frames], row


def test_a_file_is_taken_once_it_has_settled_and_never_twice(here: Studio, slug: str, hot: Path) -> None:
    waiting: dict[uuid.UUID, Seen] = {}
    data = FRAMES[0].read_bytes()
    (hot / "day 1").mkdir()
    arriving = hot / "day 1" / "AT-0109.jpg"
    arriving.write_bytes(data[: len(data) // 2])
    assert look_into_all(here, waiting, 0)
    arriving.write_bytes(data)
    assert look_into_all(here, waiting, 0), "it has grown since, and waits again"
    assert len(state(here, slug)[0]) == 5
    assert not look_into_all(here, waiting, 0)
    assert state(here, slug)[0][5:] == ["AT-0109"] and state(here, slug)[1].taken == 1
    for again in (waiting, {}):  # also after a restart, when nothing is remembered but in the database
        for _ in range(3):
            look_into_all(here, again, 0)
    shutil.copy(arriving, hot / "a copy.jpg")
    for _ in range(3):
        look_into_all(here, waiting, 0)
    assert state(here, slug)[1].taken == 1 and len(state(here, slug)[0]) == 6
    with here.database.session() as session:
        assert watching.refused_there(session, catalogue.find_series(session, slug)) == []


def test_what_arrives_is_measured_evened_and_follows_the_newest_look(here: Studio, slug: str, hot: Path) -> None:
    waiting: dict[uuid.UUID, Seen] = {}
    for path in FRAMES:
        shutil.copy(path, hot)
    for hidden in (".half.jpg", "notes.txt"):
        (hot / hidden).write_bytes(b"not for us")
    (hot / "list.jpg").write_text("milk, bread")
    for _ in range(2):
        look_into_all(here, waiting, 0)
    drain(here)
    with here.database.session() as session:
        series = catalogue.find_series(session, slug)
        frames = {frame.name: frame for frame in catalogue.ready_frames(session, series.id)}
        newest = carrying.last_version(session, catalogue.look_of(session, series))
        assert newest is not None
        for name in ("AT-0109", "AT-0110", "AT-0111"):
            assert frames[name].follows_id == newest.id and frames[name].even
        assert [frame.name for frame in series.frames if frame.state == "refused"] == ["list"]
        watching.watch(session, here, series, "hot", carries=False)
    shutil.copy(DEMO / "frames" / "AT-0112.jpg", hot)
    for _ in range(2):
        look_into_all(here, waiting, 0)
    with here.database.session() as session:
        last = catalogue.find_series(session, slug).frames[-1]
        assert last.name == "AT-0112" and last.follows_id is None


def test_a_folder_that_vanishes_or_a_full_disk_is_said_and_goes_on_by_itself(
    here: Studio, slug: str, hot: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    waiting: dict[uuid.UUID, Seen] = {}
    hot.rename(hot.with_name("away"))
    look_into_all(here, waiting, 0)
    assert "is not there" in state(here, slug)[1].problem
    hot.with_name("away").rename(hot)
    shutil.copy(FRAMES[1], hot)
    look_into_all(here, waiting, 0)
    assert state(here, slug)[1].problem == ""

    def full(*_: object) -> None:
        raise DiskFullError

    with monkeypatch.context() as patched:
        patched.setattr(type(here.blobs), "put", full)
        look_into_all(here, waiting, 0)
    assert "disk is full" in state(here, slug)[1].problem and len(state(here, slug)[0]) == 5
    look_into_all(here, waiting, 0)
    assert state(here, slug)[1].problem == "" and state(here, slug)[0][5:] == ["AT-0110"]


def test_one_bad_entry_is_set_aside_and_all_others_and_other_series_go_on(
    here: Studio, slug: str, hot: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    with here.database.session() as session:
        other = catalogue.start_series(session, "Other")
        watching.watch(session, here, other, "warm", carries=False)
    for folder in (hot, tmp_path / "warm"):
        shutil.copy(FRAMES[0], os.fsencode(folder / "caf") + b"\xe9 (1).jpg")
        shutil.copy(FRAMES[1], folder)
    shutil.copy(FRAMES[2], hot / "bad.jpg")
    take = watching.add_file

    def fails(session: Session, studio: Studio, series: models.SeriesRow, path: Path) -> models.FrameRow:
        if path.name == "bad.jpg":
            raise RuntimeError("nobody foresaw this")
        return take(session, studio, series, path)

    monkeypatch.setattr(watching, "add_file", fails)
    waiting: dict[uuid.UUID, Seen] = {}
    for _ in range(3):
        look_into_all(here, waiting, 0)
    assert len(state(here, slug)[0]) == 7 and len(state(here, "other")[0]) == 2
    with here.database.session() as session:
        (refused,) = watching.refused_there(session, catalogue.find_series(session, slug))
        assert refused[0] == "bad.jpg" and "could not take" in refused[1]

    def broken(*_: object) -> None:
        raise RuntimeError("nor this")

    monkeypatch.setattr(watching, "_files", lambda folder: broken() if folder == hot else [])
    look_into_all(here, waiting, 0)
    assert "could not look" in state(here, slug)[1].problem and state(here, "other")[1].problem == ""


def test_a_dead_watcher_is_said(here: Studio, slug: str, hot: Path) -> None:
    look_into_all(here, {}, 0)
    row = state(here, slug)[1]
    assert row.seen and watching.problem_of(row) == ""
    row.seen -= timedelta(minutes=5)
    assert "not been looked into since" in watching.problem_of(row)


def test_a_folder_is_watched_for_one_series_and_nothing_outside_is(here: Studio, slug: str, hot: Path) -> None:
    with here.database.session() as session:
        other = catalogue.start_series(session, "Other")
        with pytest.raises(InvalidChangeError, match="another series"):
            watching.watch(session, here, other, "hot", carries=True)
        with pytest.raises(InvalidChangeError, match="inside"):
            watching.watch(session, here, other, "../..", carries=True)
        series = catalogue.find_series(session, slug)
        watching.watch_no_longer(session, series)
        assert watching.watched(session, series) is None
        watching.watch(session, here, other, "hot", carries=True)


def test_the_simulated_camera_s_shoot_becomes_one_frame_for_each_release(
    here: Studio, slug: str, hot: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(camera, "_PIECE_SECONDS", 0)
    camera.shoot(hot, 0, 4)
    assert {p.suffix for p in hot.iterdir()} == {".dng", ".jpg", ".heic"} and not list(hot.parent.glob(".*"))
    waiting: dict[uuid.UUID, Seen] = {}
    for _ in range(2):
        look_into_all(here, waiting, 0)
    drain(here)
    with here.database.session() as session:
        frames = catalogue.ready_frames(session, catalogue.find_series(session, slug).id)
        # Frames 1 and 2 of the demo are in the series as JPEGs already, and become raw; 3 is there, the phone's is new.
        assert sorted((f.name, f.format) for f in frames if f.name in ("AT-0101", "AT-0102", "AT-0103", "PH-2041")) == [
            ("AT-0101", "raw"),
            ("AT-0102", "raw"),
            ("AT-0103", "jpeg"),
            ("PH-2041", "heic"),
        ]
        assert len(frames) == 6
    assert gathering.display_name("PH-2041.heic") == "PH-2041"
