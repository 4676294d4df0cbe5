"""Odd bodies, missing files, a full disk, a silent worker and a frame taken out by mistake: words, and nothing lost."""

import errno
import json
from collections.abc import Iterator

import pytest
from sqlalchemy import delete
from sqlalchemy import text as sql
from starlette.testclient import TestClient

from nuvett.services.platform.studio import Studio
from nuvett.services.series import catalogue
from nuvett.store import models
from nuvett.store.blobs import BlobStore
from nuvett.web.app import make_app
from tests.conftest import DEMO, drain
from tests.web.conftest import STILL

ODD: list[tuple[str, str, object]] = [
    ("PUT", "/weights", {"weights": {"x": {"tone": 1, "colour": 1}}}),
    ("PUT", "/weights", {"weights": {}, "reference": "\ud800"}),
    ("PUT", "/weights", {"weights": 3}),
    ("PUT", "/look", {"look": {}, "revision": "many"}),
    ("PUT", "/look", {"look": {}, "revision": 10**30}),
    ("PUT", "/look", {"look": {"strength": "\ud800"}, "revision": 1}),
    ("PUT", "/look", {"look": [1], "revision": 1}),
    ("POST", "/look/copy", {"series": "no\x00ne"}),
    ("POST", "/look/copy", {"series": "\ud800"}),
    ("POST", "/look/step/99999999999999999999999", {}),
    ("POST", "/look/proofs", {"frames": [5]}),
    ("POST", "/shape/other", {"look": {}, "what": "step " + "9" * 5000}),
    ("POST", "/shape/draft", {"look": {}, "drag": {"handle": "share.1", "x": 1e9, "y": 0}}),
    ("POST", "/read/undo", {"reference": 7}),
    ("POST", "/read/undo", []),
]


@pytest.mark.parametrize(("method", "path", "body"), ODD)
def test_odd_bodies_get_a_sentence_and_change_nothing(
    client: TestClient, slug: str, method: str, path: str, body: object
) -> None:
    before = client.get(f"/series/{slug}/look").json()["revision"]
    answer = client.request(
        method, f"/series/{slug}{path}", content=json.dumps(body), headers={"content-type": "application/json"}
    )
    assert 400 <= answer.status_code < 500 and answer.json()["message"]
    assert client.get(f"/series/{slug}/look").json()["revision"] == before


def test_numbers_of_thousands_of_digits_and_bytes_that_are_no_text_are_refused(client: TestClient, slug: str) -> None:
    for content in (b'{"look": {}, "revision": ' + b"9" * 5000 + b"}", b"\xff\xfe{", b"[" * 100_000):
        headers = {"content-type": "application/json"}
        assert 400 <= client.put(f"/series/{slug}/look", content=content, headers=headers).status_code < 500
    assert client.post("/series", data={"title": "no\x00ne"}).status_code == 422


def test_a_large_body_that_is_no_file_is_refused_before_it_is_read(client: TestClient, slug: str) -> None:
    def endless() -> Iterator[bytes]:
        sent.append(1)
        yield b'{"look": "'
        for _ in range(3_000):
            sent.append(1)
            yield b"x" * 1_000

    sent: list[int] = []
    headers = {"content-type": "application/json"}
    answer = client.put(f"/series/{slug}/look", content=endless(), headers=headers)
    assert answer.status_code == 413 and "1 MB" in answer.text
    told = client.put(f"/series/{slug}/look", content=b"{}", headers={**headers, "content-length": "50000000"})
    assert told.status_code == 413


def test_a_missing_file_leaves_the_page_and_says_what_became_of_its_frame(
    client: TestClient, slug: str, studio: Studio
) -> None:
    with studio.database.session() as session:
        frame = catalogue.ready_frames(session, catalogue.find_series(session, slug).id)[0]
        studio.blobs.remove(frame.sample or "")
        session.execute(delete(models.MeasuredRow))  # so that what the wall says of it is not known already
    anew = Studio.of(studio.settings)  # has nothing in memory
    with TestClient(make_app(anew.settings, anew), base_url="http://127.0.0.1:8760") as fresh:
        page = fresh.get(f"/series/{slug}/carry", headers={"accept": "text/html"})
    anew.database.close()
    assert page.status_code == 200
    with studio.database.session() as session:
        assert len(catalogue.ready_frames(session, catalogue.find_series(session, slug).id)) == 1
    drain(studio)
    with studio.database.session() as session:
        assert len(catalogue.ready_frames(session, catalogue.find_series(session, slug).id)) == 2


def test_a_full_disk_refuses_an_upload_with_words_and_keeps_nothing_of_it(
    client: TestClient, slug: str, studio: Studio, monkeypatch: pytest.MonkeyPatch
) -> None:
    def full(*_: object) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    with monkeypatch.context() as patched:
        patched.setattr(BlobStore, "_settle", full)
        answer = client.post(f"/series/{slug}/frames", files={"file": ("a.jpg", STILL.read_bytes())})
    assert answer.status_code == 507 and "disk is full" in answer.json()["message"]
    assert studio.blobs.parts() == []
    assert client.post(f"/series/{slug}/frames", files={"file": ("a.jpg", STILL.read_bytes())}).status_code == 201


def test_pages_say_when_nothing_works_in_the_background(client: TestClient, slug: str, studio: Studio) -> None:
    client.post(f"/series/{slug}/frames", files={"file": ("a.jpg", STILL.read_bytes())})
    assert "Background processing is not running" not in client.get(f"/series/{slug}/gather").text
    long_ago = "UPDATE procrastinate_events SET at = now() - interval '1 hour'"
    with studio.database.session() as session:
        session.execute(sql(long_ago))
    assert "Background processing is not running" in client.get(f"/series/{slug}/gather").text
    with studio.database.session() as session:
        session.execute(sql("INSERT INTO procrastinate_workers DEFAULT VALUES"))
    assert "Background processing is not running" not in client.get(f"/series/{slug}/gather").text


def test_a_frame_taken_out_comes_back_with_all_that_was_done_to_it(
    client: TestClient, slug: str, studio: Studio
) -> None:
    client.post(f"/series/{slug}/carry")
    with studio.database.session() as session:
        frame = catalogue.ready_frames(session, catalogue.find_series(session, slug).id)[0].id
    address = f"/series/{slug}/frames/{frame}"
    client.put(f"{address}/trim", json={"document": {"exposure": {"exposure": 0.5}}, "revision": 1})
    page = client.post(f"{address}/remove").text
    assert "Taken out:" in page and "1 frame" in page
    assert client.get(f"/series/{slug}/carry").text.count('class="tile') == 1
    path = DEMO / "frames" / "AT-0101.jpg"
    again = client.post(f"/series/{slug}/frames", files={"file": ("other.jpg", path.read_bytes())})
    assert again.status_code == 200 and "AT-0101" in again.json()["already"] and "put back" in again.json()["already"]
    assert "Taken out:" not in client.post(f"{address}/put-back").text
    drain(studio)
    with studio.database.session() as session:
        row = catalogue.find_frame(session, catalogue.find_series(session, slug), frame)
        assert row.state == "ready" and row.follows_id and row.trim and row.even
    assert client.post(f"{address}/put-back").status_code == 422
