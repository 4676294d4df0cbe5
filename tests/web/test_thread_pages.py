"""Threads over HTTP: pointed at, shown on their board, given a goal, and what is refused in words."""

import re

import pytest
from sqlalchemy import text
from starlette.testclient import TestClient

from nuvett.services.platform.studio import Studio
from nuvett.services.series import catalogue
from nuvett.services.threads import following
from tests.web.test_lookbook import frames_of

PLACE = {"x": 0.53, "y": 0.74}


@pytest.fixture
def thread(client: TestClient, slug: str, studio: Studio) -> str:
    """A thread that is pointed at in both frames of a series; the address of it."""
    made = ""
    for frame in frames_of(studio, slug):
        asked = {"thread": made or None, "pointed": [PLACE], "name": "the bowl"}
        answer = client.post(f"/series/{slug}/threads/frames/{frame}", json=asked)
        assert answer.status_code == 200, answer.text
        made = answer.json()["thread"]
    return f"/series/{slug}/threads/{made}"


def board(client: TestClient, slug: str, query: str = "") -> str:
    return client.get(f"/series/{slug}/threads/board?{query}").text


def test_the_board_shows_outlines_colours_and_distances(client: TestClient, slug: str, thread: str) -> None:
    page = client.get(f"/series/{slug}/threads").text
    assert page.count('class="thread-over"') == 2 and page.count("data-go-tile") == 2
    assert "<b>the bowl</b>, 2 frames" in page and re.search(r"2 threads, \d+\.\d apart, as shown", page)
    assert ": 2 followed" in client.get(f"/series/{slug}/carry").text
    begun = board(client, slug, "thread=new")
    assert 'class="thread-over"' not in begun and "on a thing in any frame" in begun
    for picture in re.findall(r'src="([^"]+picture.jpg[^"]+)"', page)[:2]:
        assert client.get(picture.replace("&amp;", "&")).headers["content-type"] == "image/jpeg"
    assert client.get(f"/series/{slug}/threads/board?show=nothing").status_code == 422


def test_the_wall_has_rings_distances_and_an_order_along_the_thread(
    client: TestClient, slug: str, studio: Studio, thread: str
) -> None:
    made = thread.rsplit("/", 1)[1]
    first, second = frames_of(studio, slug)
    client.put(thread, json={"goal": "given", "given": "#0c5a66"})

    def wall(sort: str = "thread") -> tuple[list[str], list[float], int]:
        html = client.get(f"/series/{slug}/carry/wall?thread={made}&sort={sort}").text
        off = re.findall(r">(\d+\.\d)(?: [a-z]+)?</span>\s*</span>\s*</button>", html)
        circles = html.count("<circle")
        tiles = [float(value) for value in off[: circles // 2]]  # those of the strip follow
        return re.findall(r'min-w-0" data-frame="([^"]+)"', html), tiles, circles

    frames, off, circles = wall()
    assert set(frames) == {first, second} and off == sorted(off, reverse=True) and off[0] > off[1] and circles == 4
    assert wall("shooting")[0] == [first, second] and "data-go-tile" not in client.get(f"/series/{slug}/carry").text
    client.delete(f"{thread}/frames/{first}")
    frames, off, circles = wall()
    assert frames == [second, first] and len(off) == 1 and circles == 2, "those that show it come first"
    document = {"geometry": {"cut": [0.8, 0, 0.2, 0.3]}}
    client.put(f"/series/{slug}/frames/{second}/trim", json={"document": document, "revision": 1})
    html = client.get(f"/series/{slug}/carry/wall?thread={made}").text
    assert "cut off" in html and "<circle" not in html
    assert client.get(f"/series/{slug}/carry/wall?thread={made}&sort=sideways").status_code == 422


def test_goals_are_chosen_and_a_colour_that_cannot_be_shown_is_said_to_be_so(
    client: TestClient, slug: str, thread: str
) -> None:
    assert client.put(thread, json={"goal": "given", "given": "lab(50 -110 60)"}).status_code == 200
    assert "Screens cannot show this colour" in board(client, slug)
    assert client.put(thread, json={"goal": "given", "given": "#2f6f7f"}).status_code == 200
    shown = board(client, slug)
    assert 'value="#2f6f7f"' in shown and "Screens cannot show" not in shown
    assert client.put(thread, json={"goal": "frames"}).status_code == 200
    assert 'value="frames" selected' in board(client, slug)
    undone = client.post(f"/series/{slug}/threads/undo").json()["words"]
    assert undone == "the bowl: another goal" and 'value="given" selected' in board(client, slug)
    assert 'data-key="u" title="the bowl: another goal"' in board(client, slug), "there is more to undo"
    client.post(f"/series/{slug}/threads/redo")
    assert 'value="frames" selected' in board(client, slug)


def test_a_thread_is_held_and_that_is_seen(client: TestClient, slug: str, thread: str) -> None:
    def apart() -> float:
        found = re.search(r"2 threads, (\d+\.\d) apart", board(client, slug))
        assert found is not None
        return float(found[1])

    client.put(thread, json={"goal": "given", "given": "#25787f"})
    before = apart()
    assert client.put(thread, json={"hold": True, "within": 1}).status_code == 200
    assert apart() < before and "held within" in board(client, slug)
    assert client.put(thread, json={"hold": True, "within": 0}).status_code == 422
    assert "the bowl, within 1.0" in client.get(f"/series/{slug}/trim").text
    assert client.put(thread, json={"hold": False}).status_code == 200
    assert apart() == before and "within 1.0" not in client.get(f"/series/{slug}/trim").text


def test_what_is_wrong_is_refused_in_words(client: TestClient, slug: str, studio: Studio, thread: str) -> None:
    frame = frames_of(studio, slug)[0]
    at = f"/series/{slug}/threads/frames/{frame}"
    wrong = (
        (at, {"pointed": []}),
        (at, {"pointed": [{"x": 1.5, "y": 0}]}),
        (at, {"pointed": [PLACE | {"inside": False}]}),
        (at, {"pointed": [PLACE] * 30}),
    )
    for address, json in wrong:
        answer = client.post(address, json=json)
        assert answer.status_code == 422 and answer.json()["message"], json
    for asked in ({"goal": "given", "given": "the colour of the sea"}, {"name": " "}, {"goal": "shiny"}):
        assert client.put(thread, json=asked).status_code == 422, asked
    assert client.post(f"/series/{slug}/threads/sideways").status_code == 422
    assert client.delete(f"{thread}/frames/{frame}").status_code == 200 and "<b>the bowl</b>, 1 frame<" in board(
        client, slug
    )
    assert client.delete(thread).status_code == 200 and client.delete(thread).status_code == 404


def test_what_is_doubtful_is_asked_about_and_answered_once(
    client: TestClient, slug: str, studio: Studio, monkeypatch: pytest.MonkeyPatch
) -> None:
    first, second = frames_of(studio, slug)
    answer = client.post(f"/series/{slug}/threads/frames/{first}", json={"pointed": [PLACE], "name": "the bowl"})
    thread = f"/series/{slug}/threads/{answer.json()['thread']}"
    assert "looking for it in the other frames" in board(client, slug)
    monkeypatch.setattr(following, "SURE", 1.1)
    monkeypatch.setattr(following, "DOUBTFUL", 0.0)
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug).id
        session.execute(text("DELETE FROM procrastinate_jobs"))  # which is done here
    following.follow(studio, series)
    shown = board(client, slug)
    assert "Is this it?" in shown and f'data-question="{second}"' in shown and "looking for it" not in shown
    assert re.search(r'viewBox="[\d.]+ [\d.]+ [\d.]+ [\d.]+" role="img" aria-label="perhaps in', shown)
    assert "1 question" in board(client, slug, "thread=new") and "Is this it?" not in board(client, slug, "thread=new")
    asked = f"{thread}/frames/{second}/answer"
    assert client.post(asked, json={"answer": "perhaps"}).status_code == 422
    assert client.post(asked, json={"answer": "yes"}).status_code == 200
    assert "2 frames" in board(client, slug) and "Is this it?" not in board(client, slug)
    assert client.post(asked, json={"answer": "no"}).status_code == 404, "it is asked no more"
