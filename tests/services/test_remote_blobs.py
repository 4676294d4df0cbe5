"""Blobs on S3-compatible storage: a stand-in server on loopback, and a whole series that lives there."""

import dataclasses
import hashlib
import io
import os
from collections.abc import Iterator
from pathlib import Path

import pytest
from moto.server import ThreadedMotoServer

from nuvett.core.errors import MissingBlobError
from nuvett.services.delivery import deliveries
from nuvett.services.delivery.delivery_settings import read_settings
from nuvett.services.looks import carrying
from nuvett.services.platform.studio import Studio
from nuvett.services.references import new_references
from nuvett.services.series import catalogue, gathering
from nuvett.store import models
from nuvett.store.blobs import BlobStore
from tests.conftest import DEMO, drain


@pytest.fixture(scope="module")
def address() -> Iterator[str]:
    server = ThreadedMotoServer(ip_address="127.0.0.1", port=0, verbose=False)
    server.start()
    host, port = server.get_host_and_port()
    said = {
        "AWS_ENDPOINT_URL": f"http://{host}:{port}",
        "AWS_ACCESS_KEY_ID": "made-up",
        "AWS_SECRET_ACCESS_KEY": "made-up",
        "AWS_DEFAULT_REGION": "us-east-1",
    }
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
            files = deliveries.made_files(session, session.get_one(models.Delivery, ordered))
        assert [file.name for file in files] == ["AT-0101.jpg", "AT-0102.jpg"]
        assert b"".join(deliveries.zip_stream(there, "away", files))[:2] == b"PK"
        assert not studio.blobs.names() & there.blobs.names()
    finally:
        there.database.close()
