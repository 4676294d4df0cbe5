"""Pages of a long series: what is seen at once, what comes as it is looked for, and what is said meanwhile."""

import re
import uuid
from collections.abc import Iterator

import pytest
from sqlalchemy import text
from starlette.testclient import TestClient

from nuvett.services.platform.studio import Studio
from nuvett.services.series import catalogue
from nuvett.web.views import board, carry_wall, frame_lists, threads

TILE, PLACE = r'min-w-0" data-frame="([^"]+)"', r'<i data-frame="([^"]+)"'


@pytest.fixture(autouse=True)
def short_pages(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """A page holds one frame, so that a series of two is long."""
    for module in (carry_wall, board):
        monkeypatch.setattr(module, "WHOLE", 1)
    for module in (carry_wall, board, threads):
        monkeypatch.setattr(module, "PAGE", 1)
    monkeypatch.setattr(frame_lists, "_SHORT", 1)
    monkeypatch.setattr(frame_lists, "_AROUND", 0)
    yield


def frames_of(studio: Studio, slug: str) -> list[str]:
    with studio.database.session() as session:
        return [str(frame.id) for frame in catalogue.find_series(session, slug).frames]


def filling(client: TestClient, slug: str, show: str = "draft") -> tuple[int, int]:
    told = client.get(f"/series/{slug}/carry/filling?show={show}").json()
    return told["known"], told["frames"]


def test_a_wall_shows_a_page_holds_the_places_of_the_rest_and_fills_them(
    client: TestClient, slug: str, studio: Studio
) -> None:
    first, second = frames_of(studio, slug)
    strength = 5 + uuid.uuid4().int % 9000 / 100  # a look that no other test has worked out
    changed = client.put(f"/series/{slug}/look", json={"document": {"strength": strength}, "revision": 1})
    assert changed.status_code == 200
    wall = client.get(f"/series/{slug}/carry/wall?show=draft").text
    assert (re.findall(TILE, wall), re.findall(PLACE, wall)) == ([first], [second])
    assert "<b>1</b> of 2 measured<" in " ".join(wall.split()) and filling(client, slug) == (1, 2)
    with studio.database.session() as session:
        asked = text("SELECT count(*) FROM procrastinate_jobs WHERE task_name = 'fill_wall' AND status = 'todo'")
        assert session.scalar(asked) == 1
    page = client.get(f"/series/{slug}/carry/tiles?show=draft&start=1").text
    assert (re.findall(TILE, page), re.findall(PLACE, page)) == ([second], []) and filling(client, slug) == (2, 2)
    later = client.get(f"/series/{slug}/carry/wall?show=draft&start=1").text
    assert (re.findall(TILE, later), re.findall(PLACE, later)) == ([second], [first])
    assert "measured under" not in later


def test_what_is_found_by_name_or_mark_is_paged_alike(client: TestClient, slug: str, studio: Studio) -> None:
    _, second = frames_of(studio, slug)
    found = client.get(f"/series/{slug}/carry/wall?find=0102").text
    assert (re.findall(TILE, found), re.findall(PLACE, found)) == ([second], []) and "1 hidden" in found
    client.post(f"/series/{slug}/frames/favourites", json={"frames": [second]})
    wall = client.get(f"/series/{slug}/carry/wall?only=favourites").text  # whose run is of all frames
    assert (re.findall(TILE, wall), re.findall(PLACE, wall)) == ([second], [])
    gathered = client.get(f"/series/{slug}/gather/board?only=favourites").text
    assert "AT-0102" in gathered and "AT-0101" not in gathered


def test_a_board_shows_the_page_that_is_asked_for_or_the_one_with_a_frame(
    client: TestClient, slug: str, studio: Studio
) -> None:
    first, second = frames_of(studio, slug)

    def shown(query: str, part: str = "board") -> tuple[list[str], int]:
        html = client.get(f"/series/{slug}/gather/{part}?{query}").text
        return re.findall(r'id="frame-([^"]+)"', html), html.count("<i></i>")

    assert shown("") == ([first], 1) and shown("start=1") == shown(f"frame={second}") == ([second], 1)
    assert shown("start=1", "frames") == ([second], 0)
    moved = client.post(f"/series/{slug}/frames/{second}/hero", follow_redirects=False).headers["location"]
    assert f'id="frame-{second}"' in client.get(moved).text and moved.endswith(f"#frame-{second}")


def test_lists_to_choose_from_come_when_they_are_wanted(client: TestClient, slug: str, studio: Studio) -> None:
    first, second = frames_of(studio, slug)
    page = client.get(f"/series/{slug}/trim?frame={first}").text
    assert f'value="{second}"' not in page and "All 2 frames are being listed" in page
    (boxes,) = re.findall(r'data-later="([^"]+box=chosen-frame)"', page)
    assert client.get(boxes).text.count("data-chosen-frame") == 2
    (names,) = re.findall(r'data-later-choices="([^"]+)"', page)
    assert [one["id"] for one in client.get(names).json()] == [first, second]
    ticked = client.get(f"/series/{slug}/frames/boxes?box=proof&ticked={second}").text
    assert re.findall(r'data-proof value="([^"]+)" checked', ticked) == [second]


def test_a_board_of_threads_is_paged(client: TestClient, slug: str, studio: Studio) -> None:
    first, second = frames_of(studio, slug)
    whole = client.get(f"/series/{slug}/threads/board").text
    assert re.findall(r'<figure[^>]+data-tile="([^"]+)"', whole) == [first] and f'<i data-tile="{second}"></i>' in whole
    page = client.get(f"/series/{slug}/threads/tiles?start=1").text
    assert re.findall(r'data-tile="([^"]+)"', page) == [second]
