"""Handing over into folders: never into a watched one, never over what the delivery did not make."""

import dataclasses
import os
import shutil
import uuid
from pathlib import Path

import pytest

from nuvett.core.errors import InvalidChangeError, NameTakenError
from nuvett.services.delivery import deliveries
from nuvett.services.delivery.delivery_settings import DeliverySettings, read_settings
from nuvett.services.looks import carrying
from nuvett.services.platform import folders
from nuvett.services.platform.folders import Wanted, put_into
from nuvett.services.platform.studio import Studio
from nuvett.services.series import catalogue, watching
from nuvett.store import models
from tests.conftest import drain

SMALL = {"outputs": [{"resize": {"by": "long", "pixels": 64}}]}


@pytest.fixture
def here(studio: Studio, slug: str, tmp_path: Path) -> Studio:
    """A studio whose folders lie in a temporary one, with a series that has been carried."""
    made = dataclasses.replace(studio, settings=studio.settings.model_copy(update={"folders": tmp_path}))
    with made.database.session() as session:
        carrying.carry(session, catalogue.find_series(session, slug))
    return made


def asked(**more: object) -> DeliverySettings:
    return read_settings({**SMALL, **more})


def order(studio: Studio, slug: str, settings: DeliverySettings) -> uuid.UUID:
    with studio.database.session() as session:
        return deliveries.order_delivery(session, studio, catalogue.find_series(session, slug), settings).id


def files_of(studio: Studio, delivery: uuid.UUID) -> list[tuple[str, str, str]]:
    with studio.database.session() as session:
        rows = session.get_one(models.DeliveryRow, delivery).files
        return [(row.name, row.state, row.problem) for row in rows]


@pytest.mark.parametrize("folder", ["hot", "hot/day 1", "shoot", ".", "link", "link/out", "shoot/../shoot/hot2"])
def test_no_finished_file_goes_into_a_folder_that_is_watched(
    here: Studio, slug: str, tmp_path: Path, folder: str
) -> None:
    with here.database.session() as session:
        other = catalogue.start_series(session, "Other")
        watching.watch(session, here, other, "shoot/hot2", carries=False)
        watching.watch(session, here, catalogue.find_series(session, slug), "hot", carries=False)
    (tmp_path / "link").symlink_to(tmp_path / "hot")
    original = tmp_path / "hot" / "AT-0101.jpg"
    original.write_bytes(b"the camera's own")
    with pytest.raises(InvalidChangeError):
        order(here, slug, asked(folder=folder, clash="beside"))
    assert original.read_bytes() == b"the camera's own" and len(list((tmp_path / "hot").iterdir())) == 1


def test_a_folder_that_was_handed_over_into_is_not_watched_later(here: Studio, slug: str, tmp_path: Path) -> None:
    delivery = order(here, slug, asked(folder="client/out"))
    drain(here)
    (tmp_path / "link").symlink_to(tmp_path / "client")
    with here.database.session() as session:
        series = catalogue.find_series(session, slug)
        for folder in ("client/out", "client", "client/out/inside", "link"):
            with pytest.raises(InvalidChangeError, match="handed over"):
                watching.watch(session, here, series, folder, carries=False)
        watching.watch(session, here, series, "client 2", carries=False)
        deliveries.remove_delivery(session, session.get_one(models.DeliveryRow, delivery))
        watching.watch(session, here, series, "client", carries=False)


def test_a_link_laid_into_a_watched_folder_after_the_order_is_seen_when_files_are_put(
    here: Studio, slug: str, tmp_path: Path
) -> None:
    with here.database.session() as session:
        watching.watch(session, here, catalogue.find_series(session, slug), "hot", carries=False)
    delivery = order(here, slug, asked(folder="out"))
    shutil.rmtree(tmp_path / "out")
    (tmp_path / "out").symlink_to(tmp_path / "hot")
    drain(here)
    assert {state for _, state, _ in files_of(here, delivery)} == {"failed"}
    assert "watched" in files_of(here, delivery)[0][2] and not list((tmp_path / "hot").iterdir())


def test_what_the_delivery_did_not_make_is_never_replaced(here: Studio, slug: str, tmp_path: Path) -> None:
    theirs = tmp_path / "out" / "AT-0102.jpg"
    theirs.parent.mkdir()
    theirs.write_bytes(b"retouched by hand")
    with pytest.raises(InvalidChangeError, match=r"AT-0102\.jpg is in the folder out already"):
        order(here, slug, asked(folder="out"))
    beside = order(here, slug, asked(folder="out", clash="beside", papers={"checksums": True}))
    drain(here)
    names = [name for name, _, _ in files_of(here, beside)]
    assert names[1] == "AT-0102 (2).jpg" and {state for _, state, _ in files_of(here, beside)} == {"done"}
    assert theirs.read_bytes() == b"retouched by hand"
    assert {path.name for path in theirs.parent.iterdir()} == {"AT-0102.jpg", *names}
    assert "AT-0102 (2).jpg" in (theirs.parent / names[-1]).read_text()


def test_a_file_that_appears_while_a_delivery_is_made_fails_that_file_alone(
    here: Studio, slug: str, tmp_path: Path
) -> None:
    delivery = order(here, slug, asked(folder="out"))
    (tmp_path / "out" / "AT-0103.jpg").write_bytes(b"came meanwhile")
    drain(here)
    failed = [(name, problem) for name, state, problem in files_of(here, delivery) if state == "failed"]
    assert [name for name, _ in failed] == ["AT-0103.jpg"] and "not make" in failed[0][1]
    assert (tmp_path / "out" / "AT-0103.jpg").read_bytes() == b"came meanwhile"


@pytest.mark.parametrize("linking", [True, False])
def test_only_what_was_put_there_and_is_unchanged_is_replaced(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, linking: bool
) -> None:
    def no_links(*_: object) -> None:
        raise PermissionError(1, "Operation not permitted")

    if not linking:
        monkeypatch.setattr(folders.os, "link", no_links)
    first, second = tmp_path / "first", tmp_path / "second"
    first.write_bytes(b"first")
    second.write_bytes(b"second")
    out = tmp_path / "out"
    assert put_into(out, Wanted("web/a.jpg"), first).name == "web/a.jpg"
    placed = put_into(out, Wanted("web/a.jpg"), first)
    assert placed.name == "web/a.jpg", "the same bytes are no clash"
    with pytest.raises(NameTakenError):
        put_into(out, Wanted("web/a.jpg"), second)
    again = put_into(out, Wanted("web/a.jpg", placed.stamp), second)
    assert (out / "web/a.jpg").read_bytes() == b"second"
    (out / "web/a.jpg").write_bytes(b"edited")
    os.utime(out / "web/a.jpg", ns=(1, 1))
    assert put_into(out, Wanted("web/a.jpg", again.stamp, beside=True), first).name == "web/a (2).jpg"
    assert put_into(out, Wanted("web/a.jpg", beside=True), second).name == "web/a (3).jpg"
    assert (out / "web/a.jpg").read_bytes() == b"edited"
    (out / "linked.jpg").symlink_to(tmp_path / "second")
    with pytest.raises(NameTakenError):
        put_into(out, Wanted("linked.jpg", {"size": 6, "changed": 0}), first)
    assert second.read_bytes() == b"second" and not list(out.rglob(".*"))
