"""Blobs on S3-compatible storage: a stand-in server on loopback, and a whole series that lives there."""

import dataclasses
import hashlib
import io
import os
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from moto.server import ThreadedMotoServer

from nuvett.core.errors import MissingBlobError, StoreAbsentError
from nuvett.services.delivery import deliveries
from nuvett.services.delivery.delivery_settings import read_settings
from nuvett.services.looks import carrying
from nuvett.services.platform.studio import Studio
from nuvett.services.references import new_references
from nuvett.services.series import catalogue, gathering
from nuvett.store import models
from nuvett.store.blobs import BlobStore
from tests.conftest import DEMO, drain

KEYS = {"AWS_ACCESS_KEY_ID": "made-up", "AWS_SECRET_ACCESS_KEY": "made-up", "AWS_DEFAULT_REGION": "us-east-1"}


@pytest.fixture(scope="module")
def address() -> Iterator[str]:
    server = ThreadedMotoServer(ip_address="127.0.0.1", port=0, verbose=False)
    server.start()
    host, port = server.get_host_and_port()
    said = {"AWS_ENDPOINT_URL": f"http://{host}:{port}", **KEYS}
    before = {name: os.environ.get(name) for name in said}
    os.environ.update(said)
    yield "s3://nuvett/blobs"
    server.stop()
    for name, value in before.items():
        if value is None:
            del os.environ[name]
        else:
            os.environ[name] = value


class Counted(io.RawIOBase):
    """A stream of so many bytes that remembers the most it was asked for at once."""

    def __init__(self, size: int) -> None:
        self.left, self.most = size, 0

    def read(self, size: int = -1) -> bytes:
        self.most = max(self.most, size if size >= 0 else self.left)
        given = min(self.left, size if size >= 0 else self.left)
        self.left -= given
        return b"x" * given


def test_blobs_are_put_found_read_and_removed(address: str, tmp_path: Path) -> None:
    store = BlobStore(address)
    name, size = store.put(io.BytesIO(b"a jug"))
    assert (name, size) == (hashlib.sha256(b"a jug").hexdigest(), 5)
    assert store.put(io.BytesIO(b"a jug"))[0] == name and store.names() == {name} and store.parts() == []
    assert BlobStore(address).read(name) == b"a jug" and store.is_whole(name)
    with store.local(name) as path:
        assert path.read_bytes() == b"a jug"
    assert not path.exists()
    stream = Counted(70_000_000)
    large, size = store.put(stream)  # type: ignore[arg-type]
    assert size == 70_000_000 and stream.most <= 1 << 20
    with store.local(large) as path:
        assert path.stat().st_size == size
    for one in (name, large):
        store.remove(one)
    assert not store.exists(name) and store.names() == set() and not store.is_whole(name)
    with pytest.raises(MissingBlobError):
        store.read(name)


class SlowDownError(Exception):
    """What a client library calls a storage that is asked too much; no kind of OSError."""


def failing(error: Exception) -> Callable[..., object]:
    def call(*_: object, **__: object) -> object:
        raise error

    return call


Work = Callable[[BlobStore, str], object]
FAILS = [SlowDownError("503"), PermissionError("the key is gone"), TimeoutError(), OSError(5)]


@pytest.mark.parametrize("error", FAILS)
@pytest.mark.parametrize(
    ("method", "work"),
    [
        ("cat_file", lambda store, name: store.read(name)),
        ("exists", lambda store, name: store.exists(name)),
        ("open", lambda store, name: store.is_whole(name)),
        ("open", lambda store, name: store.put(io.BytesIO(b"another jug"))),
        ("mv", lambda store, name: store.put(io.BytesIO(b"another jug"))),
        ("get_file", lambda store, name: store.local(name).__enter__()),
        ("find", lambda store, name: store.names()),
    ],
)
def test_a_storage_that_fails_is_absent_and_nothing_is_said_to_be_missing(
    address: str, error: Exception, method: str, work: Work, monkeypatch: pytest.MonkeyPatch
) -> None:
    store = BlobStore(f"{address}-failing")
    store.mark("one")
    store.expect("one")
    name, _ = store.put(io.BytesIO(b"a jug"))
    with monkeypatch.context() as broken, pytest.raises(StoreAbsentError):
        broken.setattr(store.files._of, method, failing(error))
        work(store, name)
    assert store.read(name) == b"a jug" and store.names() == {name} and store.is_present(), "it came back"


def test_a_storage_that_fails_while_a_file_is_written_is_absent(address: str, monkeypatch: pytest.MonkeyPatch) -> None:
    store = BlobStore(address)
    opened = type(store.files.open(f"{store.root}/probe", "wb")._of)
    monkeypatch.setattr(opened, "write", failing(SlowDownError("in the middle")))
    with pytest.raises(StoreAbsentError):
        store.put(io.BytesIO(b"half a jug"))


def test_a_bucket_that_is_gone_or_cannot_be_reached_is_absent_soon(monkeypatch: pytest.MonkeyPatch) -> None:
    server = ThreadedMotoServer(ip_address="127.0.0.1", port=0, verbose=False)
    server.start()
    host, port = server.get_host_and_port()
    for name, value in {**KEYS, "AWS_ENDPOINT_URL": f"http://{host}:{port}"}.items():
        monkeypatch.setenv(name, value)
    store = BlobStore("s3://leaving/blobs")
    assert store.identity() is None and store.names() == set(), "an empty one is taken into use"
    store.mark("one")
    store.expect("one")
    name, _ = store.put(io.BytesIO(b"a jug"))
    store.files.rm("leaving", recursive=True)
    with pytest.raises(StoreAbsentError):
        store.read(name)
    server.stop()
    started = time.monotonic()
    assert not store.is_present() and store.identity() is None
    assert time.monotonic() - started < 30


def test_a_series_whose_files_lie_there_is_measured_and_handed_over(address: str, studio: Studio) -> None:
    there = Studio.of(studio.settings.model_copy(update={"blobs": address}))
    there = dataclasses.replace(there, stopping=studio.stopping)
    try:
        with there.database.session() as session:
            series = catalogue.start_series(session, "Away")
            for n in (1, 2):
                gathering.add_file(session, there, series, DEMO / "frames" / f"AT-010{n}.jpg")
            with (DEMO / "stills" / "still_4_silver.jpg").open("rb") as stream:
                new_references.add_reference(session, there, series, "silver.jpg", stream)
        drain(there)
        with there.database.session() as session:
            series = catalogue.find_series(session, "away")
            carrying.carry(session, series)
            settings = read_settings({"outputs": [{"resize": {"by": "long", "pixels": 64}}]})
            ordered = deliveries.order_delivery(session, there, series, settings).id
        drain(there)
        with there.database.session() as session:
            files = deliveries.made_files(session, session.get_one(models.DeliveryRow, ordered))
        assert [file.name for file in files] == ["AT-0101.jpg", "AT-0102.jpg"]
        assert b"".join(deliveries.zip_stream(there, "away", files))[:2] == b"PK"
        assert not studio.blobs.names() & there.blobs.names()
    finally:
        there.database.close()
