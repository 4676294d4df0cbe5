"""Light of a series: evened set-up by set-up, only where something changed, by the base that was chosen."""

import json
import uuid
from contextlib import suppress
from pathlib import Path

import cv2
import numpy as np
import pytest
from PIL import Image
from sqlalchemy import text, update

from nuvett.core.errors import InvalidChangeError, NotFoundError
from nuvett.core.even.axes import log_axes
from nuvett.core.even.even_light import EvenLight
from nuvett.core.even.key import key_of
from nuvett.imaging.facts import read_facts
from nuvett.services.engine.arrays import load_colours
from nuvett.services.platform.studio import Studio
from nuvett.services.series import catalogue, gathering, lighting, setups, things
from nuvett.store import models
from tests.conftest import DEMO, drain, load_rgb
from tools.tag_demo import exif_block, with_exif

EXPOSURES = {e["file"]: e["exposure_ev"] for e in json.loads((DEMO / "manifest.json").read_text())["frames"]}


def add(studio: Studio, slug: str, *paths: Path) -> None:
    with studio.database.session() as session:
        for path in paths:
            gathering.add_file(session, studio, catalogue.find_series(session, slug), path)
    drain(studio)


def lights(studio: Studio, slug: str) -> list[tuple[models.FrameRow, EvenLight]]:
    with studio.database.session() as session:
        frames = catalogue.ready_frames(session, catalogue.find_series(session, slug).id)
        return [(frame, EvenLight.model_validate(frame.even)) for frame in frames]


def with_record(folder: Path, name: str, exposure_ev: float) -> Path:
    """A copy of a demo frame with an exposure as a camera tags it."""
    source = DEMO / "frames" / name
    (folder / name).write_bytes(with_exif(source.read_bytes(), exif_block(source, exposure_ev)))
    return folder / name


def without_record(folder: Path, name: str) -> Path:
    """A copy of a demo frame whose camera wrote nothing down."""
    source = DEMO / "frames" / name
    (folder / name).write_bytes(with_exif(source.read_bytes(), Image.Exif().tobytes()))
    return folder / name


@pytest.fixture
def slug(studio: Studio) -> str:
    with studio.database.session() as session:
        return catalogue.start_series(session, "Autumn").slug


def test_frames_that_share_nothing_are_brought_towards_one_key(studio: Studio, slug: str, tmp_path: Path) -> None:
    names = [f"AT-01{n}.jpg" for n in (14, 15, 16)]
    wanted = [EXPOSURES[f"frames/{name}"] for name in names]
    paths = [with_record(tmp_path, name, ev) for name, ev in zip(names, wanted, strict=True)]
    found = [read_facts(path).exposure or 0 for path in paths]
    assert [f - found[0] for f in found] == pytest.approx([w - wanted[0] for w in wanted], abs=0.01)
    add(studio, slug, *paths)
    rows = lights(studio, slug)
    assert all(light.rests == "key" and "record" not in light.words for _, light in rows)
    keys = np.array([key_of(load_colours(studio.blobs.read(frame.sample))) for frame, _ in rows])
    evened = keys + [log_axes(light.gains)[0] for _, light in rows]
    assert 0.2 * np.ptp(keys) < np.ptp(evened) < 0.7 * np.ptp(keys)
    assert all(abs(light.exposure) < 0.85 for _, light in rows)
    assert read_facts(without_record(tmp_path, names[0])).exposure is None


def test_a_frame_that_joins_redoes_its_own_set_up_alone(studio: Studio, slug: str) -> None:
    add(studio, slug, *(DEMO / "frames" / f"AT-01{n:02}.jpg" for n in (1, 2, 7, 8)))
    first, second = lights(studio, slug)[0][0].setup_id, lights(studio, slug)[2][0].setup_id
    assert first != second
    sentinel = EvenLight(base="untouched since").model_dump(mode="json")
    with studio.database.session() as session:
        session.execute(update(models.FrameRow).values(even=sentinel))
    add(studio, slug, DEMO / "frames" / "AT-0103.jpg")
    bases = {(frame.setup_id, light.base == "untouched since") for frame, light in lights(studio, slug)}
    assert bases == {(first, False), (second, True)}
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        hero = catalogue.ready_frames(session, series.id)[-1]
        lighting.name_hero(session, studio, series, hero)
    drain(studio)
    rows = lights(studio, slug)
    assert rows[-1][1].gains == (1.0, 1.0, 1.0) and rows[-2][1].base == "the hero"
    assert rows[0][1].base == "the middle of its set-up"


def test_another_set_ups_base_or_none_can_be_taken(studio: Studio, slug: str) -> None:
    add(studio, slug, *(DEMO / "frames" / f"AT-01{n:02}.jpg" for n in (1, 2, 3, 7, 8)))
    frames = [frame for frame, _ in lights(studio, slug)]

    def choose(index: int, choice: str) -> EvenLight:
        with studio.database.session() as session:
            series = catalogue.find_series(session, slug)
            frame = session.get_one(models.FrameRow, frames[index].id)
            lighting.choose_base(session, studio, series, frame, choice)
        drain(studio)
        return lights(studio, slug)[index][1]

    assert choose(1, "none").gains == (1.0, 1.0, 1.0)
    other = choose(1, str(frames[3].setup_id))
    assert other.base == "Set-up 2"
    assert choose(1, "own").base == "the middle of its set-up"
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        frame = session.get_one(models.FrameRow, frames[0].id)
        for choice, error in (("?", InvalidChangeError), (str(frame.id), NotFoundError)):
            with pytest.raises(error):
                lighting.choose_base(session, studio, series, frame, choice)
        lighting.name_hero(session, studio, series, frame)
        with pytest.raises(InvalidChangeError):
            lighting.choose_base(session, studio, series, frame, "none")


def test_frames_of_an_earlier_version_get_their_points_when_light_is_evened(studio: Studio, slug: str) -> None:
    add(studio, slug, *(DEMO / "frames" / f"AT-01{n:02}.jpg" for n in (1, 2)))
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        session.execute(update(models.FrameRow).values(points=None, even=None))
        session.execute(update(models.SetUpRow).values(light_key=""))
        lighting.let_light_be_evened(session, studio, series.id)
    drain(studio)
    assert all(frame.points for frame, _ in lights(studio, slug))
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        setups.begin_setup(session, series, catalogue.ready_frames(session, series.id)[1])
        lighting.let_light_be_evened(session, studio, series.id)
    drain(studio)
    assert [light.gains for _, light in lights(studio, slug)] == [(1.0, 1.0, 1.0)] * 2  # each alone


def names(studio: Studio) -> list[str]:
    with studio.database.session() as session:
        return list(session.scalars(text("SELECT task_name FROM procrastinate_jobs WHERE status = 'todo' ORDER BY 1")))


def all_due(studio: Studio) -> uuid.UUID:
    """A series whose light is forgotten and due, though nothing is queued."""
    with studio.database.session() as session:
        series = catalogue.list_series(session)[0]
        session.execute(update(models.FrameRow).values(even=None))
        session.execute(update(models.SetUpRow).values(light_key="", own_key=""))
        series.light_due = True
        return series.id


def test_several_set_ups_are_evened_each_by_a_job_to_the_same_light(
    studio: Studio, slug: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    add(studio, slug, *(DEMO / "frames" / f"AT-01{n:02}.jpg" for n in (1, 2, 7, 8, 13, 14)))
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        frames = catalogue.ready_frames(session, series.id)
        for frame in (frames[2], frames[4]):
            with suppress(InvalidChangeError):  # one begins there already
                setups.begin_setup(session, series, frame)
        lighting.choose_base(session, studio, series, frames[5], str(frames[0].setup_id))
        assert len({frame.setup_id for frame in frames}) >= 3
    drain(studio)
    before = [(frame.name, light) for frame, light in lights(studio, slug)]
    series_id = all_due(studio)
    assert not lighting.even_light(studio, series_id)
    assert set(names(studio)) == {"even_setup"} and len(names(studio)) >= 3
    with studio.database.session() as session:
        lighting.queue_left(session, studio)
        assert lighting.setups_left(session, session.get_one(models.SeriesRow, series_id)) == len(names(studio))
    assert set(names(studio)) == {"even_setup"}, "they go on"
    with studio.database.session() as session:
        first = catalogue.find_series(session, slug).setups[0].id
    lighting.even_setup(studio, first)
    assert "even_series" in names(studio) and not lighting.even_light(studio, series_id), "others are being evened"
    drain(studio)
    assert [(frame.name, light) for frame, light in lights(studio, slug)] == before
    with studio.database.session() as session:
        assert not session.get_one(models.SeriesRow, series_id).light_due
    monkeypatch.setattr(lighting, "_SEVERAL", 99)
    all_due(studio)
    for _ in range(2):
        with studio.database.session() as session:
            lighting.queue_left(session, studio)
        assert names(studio) == ["even_series"], "nothing else would go on"
    with studio.database.session() as session:
        session.execute(text("DELETE FROM procrastinate_jobs"))
    assert lighting.even_light(studio, all_due(studio)) and not names(studio)
    assert [(frame.name, light) for frame, light in lights(studio, slug)] == before, "one after the other, too"


def test_what_changes_while_a_set_up_is_evened_is_evened_after_that(
    studio: Studio, slug: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    add(studio, slug, *(DEMO / "frames" / f"AT-01{n:02}.jpg" for n in (1, 2)))
    series_id = all_due(studio)
    with studio.database.session() as session:
        series = session.get_one(models.SeriesRow, series_id)
        setup, hero = series.setups[0].id, catalogue.ready_frames(session, series_id)[1].id

    def even(*arguments: object) -> list[EvenLight]:
        monkeypatch.undo()
        with studio.database.session() as session:
            session.execute(
                text(
                    "INSERT INTO procrastinate_jobs (queue_name, task_name, lock, args, status) VALUES"
                    " ('default', 'even_setup', :lock, '{}', 'doing')"
                ),
                {"lock": f"even-setup-{setup}"},
            )
            session.get_one(models.SeriesRow, series_id).hero_id = hero
        assert not lighting.even_light(studio, series_id), "one of an earlier state is at work"
        return [EvenLight(gains=(9, 9, 9))] * 2

    monkeypatch.setattr(lighting, "even_members", even)
    lighting.even_setup(studio, setup)
    with studio.database.session() as session:
        session.execute(text("DELETE FROM procrastinate_jobs WHERE status = 'doing'"))
    drain(studio)
    assert [light.gains for _, light in lights(studio, slug)][1] == (1.0, 1.0, 1.0), "the hero"
    lighting.give_up_setup(studio, setup)
    with studio.database.session() as session:
        assert "could not match the light" in session.get_one(models.SeriesRow, series_id).light_problem


def test_places_that_light_stands_on_are_those_that_the_set_up_shows_too(studio: Studio, tmp_path: Path) -> None:
    picture = load_rgb(DEMO / "frames" / "AT-0101.jpg")
    with studio.database.session() as session:
        series = catalogue.start_series(session, "Crops")
        for name, left in (("a", 0), ("b", 300)):  # the right of the one is the left of the other
            path = tmp_path / f"{name}.jpg"
            cv2.imwrite(str(path), picture[:, left : left + 800, ::-1], [cv2.IMWRITE_JPEG_QUALITY, 95])
            gathering.add_file(session, studio, series, path)
        series_id = series.id
    drain(studio)
    with studio.database.session() as session:
        first, second = (f.id for f in catalogue.ready_frames(session, series_id))
    here, there = (things.shared_places(studio, series_id, one) for one in (first, second))
    assert len(here) > 8 and len(there) > 8 and (here >= 0).all() and (here <= 1).all()
    assert np.median(here[:, 0]) > 0.55 and here[:, 0].min() > 0.33
    assert np.median(there[:, 0]) < 0.45 and there[:, 0].max() < 0.67
    with studio.database.session() as session:
        session.get_one(models.FrameRow, first).points = None
    assert len(things.shared_places(studio, series_id, first)) == 0
