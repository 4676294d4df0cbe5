"""What docs/adding.md adds beside the computation works when it is followed to the letter."""

from pathlib import Path
from shutil import copytree

import cv2
import numpy as np
import pytest
from alembic import command
from alembic.config import Config
from alembic.script import ScriptDirectory
from sqlalchemy import create_engine, inspect

from nuvett.core.fields import switches_of
from nuvett.jobs import worker
from nuvett.services.delivery import deliveries, delivery_settings
from nuvett.services.delivery.delivery_settings import DeliverySettings
from nuvett.services.delivery.papers import kinds
from nuvett.services.delivery.papers.parcel import gathered
from nuvett.services.engine import overlays
from nuvett.services.looks import carrying
from nuvett.services.platform.studio import Studio
from nuvett.services.series import catalogue, frame_facts
from nuvett.services.series import subjects as a_service
from nuvett.store import migrating
from tests.conftest import drain
from tests.recipes import beside, code_under
from tools.cluster import Cluster


def test_a_document_added_by_following_the_page_is_named_offered_and_made(studio: Studio, slug: str) -> None:
    made = beside("A document of a delivery", kinds, delivery_settings)
    wanted = made["PapersWithNames"](names=True, checksums=True)
    assert switches_of(made["PapersWithNames"])["names"] == "a list of the files' names"
    offered = (*kinds.PAPERS, made["NAMES"])
    listed = kinds.paper_names(kinds.Ordered(wanted, 5, (1,)), offered)
    assert listed == [("names", "names.txt"), ("checksums", "SHA256SUMS")], "what tells of the others comes last"
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        carrying.carry(session, series)
        ordered = deliveries.order_delivery(session, studio, series, DeliverySettings()).id
    parcel = gathered(studio, ordered)
    text = made["NAMES"].make(parcel, parcel.pictures[0].row).decode()
    assert text.splitlines()[0] == "AT-0101.jpg" and len(text.splitlines()) == 5


def test_an_overlay_added_by_following_the_page_lies_over_a_frame(
    studio: Studio, slug: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setitem(overlays.VEILS, "dark", beside("An overlay", overlays)["_dark"])
    with studio.database.session() as session:
        frame = frame_facts.series_facts(session, catalogue.find_series(session, slug))[0]
    png = overlays.veil_of(studio.bench, frame, None, 300, "dark")
    veil = cv2.imdecode(np.frombuffer(png, np.uint8), cv2.IMREAD_UNCHANGED)
    assert veil.shape == (200, 300, 4) and 0.02 < (veil[..., 3] == 0).mean() < 0.98


def test_a_task_added_by_following_the_page_runs_and_may_run_twice(
    studio: Studio, slug: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    made = beside("A task", a_service)
    monkeypatch.setitem(worker.TASKS, "tidy_title", worker._Task(made["tidy_title"], made["give_up_title"]))
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        series.title, series_id = "  Winter fair ", series.id
    for _ in range(2):
        with studio.database.session() as session:
            studio.queue.defer(session, "tidy_title", once=f"tidy-{series_id}", series_id=str(series_id))
        drain(studio)
        with studio.database.session() as session:
            assert catalogue.find_series(session, slug).title == "Winter fair"


def test_a_migration_added_by_following_the_page_goes_up_and_down(cluster: Cluster, tmp_path: Path) -> None:
    folder = copytree(migrating._MIGRATIONS, tmp_path / "migrations")
    config = Config()
    config.set_main_option("script_location", str(folder))
    last = ScriptDirectory.from_config(config).get_current_head() or ""
    following = f"{int(last) + 1:04}"
    code = code_under("A migration").replace("NEXT", following).replace("LAST", last)
    (folder / "versions" / f"{following}_client.py").write_text(code)
    engine = create_engine(cluster.database("page"))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")
        assert "client_name" in {column["name"] for column in inspect(connection).get_columns("series")}
        command.downgrade(config, last)
        assert "client_name" not in {column["name"] for column in inspect(connection).get_columns("series")}
    engine.dispose()
