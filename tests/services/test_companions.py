"""Raw files in a series: developed once and kept, one frame with the camera's picture beside, developed otherwise."""

import shutil
from pathlib import Path

import cv2
import numpy as np
import pytest
from sqlalchemy import text

from nuvett.core.errors import DuplicateFileError, InvalidChangeError
from nuvett.core.look.trim import Trim
from nuvett.core.spaces.rgb import Space
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.table.table import USUAL_SIZE
from nuvett.imaging.decode import decode
from nuvett.jobs import worker
from nuvett.services.engine.pictures import UNTOUCHED
from nuvett.services.platform import checkup
from nuvett.services.platform.queue import INGEST_FRAME
from nuvett.services.platform.studio import Studio
from nuvett.services.series import catalogue, companions, fringes, gathering, lenses
from nuvett.services.series.frame_facts import series_facts
from nuvett.store import models
from tests.conftest import DEMO, drain, load_rgb
from tests.fringed import fringed
from tools.camera import make_raw

JPEG = DEMO / "frames" / "AT-0101.jpg"


@pytest.fixture
def slug(studio: Studio) -> str:
    with studio.database.session() as session:
        return catalogue.start_series(session, "Shoot").slug


def add(studio: Studio, slug: str, *paths: Path) -> list[models.FrameRow]:
    """Frames of the series after some more have been added and measured."""
    for path in paths:
        with studio.database.session() as session:
            gathering.add_file(session, studio, catalogue.find_series(session, slug), path)
    drain(studio)
    return frames(studio, slug)


def frames(studio: Studio, slug: str) -> list[models.FrameRow]:
    with studio.database.session() as session:
        return catalogue.ready_frames(session, catalogue.find_series(session, slug).id)


@pytest.mark.parametrize("raw_first", [True, False])
def test_a_raw_file_and_its_jpeg_are_one_frame_whichever_came_first(
    raw_first: bool, studio: Studio, slug: str, tmp_path: Path
) -> None:
    raw = tmp_path / "at-0101.DNG"
    make_raw(JPEG, raw)
    first, then = (raw, JPEG) if raw_first else (JPEG, raw)
    (one,) = add(studio, slug, first)
    with studio.database.session() as session:
        frame = session.get_one(models.FrameRow, one.id)
        frame.trim = Trim.of(ExposureStep(exposure=0.5)).model_dump(mode="json")
    (two,) = add(studio, slug, then)
    assert (two.id, two.format, two.domain) == (one.id, "raw", "scene")
    assert two.trim and two.companion and two.developed
    assert studio.blobs.read(two.original) == raw.read_bytes()
    assert studio.blobs.read(two.companion) == JPEG.read_bytes()
    assert checkup.check(studio).words == []
    for again in (raw, JPEG):
        with studio.database.session() as session, pytest.raises(DuplicateFileError):
            gathering.add_file(session, studio, catalogue.find_series(session, slug), again)


@pytest.mark.parametrize("killed", [False, True])
def test_light_is_evened_when_the_file_measured_last_becomes_one_with_another(
    killed: bool, studio: Studio, slug: str, tmp_path: Path
) -> None:
    raw = tmp_path / "AT-0101.dng"
    make_raw(JPEG, raw)
    add(studio, slug, raw)
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        series.light_due = True
        last = gathering.add_file(session, studio, series, JPEG).id
    with studio.database.session() as session:  # what was queued when others were measured has come and gone
        session.execute(text("DELETE FROM procrastinate_jobs"))
    measure = gathering.ingest_frame if killed else worker.TASKS[INGEST_FRAME].work
    measure(studio, last)
    drain(studio)
    (frame,) = frames(studio, slug)
    with studio.database.session() as session:
        assert frame.companion and not catalogue.find_series(session, slug).light_due


def test_files_of_one_name_that_were_taken_at_other_times_stay_two_frames(
    studio: Studio, slug: str, tmp_path: Path
) -> None:
    raw = tmp_path / "AT-0101.dng"
    make_raw(DEMO / "frames" / "AT-0102.jpg", raw)
    assert len(add(studio, slug, raw, JPEG)) == 2


def test_a_raw_frame_is_drawn_as_the_camera_showed_it_or_as_its_light_is(
    studio: Studio, slug: str, tmp_path: Path
) -> None:
    make_raw(JPEG, tmp_path / "a.dng")
    (row,) = add(studio, slug, tmp_path / "a.dng")
    assert row.shot and row.shot["camera"] == "Maker One" and row.taken and row.taken.hour == 9

    def drawn() -> tuple[np.ndarray, np.ndarray]:
        with studio.database.session() as session:
            (facts,) = series_facts(session, catalogue.find_series(session, slug))
        bench = studio.bench
        whole = bench.pictures.drawn(facts, bench.planner.as_came(facts) or UNTOUCHED, 1200, USUAL_SIZE)
        original = bench.sources.view(facts.view)
        assert facts.domain is Space.SCENE and original.shape == whole.shape
        return whole, decode_blob(studio, facts.pixels)

    seen, kept = drawn()
    assert np.abs(seen.astype(int) - load_rgb(JPEG)).mean() < 6
    for development in ("neutral", "neutral-cut"):
        with studio.database.session() as session:
            (frame,) = catalogue.ready_frames(session, catalogue.find_series(session, slug).id)
            assert companions.choose_development(session, studio, [frame], development) == 1
        assert frames(studio, slug) == []
        drain(studio)
        (again,) = frames(studio, slug)
        assert again.developed != row.developed and again.id == row.id
        assert checkup.check(studio).words == [], "nothing of the earlier development is left"
        assert companions.development_of(again) == development
        other, developed = drawn()
        assert not np.array_equal(developed, kept)
        kept = developed
    assert np.abs(other.astype(int) - load_rgb(JPEG)).mean() > 15
    with studio.database.session() as session:
        session.get_one(models.FrameRow, row.id).format = "jpeg"
        session.flush()
        with pytest.raises(InvalidChangeError, match="raw"):
            companions.choose_development(session, studio, [session.get_one(models.FrameRow, row.id)], "camera")


def decode_blob(studio: Studio, name: str) -> np.ndarray:
    with studio.blobs.local(name) as path:
        return decode(path, studio.limits).pixels


@pytest.mark.parametrize(
    ("form", "named", "lens", "words"),
    [
        ("jpeg", "Elsewhere 50", {}, ""),
        ("raw", "", {}, ""),
        ("raw", "Elsewhere 50", {}, "Elsewhere 50: not a lens that is known; it can be chosen"),
        ("raw", "Elsewhere 50", {"known": "Tidewrack 35"}, "Tidewrack 35: nothing is known to undo at 0 mm"),
        ("jpeg", "Elsewhere 50", {"known": "Tidewrack 35"}, "Tidewrack 35: left as it is, for cameras mostly do that"),
        ("raw", "Elsewhere 50", {"choice": "off"}, "Elsewhere 50: left as it is"),
        ("raw", "", {"choice": "another"}, "The chosen lens cannot have taken this frame; nothing is undone"),
    ],
)
def test_words_say_what_is_known_of_a_lens(form: str, named: str, lens: dict[str, str], words: str) -> None:
    said = lenses.lens_words(models.FrameRow(format=form, shot={"lens": named}, lens=lens))
    assert said.startswith(words) and bool(said) == bool(words)


def test_what_a_known_lens_did_is_undone_in_raw_files_and_can_be_left_or_chosen(
    studio: Studio, slug: str, tmp_path: Path
) -> None:
    make_raw(JPEG, tmp_path / "a.dng")
    shutil.copy(JPEG, tmp_path / "b.jpg")
    rows = {row.name: row for row in add(studio, slug, tmp_path / "a.dng", tmp_path / "b.jpg")}
    assert lenses.lens_words(rows["a"]) == "Tidewrack 35 mm F2: distortion, fringes and dark corners undone"
    assert lenses.lens_words(rows["b"]) == ""

    def corner() -> np.ndarray:
        with studio.database.session() as session:
            facts = {f.id: f for f in series_facts(session, catalogue.find_series(session, slug))}[rows["a"].id]
        bench = studio.bench
        plan = bench.planner.as_came(facts) or UNTOUCHED
        crop = bench.pictures.crop(facts, plan, (0, 0, 40, 30))
        small = bench.pictures.drawn(facts, plan, 600, USUAL_SIZE)[:15, :20].mean()
        whole = cv2.imdecode(np.frombuffer(crop, np.uint8), 1)
        assert abs(whole.mean() - small) < 3, "the preview is the picture"
        bench.sources.sample(facts)
        return whole

    undone = corner()
    assert abs(undone.mean() - load_rgb(JPEG)[:30, :40].mean()) < 6
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        frame = session.get_one(models.FrameRow, rows["a"].id)
        assert lenses.choose_lens(session, series, frame, lenses.OFF) == 1
        assert lenses.lens_words(frame) == "Tidewrack 35 mm F2: left as it is"
    assert corner().mean() < undone.mean() - 8
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        other = session.get_one(models.FrameRow, rows["b"].id)
        (found, *_) = lenses.lenses_for(other, "Tidewrack 35")
        other.shot = (other.shot or {}) | {"crop": 1.5}
        assert lenses.choose_lens(session, series, other, found.key) == 1
        assert "undone" in lenses.lens_words(other)
        other.shot = (other.shot or {}) | {"focal": 300.0}
        with pytest.raises(InvalidChangeError, match="cannot have taken"):
            lenses.choose_lens(session, series, other, found.key)
        assert lenses.choose_lens(session, series, None, lenses.AUTO) == 2
    assert np.array_equal(corner(), undone)


def test_fringes_that_a_frame_shows_are_undone_in_it_and_in_those_taken_alike(
    studio: Studio, slug: str, tmp_path: Path
) -> None:
    plain = load_rgb(JPEG)
    for name, pixels in (("a", fringed(plain, (0.004, 0), (-0.003, 0))), ("b", plain[:, ::-1]), ("c", plain[:-40])):
        cv2.imwrite(str(tmp_path / f"{name}.png"), pixels[..., ::-1])
    rows = {row.name: row for row in add(studio, slug, *(tmp_path / f"{name}.png" for name in "abc"))}
    with pytest.raises(InvalidChangeError, match="no fringes"):
        fringes.find_in_frame(studio, slug, rows["b"].id, everywhere=True)
    assert fringes.find_in_frame(studio, slug, rows["a"].id, everywhere=True) == 3
    rows = {row.name: row for row in frames(studio, slug)}
    assert lenses.lens_words(rows["a"]) == "Found in the frame: fringes undone"
    with studio.database.session() as session:
        facts = {f.id: f for f in series_facts(session, catalogue.find_series(session, slug))}[rows["a"].id]
        lenses.work_out_lens(session.get_one(models.FrameRow, rows["a"].id))
        kept = lenses.correction_of(session.get_one(models.FrameRow, rows["a"].id))
    assert kept == facts.lens, "measured anew, it stays"
    plan = studio.bench.planner.as_came(facts)
    assert plan is not None
    crop = studio.bench.pictures.crop(facts, plan, (0, 0, 500, 300))
    undone = cv2.imdecode(np.frombuffer(crop, np.uint8), 1)[..., ::-1].astype(float)
    came = fringed(plain, (0.004, 0), (-0.003, 0))[:300, :500]
    off, before = (np.abs(picture - plain[:300, :500])[40:-40, 40:-40].mean() for picture in (undone, came))
    assert off < 0.4 * before
