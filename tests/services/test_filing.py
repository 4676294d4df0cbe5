"""Series on the shelf: renamed, duplicated, put away, deleted and brought back, removed for good in the background."""

import uuid
from dataclasses import replace
from datetime import timedelta

import pytest
from sqlalchemy import delete, func, select

from nuvett.core.errors import NotFoundError
from nuvett.core.look.trim import Trim
from nuvett.imaging.opened import Limits
from nuvett.services.delivery import deliveries
from nuvett.services.delivery.delivery_settings import DeliverySettings
from nuvett.services.engine.workbench import Workbench
from nuvett.services.looks import carrying, trims
from nuvett.services.platform.studio import Studio
from nuvett.services.series import catalogue, frame_facts
from nuvett.services.series.variants import make_variant
from nuvett.services.shelf import filing, shelf
from nuvett.store import models
from nuvett.store.quarantine import Quarantine
from tests.conftest import drain


@pytest.fixture
def carried(studio: Studio, slug: str) -> str:
    """A series that has been carried, with a trim, a hero and a variant."""
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        frames = catalogue.ready_frames(session, series.id)
        series.hero_id = frames[1].id
        trims.set_trim(session, series, frames[0], Trim(strength=40), 1)
        carrying.carry(session, series)
        make_variant(session, series, frames[0], "grey")
    return slug


def count(studio: Studio, kind: type[models.Base]) -> int:
    with studio.database.session() as session:
        return session.scalar(select(func.count()).select_from(kind)) or 0


def test_a_deleted_series_is_out_of_sight_and_comes_back_as_it_was(studio: Studio, carried: str) -> None:
    with studio.database.session() as session:
        series = catalogue.find_series(session, carried)
        running = deliveries.order_delivery(session, studio, series, DeliverySettings(size=64)).id
        before = [(f.name, f.follows_id, f.trim) for f in series.frames]
        filing.delete_series(session, series)
    drain(studio)
    with studio.database.session() as session:
        assert session.get_one(models.DeliveryRow, running).state == "stopped"
        assert catalogue.list_series(session) == []
        with pytest.raises(NotFoundError):
            catalogue.find_series(session, carried)
        ((row, until),) = filing.in_bin(session)
        assert row.deleted and until - row.deleted == timedelta(days=filing.BIN_DAYS)
        filing.queue_outdated(session, studio)
    drain(studio)
    with studio.database.session() as session:
        filing.bring_back(catalogue.find_series(session, carried, in_bin=True))
        series = catalogue.find_series(session, carried)
        assert [(f.name, f.follows_id, f.trim) for f in series.frames] == before


def test_a_series_whose_time_is_over_is_removed_in_the_background_and_its_files_wait(
    studio: Studio, carried: str
) -> None:
    files = studio.blobs.names()
    with studio.database.session() as session:
        series = catalogue.find_series(session, carried)
        filing.purge_series(studio, series.id)
    assert count(studio, models.SeriesRow) == 1, "one that is not in the bin stays"
    with studio.database.session() as session:
        series = catalogue.find_series(session, carried)
        filing.delete_series(session, series)
        filing.purge_series(studio, series.id)
    assert count(studio, models.SeriesRow) == 1, "nor one whose time is not over"
    with studio.database.session() as session:
        row = catalogue.find_series(session, carried, in_bin=True)
        assert row.deleted
        row.deleted -= timedelta(days=filing.BIN_DAYS)
        session.flush()
        assert filing.in_bin(session) == []
        filing.queue_outdated(session, studio)
    drain(studio)
    assert count(studio, models.SeriesRow) == count(studio, models.FrameRow) == 0 and not studio.blobs.names()
    assert {one.name for one in Quarantine(studio.blobs).held()} == files


def test_a_duplicate_stands_by_itself_and_shares_its_files(studio: Studio, carried: str) -> None:
    files = studio.blobs.names()
    with studio.database.session() as session:
        first = catalogue.find_series(session, carried)
        twin = filing.duplicate_series(session, carried)
        assert (twin.slug, twin.title) == ("winter-fair-copy", "Winter fair copy")
        session.expire_all()
        plans: list[list[tuple[object, ...]]] = []
        for series in (first, twin):
            facts = frame_facts.series_facts(session, series)
            followed = carrying.versions_followed(session, series)
            assert set(followed) == {frame.id for frame in facts}
            plans.append([(f.original, f.trim, f.even, followed[f.id].aimed.look, f.first == f.id) for f in facts])
        assert plans[0] == plans[1] and len(plans[0]) == 6
        hero = session.get_one(models.FrameRow, twin.hero_id)
        assert hero.series_id == twin.id and hero.name == "AT-0102"
        filing.delete_series(session, first)
        filing.remove_for_good(session, studio, first)
    drain(studio)
    assert studio.blobs.names() == files and count(studio, models.FrameRow) == 6
    with studio.database.session() as session:
        carrying.carry(session, catalogue.find_series(session, "winter-fair-copy"))


def test_a_series_is_renamed_under_its_address_and_put_away(studio: Studio, carried: str) -> None:
    with studio.database.session() as session:
        series = catalogue.find_series(session, carried)
        filing.rename_series(series, "  Spring   fair ")
        filing.put_away(series, True)
        session.flush()
        assert catalogue.find_series(session, carried).title == "Spring fair" and series.put_away
        assert catalogue.start_series(session, "Winter fair").slug != carried
    assert isinstance(series.id, uuid.UUID)


def test_drift_on_the_shelf_is_of_all_frames_and_kept_or_of_some_and_said_to_be_about(
    studio: Studio, carried: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    def told() -> shelf.SeriesDrift | None:
        with studio.database.session() as session:
            return next(one.drift for one in shelf.standings(session) if one.slug == carried)

    with studio.database.session() as session:
        series = catalogue.find_series(session, carried)
        session.execute(delete(models.MeasuredRow))
    with monkeypatch.context() as few:
        few.setattr(shelf, "_MEASURED", 2)
        bench = Workbench(studio.blobs, studio.database, Limits(), 64)  # which remembers nothing
        about = shelf.measure_series(replace(studio, bench=bench), series.id)
        assert about is not None and not about.whole and about.came > about.now and told() is None
    found = shelf.measure_series(studio, series.id)
    assert found is not None and found.whole and found.came > found.now and found != about
    assert told() == found
    with studio.database.session() as session:
        frame = catalogue.ready_frames(session, series.id)[2]
        trims.set_trim(session, catalogue.find_series(session, carried), frame, Trim(strength=10), 1)
    assert told() is None, "it is not that of the series as it is now"
