"""The lookbook and files: tables, whole books, finished series, and what looks do to frames."""

import io
import json
import zipfile
from dataclasses import replace
from hashlib import sha256
from pathlib import Path

import cv2
import numpy as np
import pytest

from nuvett.core.book.kept import USUAL_PARTS, Use
from nuvett.core.errors import (
    DocumentError,
    FileError,
    InvalidChangeError,
)
from nuvett.core.geometry.geometry import Geometry
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.plan.compile import compile_plan
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.steps.tone import ToneStep
from nuvett.core.table.cube import read_cube, write_cube
from nuvett.core.table.table import grid
from nuvett.imaging.tables import TableFormat, table_text
from nuvett.services.delivery import deliveries, delivering, tables_out
from nuvett.services.delivery.delivery_settings import DeliverySettings
from nuvett.services.lookbook import (
    book,
    book_files,
    book_list,
    finished,
    health,
    starters,
    table_import,
    trials,
    uses,
)
from nuvett.services.lookbook.table_import import Incoming, bring_in_tables
from nuvett.services.looks import carrying, trims
from nuvett.services.platform.studio import Studio
from nuvett.services.references import palettes, targets
from nuvett.services.series import catalogue
from nuvett.store import models
from tests.conftest import load_rgb
from tests.services.books import WARM, draft, keep, set_draft, use, walk
from tests.services.conftest import FRAMES

CUBE = grid(9)


def cube(power: float) -> bytes:
    return write_cube((CUBE**power).astype(np.float32), f"to the {power}").encode()


def digest_in(studio: Studio, name: str) -> str:
    with studio.database.session() as session:
        (row,) = (t for t in session.query(models.LookupTableRow) if t.name == name)
        return row.file


@pytest.mark.parametrize(
    ("lost", "words"),
    [
        ((), "A table carries all of this look."),
        (("grain",), "A table cannot carry grain."),
        (("even light", "trims", "grain"), "A table cannot carry even light, trims and grain."),
    ],
)
def test_what_a_table_cannot_carry_is_one_sentence(lost: tuple[str, ...], words: str) -> None:
    assert tables_out.Carries(lost, ("Skin lands elsewhere.",)).words == (words, "Skin lands elsewhere.")


def test_tables_are_brought_in_many_at_once_and_what_is_none_is_named(studio: Studio, slug: str) -> None:
    clf = table_text((CUBE**1.3).astype(np.float32), TableFormat.CLF, "g").encode()
    no_number = cube(1.5).replace(b"0.125000", b"milk", 1)
    files = [
        Incoming("Evening.cube", cube(1.1)),
        Incoming("evening.cube", cube(1.2)),
        Incoming("Evening copy.cube", cube(1.1)),
        Incoming("Grade.CLF", clf),
        Incoming("表" * 300 + ".cube", cube(1.4)),
        Incoming("no number.cube", no_number),
        Incoming("cut off.cube", cube(1.5)[:400]),
        Incoming("notes.cube", b"milk, bread\n"),
        Incoming("empty.cube", b""),
        Incoming("picture.cube", FRAMES[0].read_bytes()),
        Incoming("huge.cube", b"LUT_3D_SIZE 9000\n"),
    ]
    found = bring_in_tables(studio, files)
    assert found.made == ["Evening", "evening 2", "Grade", "表" * 80, "no number"] and found.again == 1
    assert [name for name, _ in found.refused] == [
        "cut off.cube",
        "notes.cube",
        "empty.cube",
        "picture.cube",
        "huge.cube",
    ]
    assert all(words.endswith(".") for _, words in found.refused)
    row = table_import.learn_table(studio, digest_in(studio, "no number"))
    assert row is not None and row.state == "refused" and row.problem.startswith(("The table says", "A line of"))
    assert bring_in_tables(studio, [Incoming("no number.cube", no_number)]).made  # may be tried once more
    ready = table_import.learn_table(studio, digest_in(studio, "Evening"))
    assert ready is not None and (ready.state, ready.expects) == ("ready", "srgb") and "middle grey" in ready.words
    with studio.database.session() as session:
        (entry,) = book_list.entries(session, book_list.BookFilter(find="Grade"))
        assert entry.group == "Brought in" and entry.came_from == "Grade.CLF; Common LUT Format" and not entry.aims


def test_a_table_becomes_a_step_that_is_drawn_and_its_log_is_told_before_it_is_seen(studio: Studio, slug: str) -> None:
    linear = np.where(CUBE <= 0.155251, (CUBE - 0.0729055) / 10.5402377, 2 ** (CUBE * 17.52 - 9.72))
    shown = np.clip(1.055 * np.clip(linear, 1e-6, 1) ** (1 / 2.4) - 0.055, 0, 1)
    bring_in_tables(studio, [Incoming("Camera.cube", write_cube(shown.astype(np.float32), "c").encode())])
    digest = digest_in(studio, "Camera")
    with studio.database.session() as session:
        (entry,) = book_list.entries(session, book_list.BookFilter(find="Camera"))
    table_import.learn_table(studio, digest)
    with studio.database.session() as session:
        version = book.version_of(session, entry.id)
        assert version.kept.look.table.expects == "log" and book_list.table_of(session, entry.id) is not None
        ground = trials.ground_of(session, catalogue.find_series(session, slug))
        assert book.expect(session, book.find_kept(session, entry.id), "srgb") == 2
        with pytest.raises(InvalidChangeError):
            book.expect(session, book.find_kept(session, entry.id), "shoes")
        row = book.find_kept(session, entry.id)
        row.state = book.TRIAL
        for expects in ("log", "srgb"):
            assert book.expect(session, row, expects) == 2, "what is on trial has no versions"
            assert book.version_of(session, entry.id).kept.look.table.expects == expects
        row.state = book.KEPT
        as_srgb = book.version_of(session, entry.id)
    pictures = []
    for found in (version, as_srgb):
        aimed = trials.aimed_with(ground, found, Use())
        plan = studio.bench.planner.plan(ground.facts, 0, aimed)
        pictures.append(studio.bench.pictures.drawn(ground.facts[0], plan, 120).astype(int))
        studio.bench.plans.keep(plan)
    assert np.abs(pictures[0] - pictures[1]).mean() > 10
    fresh = Studio.of(studio.settings)
    try:
        again = fresh.bench.plans.find(plan.key)
        assert again is not None
        assert np.array_equal(fresh.bench.pictures.drawn(ground.facts[0], again, 120).astype(int), pictures[1])
    finally:
        fresh.database.close()


def test_a_look_whose_table_is_gone_is_shown_without_it_and_no_file_is_made_without_it(
    studio: Studio, slug: str
) -> None:
    bring_in_tables(studio, [Incoming("Evening.cube", cube(1.3))])
    with studio.database.session() as session:
        (entry,) = book_list.entries(session, book_list.BookFilter(find="Evening"))
    use(studio, slug, entry.id)
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        carrying.carry(session, series)
        ordered = deliveries.order_delivery(session, studio, series, DeliverySettings(size=200)).id
    digest = digest_in(studio, "Evening")
    studio.blobs.remove(digest)
    fresh = Studio.of(studio.settings)
    try:
        with fresh.database.session() as session:
            ground = trials.ground_of(session, catalogue.find_series(session, slug))
        plan = fresh.bench.planner.plan(ground.facts, 0, trials.drafted(ground))
        assert not [o for o in plan.group("look").operations if o.kind == "table"]
        delivering.prepare_delivery(fresh, ordered)
        with fresh.database.session() as session:
            files = session.get_one(models.DeliveryRow, ordered).files
            assert {f.state for f in files} == {"failed"}
            assert files[0].problem == "The lookup table Evening is not kept here; bring it in again."
    finally:
        fresh.database.close()


def test_the_whole_book_goes_into_a_file_and_comes_back_elsewhere(studio: Studio, slug: str) -> None:
    set_draft(studio, slug, WARM)
    kept = keep(studio, slug, "Evening", (*USUAL_PARTS, "exposure"))
    bring_in_tables(studio, [Incoming("Print.cube", cube(1.2))])
    with studio.database.session() as session:
        book.relabel(session, book.find_kept(session, kept), {"use_when": "lamps", "strength": 70})
        row = palettes.save_palette(session, "Harbour", draft(studio, slug).target.palette)
        palettes.group_palette(session, row.id, " Sea  side ")
        text = book_files.book_file(session, studio).model_dump_json().encode()
        one = book_files.look_file(session, studio, kept).model_dump_json().encode()
        wanted = book.version_of(session, kept).kept.model_dump_json()
        session.query(models.KeptLookRow).delete()
        session.query(models.LookupTableRow).delete()
    for name in studio.blobs.names():
        if name == sha256(cube(1.2)).hexdigest():
            studio.blobs.remove(name)
    with studio.database.session() as session:
        made = book_files.bring_in_book(session, studio, text)
        assert [row.name for row in made] == ["Evening", "Print"]
        assert (made[0].use_when, made[0].strength) == ("lamps", 70)
        assert book.version_of(session, made[0].id).kept.model_dump_json() == wanted
        assert [row.name for row in book_files.bring_in_book(session, studio, one)] == ["Evening 2"]
        assert sorted((p.name, p.group) for p in palettes.saved_palettes(session)) == [
            ("Harbour", "Sea side"),
            ("Harbour 2", "Sea side"),
        ]
    assert table_import.learn_table(studio, sha256(cube(1.2)).hexdigest()).state == "ready"  # type: ignore[union-attr]
    without = json.loads(text)
    without["looks"][1]["tables"] = {}
    without["looks"][1]["kept"]["look"]["table"]["table"] = "0" * 64
    for data, words in (
        (json.dumps(without).encode(), "Print uses a lookup table that is not in the file"),
        (b"\xff\xfe", "no kept look"),
        (b"{" * 100_000, "no kept look|damaged"),
        (text[:-40], "damaged or of another kind"),
    ):
        with pytest.raises(DocumentError, match=words), studio.database.session() as session:
            book_files.bring_in_book(session, studio, data)


def test_tables_are_written_for_a_series_or_for_each_frame_and_say_what_they_cannot_carry(
    studio: Studio, slug: str
) -> None:
    kept = keep(studio, slug, "Evening")
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        frame = catalogue.ready_frames(session, series.id)[1]
        trims.set_trim(session, series, frame, Trim(geometry=Geometry(straighten=2)), 1)
        session.flush()
        ground, version = trials.ground_of(session, series), book.version_of(session, kept)
        names = {f.id: f.name for f in catalogue.ready_frames(session, series.id)}
    bench, facts = studio.bench, ground.facts
    aimed = trials.aimed_with(ground, version, Use())
    text = tables_out.one_table(bench, facts, aimed, TableFormat.CUBE, 17, "Evening")
    assert "even light, the fit of each frame and trims" in text
    assert np.allclose(read_cube(text), compile_plan(bench.planner.shared(facts, aimed), 17), atol=1e-5)
    archive = tables_out.tables_of_frames(bench, facts, names, aimed, TableFormat.CUBE, 17)
    found = zipfile.ZipFile(io.BytesIO(b"".join(archive)))
    assert found.namelist() == [f"{name}.cube" for name in ("AT-0101", "AT-0102", "AT-0103", "AT-0107", "AT-0108")]
    plan = bench.planner.plan(facts, 1, aimed)
    assert np.allclose(read_cube(found.read("AT-0102.cube").decode()), compile_plan(plan, 17), atol=1e-5)
    each = tables_out.what_a_table_carries(bench, facts, aimed, each=True)
    assert each.words == ("A table cannot carry crops and turns.",)
    shared = tables_out.what_a_table_carries(bench, facts, aimed.with_look(Look.of(strength=100, pull=0)), each=False)
    assert "the fit of each frame" not in shared.lost
    for size in (2, 500):
        with pytest.raises(InvalidChangeError, match="9 to 129"):
            tables_out.one_table(bench, facts, aimed, TableFormat.CUBE, size, "x")


def test_a_finished_series_is_read_as_one_target(studio: Studio, slug: str) -> None:
    with studio.database.session() as session:
        look_id = finished.start_finished(session, "Catalogue of last year").id
    with pytest.raises(InvalidChangeError, match="could be read"):
        finished.read_finished(studio, look_id)
    with pytest.raises(FileError, match=r"shopping: "):
        finished.add_finished(studio, look_id, "shopping.jpg", b"milk")
    for path in FRAMES[:3]:
        grey = cv2.cvtColor(cv2.imread(str(path), cv2.IMREAD_GRAYSCALE), cv2.COLOR_GRAY2BGR)
        finished.add_finished(studio, look_id, path.name, cv2.imencode(".jpg", grey)[1].tobytes())
    assert finished.read_finished(studio, look_id) == 3
    with studio.database.session() as session:
        version = book.version_of(session, look_id)
        assert version.kept.target is not None and version.kept.look.mono.on  # it has no colour, so the look has none
        assert [row.name for row in book_list.finished_of(session, look_id)] == ["AT-0101", "AT-0102", "AT-0103"]
        book.keep_trial(session, book.find_kept(session, look_id), {"name": "Last year"})
    light = np.mean([load_rgb(path).mean() for path in FRAMES[:3]]) / 255
    assert abs(float(np.median(version.kept.target.statistics.lightness)) - light) < 0.2
    with pytest.raises(InvalidChangeError, match="kept already"):
        finished.add_finished(studio, look_id, "more.jpg", FRAMES[3].read_bytes())


def test_the_health_of_a_look_is_found_on_all_frames_and_what_mends_it_does(studio: Studio, slug: str) -> None:
    clipped = Look.of(ToneStep(amount=0), ExposureStep(exposure=1.6))
    set_draft(studio, slug, clipped)
    with studio.database.session() as session:
        ground = trials.ground_of(session, catalogue.find_series(session, slug))
    aimed = trials.drafted(ground)
    found = {one.kind: one for one in health.findings_on(studio.bench, ground.facts, aimed).findings}
    assert set(found) == set(health.KINDS) and found["clipped"].affected and not found["merged"].affected
    assert found["merged"].words == "Colours that were two stay two."
    mended = health.remedy_for(studio.bench, ground.facts, aimed, "clipped")
    assert mended is not None and mended.words.endswith("all frames are clean")
    after = health.findings_on(studio.bench, ground.facts, aimed.with_look(mended.look))
    assert not next(one for one in after.findings if one.kind == "clipped").affected
    short = health.in_short(trials.health_of(studio.bench, ground.facts, [0, 1, 2], aimed), 1)
    assert "newly clipped" in short


def test_health_is_looked_at_some_frames_at_a_time_and_says_how_many(studio: Studio, slug: str) -> None:
    set_draft(studio, slug, Look.of(ExposureStep(exposure=1.4)))
    with studio.database.session() as session:
        ground = trials.ground_of(session, catalogue.find_series(session, slug))
    aimed, told = trials.drafted(ground), []
    while not told or told[-1][0] < len(ground.facts):
        found = health.findings_on(studio.bench, ground.facts, aimed, 2)
        told.append((found.looked_at, found.frames))
    assert told == [(2, 5), (4, 5), (5, 5)]
    whole = health.findings_on(studio.bench, ground.facts, aimed)
    assert whole.findings == found.findings and any(one.affected for one in whole.findings)


def test_a_look_suits_the_series_it_was_made_for_better_than_one_far_off(studio: Studio, slug: str) -> None:
    own = keep(studio, slug, "Near", USUAL_PARTS)
    with studio.database.session() as session:
        starters.add_starters(session)
        ground = trials.ground_of(session, catalogue.find_series(session, slug))
        far = book_list.entries(session, book_list.BookFilter(find="Ink and paper"))[0].id
        versions = [book.version_of(session, found) for found in (own, far)]
    suits = []
    for version in versions:
        aimed = trials.aimed_with(ground, version, Use())
        weak = replace(aimed, look=aimed.look.model_copy(update={"strength": 0.0}))
        places = range(len(ground.facts))
        suits.append([trials.suit_on(studio.bench, ground.facts, places, a, aims=True) for a in (aimed, weak)])
    for full, none in suits:
        assert (full.drift or 0) < (none.drift or 0) and none.bending < 0.1 < full.bending


def test_a_palette_of_the_book_is_laid_into_a_wash_or_aimed_at(studio: Studio, slug: str) -> None:
    before = draft(studio, slug)
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        row = palettes.save_palette(session, "Harbour", before.target.palette[:3])
        saved = palettes.palette_of(row)
        uses.lay_palette_as_wash(session, series, saved)
        uses.aim_at_palette(session, series, saved)
    after = draft(studio, slug)
    assert after.look.wash.on and len(after.look.wash.colours) == 3
    assert after.target.palette == saved.colours
    assert np.array_equal(after.target.statistics.lightness, before.target.statistics.lightness)
    walk(studio, slug, forward=False)
    assert draft(studio, slug).target_key == before.target_key and draft(studio, slug).look.wash.on
    with studio.database.session() as session:
        assert targets.latest_target(session, catalogue.find_series(session, slug).id) is not None


def test_looks_are_shown_side_by_side_as_they_are_drawn_alone(studio: Studio, slug: str, tmp_path: Path) -> None:
    kept = keep(studio, slug, "Evening")
    with studio.database.session() as session:
        ground, version = (
            trials.ground_of(session, catalogue.find_series(session, slug)),
            book.version_of(session, kept),
        )
    bench, facts = studio.bench, ground.facts
    aimed = trials.aimed_with(ground, version, Use())
    plans = trials.plans_under(bench, facts, [0, 2], aimed)
    row = cv2.imdecode(
        np.frombuffer(trials.row_picture(bench, [(facts[0], plans[0]), (facts[2], plans[1])], (180, 120)), np.uint8),
        cv2.IMREAD_COLOR,
    )[..., ::-1].astype(int)
    assert row.shape == (120, 360, 3)
    for place, plan, left in ((0, plans[0], 0), (2, plans[1], 180)):
        alone = bench.pictures.drawn(facts[place], plan, 180, 17).astype(int)
        assert np.abs(row[:, left : left + 180] - alone).mean() < 3
