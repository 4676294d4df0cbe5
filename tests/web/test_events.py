"""Progress as it happens, requests that have names, and logs that tell which work they are of."""

import io
import itertools
import json
import logging
from collections.abc import Iterator
from typing import Any

import pytest
from sqlalchemy import update
from starlette.testclient import TestClient

from nuvett.logs import logged_as, request_id, set_up_logs
from nuvett.services.platform.studio import Studio
from nuvett.services.series.catalogue import find_series
from nuvett.services.upkeep.moving import PARTS, Moving, moving_of
from nuvett.store import models


def moving(studio: Studio, slug: str, part: str) -> Moving:
    with studio.database.session() as session:
        return moving_of(session, studio, find_series(session, slug), part)


def told(client: TestClient, slug: str, part: str) -> list[dict[str, object]]:
    """All that is told until nothing moves any more."""
    with client.stream("GET", f"/series/{slug}/events?part={part}") as answer:
        assert answer.headers["content-type"].startswith("text/event-stream")
        lines = [line for line in answer.iter_lines() if line]
    assert lines[-2:] == ["event: rest", "data: {}"]
    return [json.loads(line.removeprefix("data: ")) for line in lines[:-2]]


@pytest.mark.parametrize("part", PARTS)
def test_where_nothing_moves_it_is_told_once_and_over(client: TestClient, slug: str, part: str) -> None:
    (only,) = told(client, slug, part)
    assert only["moves"] is False and only["done"] == only["total"]


WAITS = {
    "gather": lambda series: update(models.FrameRow).where(models.FrameRow.series_id == series).values(state="waiting"),
    "read": lambda series: (
        update(models.ReferenceRow).where(models.ReferenceRow.series_id == series).values(state="waiting")
    ),
}


@pytest.mark.parametrize("part", WAITS)
def test_what_waits_moves_and_every_step_has_another_mark(studio: Studio, slug: str, part: str) -> None:
    rest = moving(studio, slug, part)
    with studio.database.session() as session:
        session.execute(WAITS[part](find_series(session, slug).id))
    busy = moving(studio, slug, part)
    assert busy.moves and busy.done == 0 and busy.total == rest.total and busy.mark != rest.mark
    assert moving(studio, slug, part) == busy


def test_what_happens_is_told_while_the_page_is_open(
    client: TestClient, slug: str, studio: Studio, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("nuvett.web.streaming._EVERY", 0.05)

    def waiting(state: str) -> None:
        with studio.database.session() as session:
            session.execute(update(models.ReferenceRow).values(state=state))

    looks = itertools.count(1)

    def looked_at(*which: Any) -> Moving:
        now = moving_of(*which)
        if next(looks) == 3:  # what is the same as before is told once
            waiting("ready")
        return now

    waiting("waiting")
    monkeypatch.setattr("nuvett.web.streaming.moving_of", looked_at)
    found = told(client, slug, "read")
    assert [one["moves"] for one in found] == [True, False]


def test_an_unknown_series_or_part_is_no_stream(client: TestClient, slug: str) -> None:
    assert client.get("/series/nowhere/events?part=gather").status_code == 404
    assert client.get(f"/series/{slug}/events?part=trim").status_code == 422


@pytest.mark.parametrize(
    ("given", "kept"),
    [("a1-b2", True), ("", False), ("a" * 65, False), ("a b", False), ("naïve", False), ("a\r\nb", False)],
)
def test_a_request_keeps_the_plain_name_that_a_proxy_gave_it(given: str, kept: bool) -> None:
    assert (request_id(given) == given) is kept and request_id(given).isalnum() is not kept


def test_answers_carry_the_name_of_their_request(client: TestClient) -> None:
    assert client.get("/glossary", headers={"x-request-id": "of-the-proxy"}).headers["x-request-id"] == "of-the-proxy"
    names = {client.get(path).headers["x-request-id"] for path in ("/glossary", "/glossary", "/nowhere")}
    assert len(names) == 3


@pytest.fixture
def lines(monkeypatch: pytest.MonkeyPatch) -> Iterator[io.StringIO]:
    """What is logged as JSON."""
    said, before = io.StringIO(), logging.getLogger().handlers
    monkeypatch.setattr("sys.stderr", said)
    set_up_logs("json", "web")
    yield said
    logging.getLogger().handlers = before
    logging.getLogger("nuvett.work").setLevel(logging.NOTSET)


def test_every_request_is_a_line_and_all_that_is_logged_within_names_it(
    client: TestClient, lines: io.StringIO, monkeypatch: pytest.MonkeyPatch
) -> None:
    def amiss(*_: object) -> None:
        logging.getLogger("nuvett.shelf").warning("amiss")
        raise RuntimeError("for no reason")

    monkeypatch.setattr("nuvett.web.routes.shelf.measure_series", amiss)
    client.post("/series", data={"title": "Busy"})
    name = client.get("/series/busy/drift", headers={"x-request-id": "r7"}).headers["x-request-id"]
    found = [json.loads(line) for line in lines.getvalue().splitlines()]
    own = {one["message"]: one for one in found if one.get("request") == name}
    assert own.keys() == {"amiss", "request", "Unexpected error at /series/busy/drift"}
    last = own["request"]
    assert (last["path"], last["status"], last["process_kind"]) == ("/series/busy/drift", 500, "web")
    assert last["ms"] >= 0
    assert last["level"] == "INFO" and "timestamp" in last


def test_names_end_with_the_work_that_they_are_of(lines: io.StringIO) -> None:
    with logged_as(job="1", task="even"):
        with logged_as(job="2"):
            logging.getLogger("nuvett").warning("inner")
        logging.getLogger("nuvett").warning("outer")
    logging.getLogger("nuvett").warning("outside")
    inner, outer, outside = (json.loads(line) for line in lines.getvalue().splitlines())
    assert (inner["job"], inner["task"], outer["job"]) == ("2", "even", "1") and "job" not in outside
