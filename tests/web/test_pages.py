"""Pages as they are rendered: keys that work a control, and queries that do not grow with what is shown."""

import html
import re

import pytest
from sqlalchemy import event
from starlette.testclient import TestClient

from nuvett.services.platform.studio import Studio
from nuvett.services.series import catalogue, gathering
from nuvett.web.views.keys import KEYS
from tests.conftest import DEMO, PROJECT, drain

SCREENS = ("gather", "read", "shape", "carry", "trim", "handover")
BRUSHED = {"area": {"parts": [{"kind": "brush"}]}}
SCRIPT = (PROJECT / "nuvett" / "web" / "static" / "controls" / "keys.js").read_text()


def controls_of(text: str) -> set[str]:
    return {html.unescape(key) for key in re.findall(r'data-key="([^"]+)"', text)}


@pytest.mark.parametrize("screen", SCREENS)
def test_every_key_of_a_screen_works_a_control_and_every_control_is_listed(
    client: TestClient, slug: str, studio: Studio, screen: str
) -> None:
    client.post(f"/series/{slug}/carry")
    client.put(f"/series/{slug}/look", json={"document": {"strength": 90}, "revision": 1})
    with studio.database.session() as session:
        frame = catalogue.ready_frames(session, catalogue.find_series(session, slug).id)[0].id
    client.put(
        f"/series/{slug}/frames/{frame}/trim", json={"document": {"moves": {}, "areas": [BRUSHED]}, "revision": 1}
    )
    controls = controls_of(client.get(f"/series/{slug}/{screen}").text)
    by_script = set(re.findall(r'event\.key === "(.)"', SCRIPT))
    listed = {key.key for key in KEYS[screen]}
    # A clip and several references; something to undo; frames that would come out otherwise today.
    needs_more = {"read": {"k", "n", "b", "d"}, "gather": {"u", "r"}, "carry": {"w"}}.get(screen, set())
    assert listed - controls - by_script - needs_more == set()
    assert controls - listed - {key.key for key in KEYS["everywhere"]} == set()


@pytest.mark.parametrize("screen", ["", *SCREENS])
def test_a_page_asks_as_few_questions_of_the_database_for_many_frames_as_for_few(
    client: TestClient, slug: str, studio: Studio, screen: str
) -> None:
    address = f"/series/{slug}/{screen}" if screen else "/"

    def asked() -> int:
        client.get(address)  # so that plans are kept already
        statements: list[str] = []

        def note(_: object, __: object, statement: str, *___: object) -> None:
            statements.append(statement)

        event.listen(studio.database.engine, "before_cursor_execute", note)
        client.get(address)
        event.remove(studio.database.engine, "before_cursor_execute", note)
        return len(statements)

    few = asked()
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        for n in range(20, 26):
            gathering.add_file(session, studio, series, DEMO / "frames" / f"AT-01{n}.jpg")
    drain(studio)
    assert few <= 27 and asked() <= few + 1


def test_frames_that_wait_are_seen_small_until_they_are_measured(client: TestClient) -> None:
    address = client.post("/series", data={"title": "Glimpses"}, follow_redirects=False).headers["location"]
    base = address.rsplit("/", 1)[0]
    picture = (DEMO / "frames" / "AT-0103.jpg").read_bytes()
    for name, data in (("AT-0103.jpg", picture), ("list.jpg", b"milk, bread, eggs")):
        assert client.post(f"{base}/frames", files={"file": (name, data)}).status_code == 201
    board = client.get(f"{base}/gather/board").text
    seen = [client.get(one) for one in re.findall(r'src="([^"]+glimpse\.jpg)"', board)]
    assert [one.headers["content-type"] for one in seen] == ["image/jpeg", "image/svg+xml"]
    assert len(seen[0].content) < 20_000 and "Waiting" in board
