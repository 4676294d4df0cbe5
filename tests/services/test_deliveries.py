"""Deliveries: ordered, made, stopped, gone on with, named; and the table that a look is handed over as."""

import io
import time
import zipfile
from typing import Any

import cv2
import numpy as np
import pytest

from nuvett.core.drawing.renderer import Renderer
from nuvett.core.errors import InvalidChangeError
from nuvett.core.look.look import Look
from nuvett.core.plan.compile import compile_plan, compile_shaped
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.steps.finish import FinishStep
from nuvett.core.table.cube import read_cube
from nuvett.imaging.encode import Format
from nuvett.imaging.tables import TableFormat
from nuvett.services import carrying, catalogue, deliveries, delivering, frame_facts, gathering, looks, tables_out
from nuvett.services.delivery_settings import DeliverySettings
from nuvett.services.studio import Studio
from nuvett.store import models
from tests.conftest import drain, load_rgb
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
        assert files[1][0] == "Winter fair 02 AT-0102-1.png"
        plan = FramePlan.model_validate(delivery.files[1].plan)
    made = cv2.cvtColor(cv2.imdecode(np.frombuffer(studio.blobs.read(files[1][1]), np.uint8), 1), cv2.COLOR_BGR2RGB)
    expected = Renderer(compile_shaped(plan)).picture(load_rgb(FRAMES[1]))
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
        delivery = session.get_one(models.Delivery, ordered)
        assert delivery.state == "stopped" and not deliveries.made_files(session, delivery)
        deliveries.resume_delivery(session, studio, delivery)
    drain(studio)
    with studio.database.session() as session:
        delivery = session.get_one(models.Delivery, ordered)
        assert delivery.state == "done" and len(deliveries.made_files(session, delivery)) == 5
        with pytest.raises(InvalidChangeError):
            deliveries.stop_delivery(delivery)


def test_a_delivery_that_goes_on_while_its_stopped_making_ends_makes_every_file_once(
    studio: Studio, slug: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        carrying.carry(session, series)
        ordered = deliveries.order_delivery(session, studio, series, DeliverySettings(size=64)).id
    render, rendered = delivering.render_file, []

    def stopped_and_resumed(*arguments: Any) -> Any:
        rendered.append(arguments[0])
        if len(rendered) == 1:
            with studio.database.session() as session:
                deliveries.stop_delivery(session.get_one(models.Delivery, ordered))
            time.sleep(0.3)  # the others see that it is stopped, and leave
            with studio.database.session() as session:
                deliveries.resume_delivery(session, studio, session.get_one(models.Delivery, ordered))
        return render(*arguments)

    monkeypatch.setattr(delivering, "render_file", stopped_and_resumed)
    drain(studio)
    with studio.database.session() as session:
        delivery = session.get_one(models.Delivery, ordered)
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
        delivery = session.get_one(models.Delivery, ordered)
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
        blob = deliveries.made_files(session, delivery)[0][1]
        plan = FramePlan.model_validate(delivery.files[0].plan)
    made = cv2.imdecode(np.frombuffer(studio.blobs.read(blob), np.uint8), 1)
    crop = cv2.imdecode(np.frombuffer(studio.bench.pictures.crop(facts[0], plan, (311, 203, 256, 256)), np.uint8), 1)
    part = made[203:459, 311:567]
    assert np.array_equal(crop, part)
    plain = studio.bench.pictures.crop(facts[0], without_finish(plan), (311, 203, 256, 256))
    assert np.abs(cv2.imdecode(np.frombuffer(plain, np.uint8), 1).astype(int) - part).mean() > 3
