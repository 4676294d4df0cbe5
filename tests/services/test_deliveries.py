"""Deliveries: ordered, made, stopped, gone on with, named; and the table that a look is handed over as."""

import dataclasses
import hashlib
import io
import json
import re
import time
import uuid
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pypdfium2
import pytest
from PIL import Image
from sqlalchemy.orm import Session

from nuvett.core.drawing.drawing import Drawing, compile_stages
from nuvett.core.errors import InvalidChangeError
from nuvett.core.look.look import Look
from nuvett.core.plan.compile import compile_plan
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.steps.finish import FinishStep
from nuvett.core.table.cube import read_cube
from nuvett.core.thread.growth import Pointed
from nuvett.imaging.encode import Format
from nuvett.imaging.tables import TableFormat
from nuvett.services.delivery import deliveries, tables_out
from nuvett.services.delivery.delivery_choice import chosen_frames, names_of
from nuvett.services.delivery.delivery_settings import DeliverySettings, read_settings
from nuvett.services.delivery.papers.record import Record
from nuvett.services.delivery.sampling import sample
from nuvett.services.files import writing
from nuvett.services.looks import carrying, looks
from nuvett.services.platform.folders import already_there, folder_at
from nuvett.services.platform.studio import Studio
from nuvett.services.series import catalogue, frame_facts, gathering
from nuvett.services.series.variants import make_variant
from nuvett.services.threads import threads
from nuvett.services.threads.outlines import grow
from nuvett.store import models
from tests.conftest import DEMO, drain, load_rgb
from tests.services.conftest import FRAMES


def without_finish(plan: FramePlan) -> FramePlan:
    look = plan.group("look")
    return plan.with_group(look.model_copy(update={"operations": look.colours}))


def test_delivered_files_are_the_plan_at_full_size_and_the_preview_agrees(studio: Studio, slug: str) -> None:
    settings = DeliverySettings(format=Format.PNG, pattern="{series} {number} {name}-{version}")
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        with pytest.raises(InvalidChangeError, match="carry"):
            deliveries.order_delivery(session, studio, series, settings)
        carrying.carry(session, series)
        ordered = deliveries.order_delivery(session, studio, series, settings).id
        facts = frame_facts.series_facts(session, series)
    drain(studio)
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        delivery = deliveries.find_delivery(session, series, ordered)
        assert delivery.state == "done"
        files = deliveries.made_files(session, delivery)
        assert files[1].name == "Winter fair 02 AT-0102-1.png"
        plan = FramePlan.model_validate(delivery.files[1].plan)
    made = cv2.cvtColor(cv2.imdecode(np.frombuffer(studio.blobs.read(files[1].blob), np.uint8), 1), cv2.COLOR_BGR2RGB)
    source = load_rgb(FRAMES[1])
    expected = Drawing(compile_stages(plan), (source.shape[1], source.shape[0])).picture(source)
    assert np.abs(made.astype(int) - expected).max() <= 1
    crop = studio.bench.pictures.crop(facts[1], plan, (300, 200, 256, 128))
    shown = cv2.cvtColor(cv2.imdecode(np.frombuffer(crop, np.uint8), 1), cv2.COLOR_BGR2RGB)
    assert np.array_equal(shown, made[200:328, 300:556])
    archive = zipfile.ZipFile(io.BytesIO(b"".join(deliveries.zip_stream(studio, "winter-fair", files))))
    assert archive.testzip() is None and len(archive.namelist()) == 5


def test_a_stopped_delivery_keeps_its_files_and_goes_on(studio: Studio, slug: str) -> None:
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        carrying.carry(session, series)
        delivery = deliveries.order_delivery(session, studio, series, DeliverySettings(size=200))
        deliveries.stop_delivery(delivery)
        ordered = delivery.id
    drain(studio)
    with studio.database.session() as session:
        delivery = session.get_one(models.DeliveryRow, ordered)
        assert delivery.state == "stopped" and not deliveries.made_files(session, delivery)
        deliveries.resume_delivery(session, studio, delivery)
    drain(studio)
    with studio.database.session() as session:
        delivery = session.get_one(models.DeliveryRow, ordered)
        assert delivery.state == "done" and len(deliveries.made_files(session, delivery)) == 5
        with pytest.raises(InvalidChangeError):
            deliveries.stop_delivery(delivery)


def test_what_is_done_to_a_delivery_suits_how_far_it_is(studio: Studio, slug: str) -> None:
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        carrying.carry(session, series)
        ordered = deliveries.order_delivery(session, studio, series, DeliverySettings(size=64)).id

    def refused(call: Callable[[Session, models.DeliveryRow], object], words: str) -> None:
        with pytest.raises(InvalidChangeError, match=words), studio.database.session() as session:
            call(session, session.get_one(models.DeliveryRow, ordered))

    refused(lambda s, d: deliveries.resume_delivery(s, studio, d), "Only a stopped")
    refused(lambda s, d: deliveries.retry_failed(s, studio, d), "still being made")
    refused(lambda s, d: deliveries.remove_delivery(s, d), "top")
    drain(studio)
    refused(lambda s, d: deliveries.resume_delivery(s, studio, d), "Only a stopped")
    refused(lambda s, d: deliveries.retry_failed(s, studio, d), "were made")
    refused(lambda s, d: deliveries.stop_delivery(d), "over already")
    with studio.database.session() as session:
        assert session.get_one(models.DeliveryRow, ordered).state == "done"


def test_a_delivery_that_goes_on_while_its_stopped_making_ends_makes_every_file_once(
    studio: Studio, slug: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        carrying.carry(session, series)
        ordered = deliveries.order_delivery(session, studio, series, DeliverySettings(size=64)).id
    render, rendered = writing.render_file, []

    def stopped_and_resumed(*arguments: Any) -> Any:
        rendered.append(arguments[0])
        if len(rendered) == 1:
            with studio.database.session() as session:
                deliveries.stop_delivery(session.get_one(models.DeliveryRow, ordered))
            time.sleep(0.3)  # the others see that it is stopped, and leave
            with studio.database.session() as session:
                deliveries.resume_delivery(session, studio, session.get_one(models.DeliveryRow, ordered))
        return render(*arguments)

    monkeypatch.setattr(writing, "render_file", stopped_and_resumed)
    drain(studio)
    with studio.database.session() as session:
        delivery = session.get_one(models.DeliveryRow, ordered)
        assert delivery.state == "done" and {file.state for file in delivery.files} == {"done"}


def test_the_shared_table_is_the_plan_of_the_pool(studio: Studio, slug: str) -> None:
    with studio.database.session() as session:
        facts, aimed = tables_out.drafted(session, catalogue.find_series(session, slug))
    text = tables_out.shared_table(studio.bench, facts, aimed, TableFormat.CUBE, 17, "Winter fair")
    plan = studio.bench.planner.shared(facts, aimed)
    assert np.allclose(read_cube(text), compile_plan(plan, 17), atol=1e-6)


def test_a_frame_that_vanished_fails_alone(studio: Studio, slug: str) -> None:
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        carrying.carry(session, series)
        ordered = deliveries.order_delivery(session, studio, series, DeliverySettings(size=100)).id
        gathering.remove_frame(session, studio, series, catalogue.ready_frames(session, series.id)[0])
    drain(studio)
    with studio.database.session() as session:
        delivery = session.get_one(models.DeliveryRow, ordered)
        assert len(deliveries.made_files(session, delivery)) == 4
        assert [f.state for f in delivery.files].count("failed") == 1


def test_a_finished_delivery_is_the_preview_and_its_crop(studio: Studio, slug: str) -> None:
    finish = FinishStep(grain=40, vignette=80, sharpening=30, local=20, softness=10, noise=20)
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        looks.change_look(session, series, Look(finish=finish), catalogue.look_of(session, series).revision)
        carrying.carry(session, series)
        settings = DeliverySettings(format=Format.PNG)
        ordered = deliveries.order_delivery(session, studio, series, settings).id
        facts = frame_facts.series_facts(session, series)
    drain(studio)
    with studio.database.session() as session:
        delivery = deliveries.find_delivery(session, catalogue.find_series(session, slug), ordered)
        blob = deliveries.made_files(session, delivery)[0].blob
        plan = FramePlan.model_validate(delivery.files[0].plan)
    made = cv2.imdecode(np.frombuffer(studio.blobs.read(blob), np.uint8), 1)
    crop = cv2.imdecode(np.frombuffer(studio.bench.pictures.crop(facts[0], plan, (311, 203, 256, 256)), np.uint8), 1)
    part = made[203:459, 311:567]
    assert np.array_equal(crop, part)
    plain = studio.bench.pictures.crop(facts[0], without_finish(plan), (311, 203, 256, 256))
    assert np.abs(cv2.imdecode(np.frombuffer(plain, np.uint8), 1).astype(int) - part).mean() > 3


def parcel(studio: Studio, slug: str, settings: DeliverySettings, **credits: str) -> dict[str, bytes]:
    """All files of a delivery of the whole series, by their names."""
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        series.credits = credits
        carrying.carry(session, series)
        ordered = deliveries.order_delivery(session, studio, series, settings).id
    drain(studio)
    with studio.database.session() as session:
        delivery = session.get_one(models.DeliveryRow, ordered)
        assert delivery.state == "done", delivery.state
        return {made.name: studio.blobs.read(made.blob) for made in deliveries.made_files(session, delivery)}


def size_in(data: bytes) -> tuple[int, int]:
    with Image.open(io.BytesIO(data)) as picture:
        return picture.size


def test_one_order_makes_several_kinds_of_file_each_as_large_as_asked(studio: Studio, slug: str) -> None:
    outputs = (
        {"format": "tiff16", "space": "prophoto"},
        {"format": "jpeg", "resize": {"by": "short", "pixels": 200}, "folder": "web/{date}", "most_kilobytes": 12},
        {"format": "avif", "resize": {"by": "megapixels", "megapixels": 0.06}, "folder": "small"},
        {"format": "tiff", "resize": {"by": "print", "width": 5, "height": 2, "dpi": 200}, "folder": "print"},
    )
    found = parcel(studio, slug, read_settings({"outputs": outputs, "pattern": "{original}"}), rights="© Tidewrack")
    assert len(found) == 20
    sizes = {name: size_in(data) for name, data in found.items() if "0102" in name}
    assert sizes == {
        "0102.tif": (1200, 800),
        "web/2026-09-18/0102.jpg": (300, 200),
        "small/0102.avif": (300, 200),
        "print/0102.tif": (236, 157),
    }
    assert all(len(data) <= 12_000 for name, data in found.items() if name.startswith("web"))
    for data in (found["web/2026-09-18/0102.jpg"], found["small/0102.avif"]):
        with Image.open(io.BytesIO(data)) as picture:
            assert picture.getexif()[0x8298].endswith("Tidewrack") and picture.getexif()[0x0110] == "Demo camera"
    with Image.open(io.BytesIO(found["print/0102.tif"])) as picture:
        assert picture.info["dpi"] == (200, 200)


def test_a_size_that_cannot_be_met_is_said_and_the_others_are_made(studio: Studio, slug: str) -> None:
    outputs = ({"format": "jpeg", "most_kilobytes": 10}, {"format": "png", "resize": {"by": "long", "pixels": 64}})
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        carrying.carry(session, series)
        ordered = deliveries.order_delivery(session, studio, series, read_settings({"outputs": outputs})).id
    drain(studio)
    with studio.database.session() as session:
        files = session.get_one(models.DeliveryRow, ordered).files
        assert [f.state for f in files] == ["failed", "done"] * 5
        assert files[0].problem == "It does not fit into 10 kB: allow more, or fewer pixels."


def test_papers_tell_of_the_pictures_and_the_list_of_checksums_of_all(studio: Studio, slug: str) -> None:
    papers: dict[str, object] = {
        "sheet": "both",
        "columns": 2,
        "palette": True,
        "drift": True,
        "record": True,
        "tables": True,
    }
    settings = read_settings(
        {"papers": papers | {"palettes": True, "checksums": True}, "outputs": [{"format": "webp"}]}
    )
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        jug = threads.start_thread(session, series, "the bowl").id
        for facts in frame_facts.series_facts(session, series)[:2]:
            grown = grow(studio.bench, facts, (Pointed(0.5, 0.7),))
            threads.keep_place(session, studio, series, (jug, facts.id), grown)
    drain(studio)
    found = parcel(studio, slug, settings, creator="Ann Example")
    listed = dict(line.split("  ", 1)[::-1] for line in found["SHA256SUMS"].decode().splitlines())
    assert listed == {n: hashlib.sha256(d).hexdigest() for n, d in found.items() if n != "SHA256SUMS"}
    record = Record.model_validate_json(found["record.json"])
    assert [f.name for f in record.files] == [f"AT-01{n:02}.webp" for n in (1, 2, 3, 7, 8)]
    assert all(f.sha256 == listed[f.name] and f.bytes == len(found[f.name]) for f in record.files)
    assert record.mean_drift and record.mean_drift[1] < record.mean_drift[0]
    assert record.creator == "Ann Example" and ("Tone", "goes 65 % of the way to the target") in {
        (step.title, step.words) for step in record.looks[0].steps
    }
    faces, thread = record.threads
    assert faces.name == "Faces, medium" and faces.apart_after is None
    assert thread.name == "the bowl" and [place.frame for place in thread.places] == ["AT-0101", "AT-0102"]
    assert thread.apart_after and thread.places[0].came != thread.places[0].made
    page = found["record.html"].decode()
    assert "the bowl" in page and thread.places[1].words in page
    assert "AT-0107.webp" in page and "goes 65 % of the way" in page and "<script" not in page
    text = pypdfium2.PdfDocument(found["contact sheet.pdf"])[0].get_textpage().get_text_range()
    assert "Winter fair" in text and "AT-0103.webp" in text and "drift" in text
    with Image.open(io.BytesIO(found["contact sheet 1.jpg"])) as sheet:
        assert sheet.size == (1654, 2339)
        assert np.asarray(sheet).std() > 20, "there are pictures on it"
    assert read_cube(found["tables/look v1.cube"].decode()).shape == (33, 33, 33, 3)
    assert json.loads(found["palettes/target.json"])


def test_what_is_shown_to_others_is_before_beside_after_the_series_as_a_strip_and_the_palette_as_a_card(
    studio: Studio, slug: str
) -> None:
    def picture(name: str) -> np.ndarray:
        with Image.open(io.BytesIO(found[name])) as image:
            return np.asarray(image.convert("RGB")).astype(int)

    asked = {"papers": {"pairs": True, "strip": True, "cards": True}, "outputs": [{"format": "webp"}]}
    found = parcel(studio, slug, read_settings(asked))
    pair, sheet, strip = (
        picture(name) for name in ("before and after/AT-0102.jpg", "before and after.jpg", "series strip.jpg")
    )
    assert {f"before and after/AT-01{n:02}.jpg" for n in (1, 2, 3, 7, 8)} < set(found)
    half = (pair.shape[1] - 16) // 2
    came = cv2.resize(load_rgb(DEMO / "frames" / "AT-0102.jpg"), (half, pair.shape[0]), interpolation=cv2.INTER_AREA)
    away = [np.abs(side - came).mean() for side in (pair[:, :half], pair[:, -half:])]
    assert away[0] < 3 < away[1], "as it came at the left, finished at the right"
    assert sheet.shape[1] == 3200 and sheet.std() > 20
    above, below = strip[: strip.shape[0] // 2], strip[strip.shape[0] // 2 :]
    assert above.shape == below.shape and np.abs(above - below).mean() > 3 and strip.shape[1] > 3 * strip.shape[0]
    text = pypdfium2.PdfDocument(found["palettes/card.pdf"])[0].get_textpage().get_text_range()
    card = found["palettes/card.svg"].decode()
    for line in re.findall(r'xml:space="preserve">(#\w{6})', card):
        assert line in text
    assert "CIE L*a*b*" in text and "CIE L*a*b*" in card and "OKLCh" in card


def test_one_is_seen_as_it_would_be_made_at_its_size_with_its_sharpening(studio: Studio, slug: str) -> None:
    output = {"format": "png", "resize": {"by": "long", "pixels": 200}, "sharpen": "strong"}
    settings = read_settings({"outputs": [output]})
    with pytest.raises(InvalidChangeError):
        sample(studio, slug, settings, [])
    made = parcel(studio, slug, settings)
    seen, kind = sample(studio, slug, settings, None)
    assert kind == "image/png" and np.array_equal(
        *(np.asarray(Image.open(io.BytesIO(data)).convert("RGB")) for data in (seen, made["AT-0101.png"]))
    )
    soft, _ = sample(studio, slug, read_settings({"outputs": [output | {"sharpen": "none"}]}), None)
    assert soft != seen
    with studio.database.session() as session:
        frames = catalogue.ready_frames(session, catalogue.find_series(session, slug).id)
        third = [frames[2].id]
    other, _ = sample(studio, slug, read_settings({"what": "chosen", "outputs": [output]}), third)
    assert np.array_equal(*(np.asarray(Image.open(io.BytesIO(d))) for d in (other, made["AT-0103.png"])))
    assert sample(studio, slug, read_settings({"outputs": [output | {"format": "tiff16"}]}), None)[1] == "image/png"


def test_files_go_into_a_folder_of_the_machine_and_nowhere_outside_it(
    studio: Studio, slug: str, tmp_path: Path
) -> None:
    settings = studio.settings.model_copy(update={"folders": tmp_path / "out"})
    here = dataclasses.replace(studio, settings=settings)
    asked = {"folder": "client/autumn", "outputs": [{"folder": "web", "resize": {"by": "long", "pixels": 64}}]}
    found = parcel(here, slug, read_settings(asked))
    place = tmp_path / "out" / "client" / "autumn"
    assert {str(p.relative_to(place)) for p in place.rglob("*.*")} == set(found)
    assert (place / "web" / "AT-0101.jpg").read_bytes() == found["web/AT-0101.jpg"]
    assert already_there(here, "client/autumn", found) == list(found) and len(found) == 5
    for outside in ("..", "../elsewhere", "a/../../b", " ", ".", "a\nb"):
        with pytest.raises(InvalidChangeError, match="inside"):
            folder_at(here, outside)
    (tmp_path / "out" / "taken").write_text("a file")
    with pytest.raises(InvalidChangeError, match="cannot be made"):
        parcel(here, slug, read_settings({"folder": "taken"}))


def test_favourites_and_variants_are_chosen_and_what_stands_out_can_stay(studio: Studio, slug: str) -> None:
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        rows = catalogue.ready_frames(session, series.id)
        rows[1].favourite = True
        session.flush()
        make_variant(session, series, rows[1], "grey").favourite = True
        carrying.carry(session, series)

        def names(asked: dict[str, object], outlying: frozenset[uuid.UUID] = frozenset()) -> list[str]:
            settings = read_settings(asked)
            return names_of(series, settings, chosen_frames(session, series, settings, None, outlying)).names

        assert len(names({})) == 6
        assert names({"what": "favourites"}) == ["AT-0102.jpg", "AT-0102 grey.jpg"]
        assert names({"what": "favourites", "pattern": "{name}_{variant}"}) == ["AT-0102.jpg", "AT-0102_grey.jpg"]
        assert names({"what": "favourites", "variants": False}) == ["AT-0102.jpg"]
        out = frozenset({rows[1].id, rows[3].id})
        assert names({"outliers": False}, out) == ["AT-0101.jpg", "AT-0103.jpg", "AT-0108.jpg"]
        assert len(names({"outliers": True}, out)) == 6
        rows[1].favourite = False
        session.flush()
        with pytest.raises(InvalidChangeError, match="favourite"):
            deliveries.order_delivery(session, studio, series, read_settings({"what": "favourites", "variants": False}))
