"""No picture is deleted by mistake: stores and databases know each other, absence is not loss, unused files wait."""

import io
import os
import shutil
import threading
from collections.abc import Callable
from datetime import timedelta
from pathlib import Path

import pytest
from sqlalchemy import inspect, select, text

from nuvett.core.errors import ForeignStoreError, MissingBlobError, StoreAbsentError
from nuvett.services.platform import checkup
from nuvett.services.platform.blobs import keeping, sweep
from nuvett.services.platform.installation import absence, recognise
from nuvett.services.platform.opening import open_installation
from nuvett.services.platform.studio import Studio
from nuvett.services.series import catalogue, gathering
from nuvett.store import models
from nuvett.store.blobs import BlobStore
from nuvett.store.quarantine import Quarantine, today
from tests.conftest import DEMO, drain
from tests.services.conftest import Opener

FRAME = DEMO / "frames" / "AT-0101.jpg"


def frame_of(studio: Studio) -> models.FrameRow:
    with studio.database.session() as session:
        return session.scalars(select(models.FrameRow)).one()


def files(folder: Path) -> dict[Path, bytes]:
    return {path: path.read_bytes() for path in folder.rglob("*") if path.is_file()}


def test_a_new_or_another_database_is_refused_before_anything_is_changed(
    own: Studio, fresh: Opener, tmp_path: Path
) -> None:
    before = files(tmp_path)
    new = fresh(tmp_path / "blobs")
    with pytest.raises(ForeignStoreError, match="NUVETT_DATABASE"):
        open_installation(new)
    assert not inspect(new.database.engine).get_table_names()
    other = fresh(tmp_path / "others")
    open_installation(other)
    exchanged = Studio.of(other.settings.model_copy(update={"blobs": str(tmp_path / "blobs")}))
    try:
        with pytest.raises(ForeignStoreError, match="another database"):
            recognise(exchanged)
    finally:
        exchanged.database.close()
    (tmp_path / "blobs" / "nuvett-store.json").unlink()  # as stores of earlier versions are
    with pytest.raises(ForeignStoreError, match="new"):
        open_installation(fresh(tmp_path / "blobs"))
    with other.database.session() as session:
        series = catalogue.start_series(session, "Elsewhere")
        session.add(models.FrameRow(series_id=series.id, position=1, name="x", original="0" * 64, bytes=1))
    strange = Studio.of(other.settings.model_copy(update={"blobs": str(tmp_path / "blobs")}))
    assert not recognise(strange), "a store that holds nothing of what is used is not given the identity"
    strange.database.close()
    assert files(tmp_path / "blobs") == {
        path: data for path, data in before.items() if path.name != "nuvett-store.json"
    }
    assert open_installation(own) and recognise(own), "its own database takes the store up again"


def test_a_store_that_comes_late_is_absent_and_all_goes_on_when_it_is_back(own: Studio, tmp_path: Path) -> None:
    frame = frame_of(own)
    (tmp_path / "blobs").rename(tmp_path / "away")
    with own.database.session() as session:
        waiting = session.get_one(models.FrameRow, frame.id)
        checkup.queue_anew(session, own, waiting)
    with pytest.raises(AssertionError, match="rest"):
        drain(own)  # it waits, and is tried again
    (tmp_path / "blobs").mkdir()  # an empty mount point
    for work in (
        lambda: own.blobs.read(frame.original),
        lambda: own.blobs.put(io.BytesIO(b"lost below the mount")),
        lambda: checkup.set_aside(own, frame.original),
        lambda: checkup.tidy(own),
        lambda: own.blobs.names(),
        lambda: checkup.empty_quarantine(own),
    ):
        with pytest.raises(StoreAbsentError):
            work()
    found = checkup.check(own)
    assert "cannot be reached" in found.words[0] and not found.missing
    assert frame_of(own).state == "waiting" and "cannot be reached" in frame_of(own).problem
    assert not list((tmp_path / "blobs").iterdir())
    (tmp_path / "blobs").rmdir()
    (tmp_path / "away").rename(tmp_path / "blobs")
    assert absence(own) == "" and checkup.check(own).words == []
    with own.database.session() as session:
        session.execute(text("UPDATE procrastinate_jobs SET scheduled_at = NULL"))
    drain(own)
    assert frame_of(own).state == "ready" and not frame_of(own).problem


def test_a_lost_original_is_found_again_or_brought_in_again(own: Studio, tmp_path: Path) -> None:
    name = frame_of(own).original
    place = tmp_path / "blobs" / name[:2] / name
    for back in ("found", "brought"):
        place.rename(tmp_path / "kept")
        checkup.mend(own, checkup.check(own))
        lost = frame_of(own)
        assert lost.state == "refused" and lost.lost and "missing" in lost.problem
        assert checkup.find_again(own) == 0
        if back == "found":
            (tmp_path / "kept").rename(place)
            assert checkup.check(own).found == 1
            checkup.mend(own, checkup.check(own))
        else:
            with own.database.session() as session:
                series = catalogue.find_series(session, "winter-fair")
                assert gathering.add_file(session, own, series, FRAME).id == lost.id
        drain(own)
        mended = frame_of(own)
        assert mended.state == "ready" and not mended.lost and not mended.problem and checkup.check(own).words == []


def test_few_unused_files_wait_in_quarantine_and_many_are_asked_about(own: Studio) -> None:
    quarantine, used = Quarantine(own.blobs), own.blobs.names()
    few = {own.blobs.put(io.BytesIO(bytes([n])))[0] for n in range(3)}
    checkup.tidy(own)
    assert own.blobs.names() == used and {one.name for one in quarantine.held()} == few
    back, *_ = few
    assert checkup.set_aside(own, back) == 0 and own.blobs.is_whole(back), "what is missed is brought back"
    sweep(own, {back})
    assert quarantine.let_go(checkup.KEPT_DAYS, today() + timedelta(days=checkup.KEPT_DAYS - 1)) == 0
    assert quarantine.let_go(checkup.KEPT_DAYS, today() + timedelta(days=checkup.KEPT_DAYS)) == 3
    many = {own.blobs.put(io.BytesIO(bytes([n, n])))[0] for n in range(60)}
    checkup.tidy(own)
    found = checkup.check(own)
    assert found.unused == many <= own.blobs.names() and "--quarantine-unused" in found.words[0]
    checkup.mend(own, found)
    assert many <= own.blobs.names(), "mending does not put away many unasked"
    with own.database.session() as session:
        assert checkup.question_of_unused(session) == (60, 60 + len(used))
    checkup.leave_unused(own)
    checkup.tidy(own)
    with own.database.session() as session:
        assert checkup.question_of_unused(session) is None, "it is asked once"
    assert checkup.take_unused(own) == 60 and own.blobs.names() == used


def test_a_sweep_waits_for_whoever_keeps_a_blob_and_then_leaves_it(own: Studio) -> None:
    swept: list[int] = []
    with own.database.session() as session:
        name, size = keeping(session, own).put(io.BytesIO(b"just arriving"))
        thread = threading.Thread(target=lambda: swept.append(sweep(own, {name})))
        thread.start()
        thread.join(0.5)
        assert thread.is_alive(), "the lock is held"
        series = catalogue.start_series(session, "Another")
        session.add(models.FrameRow(series_id=series.id, position=1, name="x", original=name, bytes=size))
    thread.join(20)
    assert swept == [0] and own.blobs.is_whole(name)


def test_files_of_others_and_files_being_written_are_left_alone(own: Studio, tmp_path: Path) -> None:
    strays = [tmp_path / "blobs" / name for name in (".DS_Store", "ab/.sync", "notes.txt", "ab/" + "a" * 63)]
    for stray in strays:
        stray.parent.mkdir(exist_ok=True)
        stray.write_text("not ours")
    (tmp_path / "blobs" / "part-9999999999-of-another-machine").write_text("half")
    (tmp_path / "blobs" / "part-100-of-last-year").write_text("half")
    checkup.tidy(own)
    assert all(stray.read_text() == "not ours" for stray in strays) and not checkup.check(own).words
    assert [Path(part).name for part in own.blobs.parts(-1e10)] == ["part-9999999999-of-another-machine"]


def test_a_table_whose_file_is_gone_is_named_and_refused(own: Studio) -> None:
    with own.database.session() as session:
        session.add(models.LookupTableRow(file="0" * 64, name="Old stock", state="ready"))
    found = checkup.check(own)
    assert found.words == ["Lookup table Old stock: its file 000000000000 is missing or damaged"]
    checkup.mend(own, found)
    with own.database.session() as session:
        assert session.get_one(models.LookupTableRow, "0" * 64).state == "refused"


def test_two_first_starts_at_once_make_one_installation(fresh: Opener, tmp_path: Path) -> None:
    first = fresh(tmp_path / "blobs")
    second = Studio.of(first.settings)
    opened: list[bool] = []
    threads = [threading.Thread(target=lambda s=s: opened.append(open_installation(s))) for s in (first, second)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(60)
    assert opened == [True, True] and first.blobs.identity() == second.blobs.identity()
    second.database.close()


def test_a_store_says_what_is_missing_only_while_it_is_there(tmp_path: Path) -> None:
    store = BlobStore(str(tmp_path / "blobs"))
    store.mark("mine")
    store.expect("mine")
    with pytest.raises(MissingBlobError):
        store.read("0" * 64)
    shutil.rmtree(tmp_path / "blobs")
    with pytest.raises(StoreAbsentError):
        store.read("0" * 64)
    with pytest.raises(StoreAbsentError):
        store.move(f"{store.root}/here", f"{store.root}/there")


@pytest.mark.parametrize("write", [lambda store: store.mark("mine"), lambda store: store.put(io.BytesIO(b"a picture"))])
def test_what_is_written_is_on_the_disk_before_it_has_its_name_and_so_is_the_name_then(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, write: Callable[[BlobStore], object]
) -> None:
    done: list[str] = []
    settle, rename = os.fsync, Path.replace
    # A folder that is settled holds the name.
    told = {True: "name", False: "bytes"}
    monkeypatch.setattr(
        os, "fsync", lambda file: (done.append(told[Path(f"/proc/self/fd/{file}").is_dir()]), settle(file))
    )
    monkeypatch.setattr(Path, "replace", lambda one, other: (done.append("named"), rename(one, other))[1])
    write(BlobStore(str(tmp_path / "blobs")))
    assert done == ["bytes", "named", "name"]
