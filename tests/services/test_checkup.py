"""A missing or damaged file harms what uses it alone; what can be made anew is, and what nothing uses is cleared."""

import io
from pathlib import Path

import pytest
from sqlalchemy import select

from nuvett.core.errors import MissingBlobError
from nuvett.services.delivery import deliveries
from nuvett.services.delivery.delivery_settings import DeliverySettings
from nuvett.services.files import writing
from nuvett.services.platform import checkup
from nuvett.services.platform.blobs import sweep
from nuvett.services.platform.opening import open_installation
from nuvett.services.platform.studio import Studio
from nuvett.services.series import catalogue
from nuvett.store import models
from tests.conftest import drain
from tests.services.conftest import Orderer


@pytest.fixture
def series(studio: Studio, ordered: Orderer) -> Studio:
    """Three measured frames, carried and delivered."""
    ordered(3, DeliverySettings(size=64))
    drain(studio)
    return studio


def place(studio: Studio, name: str) -> Path:
    return Path(studio.settings.blobs) / name[:2] / name


def rows(studio: Studio) -> tuple[list[models.FrameRow], list[models.DeliveryFileRow]]:
    with studio.database.session() as session:
        frames = session.scalars(select(models.FrameRow).order_by(models.FrameRow.name)).all()
        return list(frames), list(session.scalars(select(models.DeliveryFileRow).order_by(models.DeliveryFileRow.name)))


def test_a_damaged_place_is_found_and_mended_by_the_same_bytes(studio: Studio) -> None:
    name, size = studio.blobs.put(io.BytesIO(b"as it was"))
    place(studio, name).write_bytes(b"otherwise")
    with pytest.raises(MissingBlobError):
        studio.blobs.read(name)
    assert studio.blobs.put(io.BytesIO(b"as it was")) == (name, size)
    assert studio.blobs.read(name) == b"as it was"


def test_what_was_made_is_made_anew_and_what_lost_its_original_says_so(series: Studio) -> None:
    frames, files = rows(series)
    sample, original, finished = frames[0].sample or "", frames[1].original, files[2].blob or ""
    place(series, sample).write_bytes(b"not a sample")
    place(series, original).unlink()
    place(series, finished).unlink()
    orphan, _ = series.blobs.put(io.BytesIO(b"used by nothing"))
    (Path(series.settings.blobs) / "part-left").write_bytes(b"half")
    assert sample not in checkup.check(series).missing
    found = checkup.check(series, deep=True)
    assert set(found.missing) == {sample, original, finished} and found.unused == {orphan} and found.parts == 1
    assert any("Frame AT-0102 of Winter fair" in line for line in found.words)
    checkup.mend(series, found)
    drain(series)
    frames, files = rows(series)
    assert [frame.state for frame in frames] == ["ready", "refused", "ready"]
    assert "Bring it in again" in frames[1].problem
    assert [file.state for file in files] == ["done", "done", "failed"]
    assert not series.blobs.exists(orphan) and series.blobs.is_whole(sample)
    series.blobs.remove_parts()
    assert checkup.check(series, deep=True).words == [
        f"Frame AT-0102 of Winter fair: its file {original[:12]} is missing or damaged"
    ]


def test_what_lies_in_quarantine_is_brought_back_by_the_beginning_of_its_name_or_all_of_it(studio: Studio) -> None:
    assert open_installation(studio)
    names = [studio.blobs.put(io.BytesIO(text))[0] for text in (b"one", b"another", b"a third")]
    asked = checkup.CheckRequest(mend=True, quarantine_unused=True)
    assert {one.name for one in checkup.check_installation(studio, asked).held} == set(names)
    checkup.check_installation(studio, checkup.CheckRequest(back=(names[1][:9],)))
    assert [studio.blobs.exists(name) for name in names] == [False, True, False]
    checkup.check_installation(studio, checkup.CheckRequest(back=("all",)))
    assert all(studio.blobs.is_whole(name) for name in names)


def test_a_delivery_removed_while_a_file_is_made_leaves_no_file_behind(
    series: Studio, monkeypatch: pytest.MonkeyPatch
) -> None:
    with series.database.session() as session:
        made = catalogue.find_series(session, "winter-fair")
        delivery = deliveries.order_delivery(session, series, made, DeliverySettings(size=80)).id
    render = writing.render_file

    def removed_meanwhile(*arguments: object) -> object:
        finished = render(*arguments)  # type: ignore[arg-type]
        with series.database.session() as session:
            deliveries.remove_delivery(session, session.get_one(models.DeliveryRow, delivery))
        monkeypatch.setattr(writing, "render_file", render)
        return finished

    monkeypatch.setattr(writing, "render_file", removed_meanwhile)
    drain(series)
    assert checkup.check(series).words == []


def test_more_names_than_a_statement_has_parameters_are_swept_and_used_ones_kept(series: Studio) -> None:
    used = rows(series)[0][0].original
    orphan, _ = series.blobs.put(io.BytesIO(b"used by nothing"))
    names = {f"{n:064x}" for n in range(20_000)} | {used, orphan}
    sweep(series, names)
    assert place(series, used).exists() and not place(series, orphan).exists()
