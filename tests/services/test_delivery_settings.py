"""Deliveries made again, and their settings: kept by name, read from earlier versions, refused with reasons."""

import re
from datetime import UTC, datetime, timedelta
from itertools import zip_longest
from typing import Any

import pytest
from sqlalchemy import select

from nuvett.core.errors import InvalidChangeError
from nuvett.core.look.look import Look
from nuvett.core.output.sizes import Resize
from nuvett.core.spaces.rgb import Space
from nuvett.imaging.encode import Format
from nuvett.services.delivery import deliveries, kept_settings
from nuvett.services.delivery.delivery_settings import DeliverySettings, read_settings
from nuvett.services.delivery.progress import progress_of
from nuvett.services.looks import carrying, looks
from nuvett.services.platform.studio import Studio
from nuvett.services.series import catalogue
from nuvett.store import models
from tests.conftest import drain
from tests.services.conftest import Orderer
from tests.services.test_deliveries import parcel


def test_the_same_is_made_again_with_newer_looks_and_settings_are_kept_for_another_series(
    studio: Studio, slug: str
) -> None:
    settings = read_settings({"pattern": "{name} v{version}", "outputs": [{"resize": {"by": "long", "pixels": 64}}]})
    first = parcel(studio, slug, settings)
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        delivery = session.get_one(models.DeliveryRow, progress_of(session, series)[0].id)
        looks.change_look(session, series, Look.of(strength=40), catalogue.look_of(session, series).revision)
        carrying.carry(session, series)
        again = deliveries.order_again(session, studio, series, delivery).id
        kept = kept_settings.keep_settings(session, " For  the web ", settings)
        kept_settings.keep_settings(session, "For the web", settings)
    drain(studio)
    with studio.database.session() as session:
        newer = deliveries.made_files(session, session.get_one(models.DeliveryRow, again))
        assert [made.name for made in newer] == [name.replace("v1", "v2") for name in first]
        assert studio.blobs.read(newer[0].blob) != next(iter(first.values()))
        assert [row.name for row in kept_settings.kept_settings(session)] == ["For the web"]
        assert kept_settings.settings_by(session, kept.id) == settings
        other = catalogue.start_series(session, "Another")
        assert kept_settings.last_settings(session, other) == DeliverySettings()
        kept_settings.forget_settings(session, kept.id)
        kept_settings.forget_settings(session, kept.id)
        assert kept_settings.kept_settings(session) == []


def test_what_was_chosen_is_chosen_when_it_is_made_again_and_progress_is_each_delivery_own(
    studio: Studio, slug: str
) -> None:
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        carrying.carry(session, series)
        rows = catalogue.ready_frames(session, series.id)
        small = {"outputs": [{"resize": {"by": "long", "pixels": 64}}]}
        some = deliveries.order_delivery(
            session, studio, series, read_settings(small | {"what": "chosen"}), {rows[0].id, rows[2].id}
        )
        deliveries.order_delivery(session, studio, series, read_settings(small))
        assert sorted(sum(one.counts.values()) for one in progress_of(session, series)) == [2, 5]
    drain(studio)
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        assert {one.state for one in progress_of(session, series)} == {"done"}
        again = deliveries.order_again(session, studio, series, session.get_one(models.DeliveryRow, some.id))
        assert sorted(file.name for file in again.files) == ["AT-0101.jpg", "AT-0103.jpg"]
        assert next(iter(progress_of(session, series))).counts == {"waiting": 2}


@pytest.mark.parametrize(
    ("asked", "words"),
    [
        ({"outputs": [{"quality": 0}]}, "Quality: input should be greater than or equal to 1."),
        ({"outputs": [{"resize": {"by": "long"}}]}, "Resize: a long edge needs its pixels."),
        ({"pattern": "{nobody}"}, "The name pattern may hold"),
        ({"outputs": []}, "Outputs"),
        ({"outputs": [{"space": "scene"}]}, "Space: no finished file is in this space."),
    ],
)
def test_settings_that_are_not_possible_are_refused_by_their_names(asked: dict[str, Any], words: str) -> None:
    with pytest.raises(InvalidChangeError, match=re.escape(words)):
        read_settings(asked)


def test_settings_of_earlier_versions_are_read() -> None:
    earlier = {"schema_version": 1, "format": "png16", "quality": 80, "size": 900, "space": "p3", "pattern": "{name}"}
    (output,) = read_settings(earlier).outputs
    assert (output.format, output.quality, output.space) == (Format.PNG16, 80, Space.P3)
    assert output.resize == Resize(by="long", pixels=900)


def test_what_is_left_takes_as_long_as_what_was_made_since_it_was_begun(studio: Studio, ordered: Orderer) -> None:
    began = datetime(2026, 12, 1, tzinfo=UTC)

    def left(*after: int) -> float | None:
        """Seconds that are said to be left of five files, some of which ended so long after it was begun."""
        with studio.database.session() as session:
            delivery = session.scalars(select(models.DeliveryRow)).one()
            delivery.state, delivery.started = "running", began
            for file, seconds in zip_longest(delivery.files, after):
                file.state = "waiting" if seconds is None else "done" if seconds > 0 else "failed"
                file.finished = None if seconds is None else began + timedelta(seconds=seconds)
            session.flush()
            return progress_of(session, catalogue.find_series(session, "winter-fair"))[0].seconds_left

    ordered(5, DeliverySettings(size=64))
    assert left(10, 20) == pytest.approx(30) and left(10, 20, 60, 80) == pytest.approx(20)
    assert left() is None and left(10) is None, "too few to tell"
    assert left(-30, -20, 10) is None and left(-30, 10, 20) == pytest.approx(20), "what ended before tells nothing"
