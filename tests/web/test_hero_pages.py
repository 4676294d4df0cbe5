"""Pages of looks made by hand, of finished frames as references, and of the look by set-up."""

import re

import pytest
from starlette.testclient import TestClient

from nuvett.services.platform.studio import Studio
from nuvett.services.series import catalogue
from tests.conftest import DEMO, drain
from tests.web.test_lookbook import change, look_of


@pytest.fixture
def bare(client: TestClient, studio: Studio) -> str:
    """A series of three frames without any reference."""
    client.post("/series", data={"title": "Bare"})
    for n in (1, 2, 7):
        path = DEMO / "frames" / f"AT-010{n}.jpg"
        client.post("/series/bare/frames", files={"file": (path.name, path.read_bytes())})
    drain(studio)
    return "bare"


def words(client: TestClient, address: str) -> str:
    answer = client.get(address)
    assert answer.status_code == 200
    return re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", answer.text))


def frames(studio: Studio, slug: str) -> list[str]:
    with studio.database.session() as session:
        return [str(f.id) for f in catalogue.ready_frames(session, catalogue.find_series(session, slug).id)]


def test_without_a_target_all_screens_are_open_and_say_what_waits(client: TestClient, bare: str) -> None:
    shape = words(client, f"/series/{bare}/shape")
    assert "Wait for a target: Tone , Zone tints , Colour spread , Colour moves" in shape
    assert "Fit it to the target" not in shape
    assert "None: light is evened" in words(client, f"/series/{bare}/carry")
    assert client.get(f"/series/{bare}/carry/pull").status_code == 422
    assert "no target: all set-ups do what was made by hand" in words(client, f"/series/{bare}/by-setup")
    change(client, bare, exposure={"exposure": 0.5})
    assert client.post(f"/series/{bare}/carry", follow_redirects=False).status_code == 303
    assert "v1 is carried" in words(client, f"/series/{bare}/carry")
    assert "3 of 3 frames follow the look" in words(client, f"/series/{bare}/handover")
    assert client.get(f"/series/{bare}/look.cube").status_code == 200


def test_a_finished_frame_is_taken_renewed_and_its_look_carried_by_set_up(
    client: TestClient, studio: Studio, bare: str
) -> None:
    hero, *_ = frames(studio, bare)
    change(client, bare, exposure={"exposure": 0.5}, white={"warmth": 20})
    listed = client.get(f"/series/{bare}/read/frames").text
    assert f"/frames/{hero}/finished" in listed and "picture.jpg" not in listed
    assert "/finished" not in client.get(f"/series/{bare}/read/frames?finished=0").text
    picture = client.get(f"/series/{bare}/frames/{hero}/finished.jpg")
    assert picture.headers["content-type"] == "image/jpeg" and picture.headers["cache-control"] == "no-store"
    taken = client.post(f"/series/{bare}/frames/{hero}/finished", follow_redirects=False)
    assert taken.headers["location"] == f"/series/{bare}/read"
    drain(studio)
    assert "As it is finished now" in words(client, f"/series/{bare}/read")
    trim = {"document": {"exposure": {"exposure": 0.3}}, "revision": 1}
    assert client.put(f"/series/{bare}/frames/{hero}/trim", json=trim).status_code == 200
    read = client.get(f"/series/{bare}/read").text
    assert "Worked on since it was read." in read
    (renew,) = re.findall(r'action="(/series/bare/references/[^"]+/renew)"', read)
    assert client.post(renew, follow_redirects=False).status_code == 303
    drain(studio)
    assert "As it is finished now" in words(client, f"/series/{bare}/read")
    assert "Fit it to the target" in words(client, f"/series/{bare}/shape")
    assert client.post(f"/series/{bare}/look/aim-own", follow_redirects=False).status_code == 303
    shape = client.get(f"/series/{bare}/shape").text
    assert "Arrives by" in shape and '<option value="both" selected>' in re.sub(r"\s+", " ", shape)
    page = client.get(f"/series/{bare}/by-setup").text
    columns = re.findall(r'data-part="(/series/bare/by-setup/[0-9a-f-]+)"', page)
    assert len(columns) == 2 and page.count("<section") == 4
    first = words(client, columns[0])
    assert "proposed" in first and "the same steps leave shared things as the hero has them" in first
    revision = look_of(client, bare)["revision"]
    form = {"way": "steps", "revision": revision}
    assert client.post(columns[0], data=form, follow_redirects=False).status_code == 303
    assert client.post(columns[0], data=form, follow_redirects=False).status_code == 409, "from an older window"
    (own,) = look_of(client, bare)["document"]["setups"]
    assert (own["setup"], own["way"]) == (columns[0].rsplit("/", 1)[1], "steps")
    assert "1 set-up otherwise" in words(client, f"/series/{bare}/shape")
    assert client.post(columns[0], data={"way": "sideways", "revision": 9}).status_code == 422
    whole = {"way": "result", "revision": look_of(client, bare)["revision"]}
    assert client.post(f"/series/{bare}/by-setup", data=whole, follow_redirects=False).status_code == 303
    assert look_of(client, bare)["document"]["way"] == "result"


def test_finished_frames_stand_beside_each_other_and_go_toward_the_first(
    client: TestClient, studio: Studio, bare: str
) -> None:
    first, second, third = frames(studio, bare)
    trim = {"document": {"white": {"warmth": 30}}, "revision": 1}
    assert client.put(f"/series/{bare}/frames/{first}/trim", json=trim).status_code == 200
    assert client.get(f"/series/{bare}/beside").text.count("data-column=") == 2
    at = f"/series/{bare}/beside?of={first}:&of={second}:&of={third}:original"
    assert "warmer" in words(client, at) and client.get(at).text.count("data-beside-mat") == 3
    form = {
        "own": f"{second}:",
        "other": f"{first}:",
        "kind": "warmth",
        "share": "0.5",
        "into": "trim",
        "back": "?of=x",
    }
    answer = client.post(f"/series/{bare}/beside/go", data=form, follow_redirects=False)
    assert (answer.status_code, answer.headers["location"]) == (303, f"/series/{bare}/beside?of=x")
    assert client.get(f"/series/{bare}/frames/{second}/trim").json()["document"]["white"]["warmth"] > 3
    assert client.post(f"/series/{bare}/beside/go", data=form | {"back": "https://example.org"}).status_code == 200
    assert client.post(f"/series/{bare}/beside/go", data=form | {"share": "3"}).status_code == 422
    assert client.get(f"/series/{bare}/beside?of=nobody").status_code == 422


def test_a_part_is_kept_on_read_and_an_area_is_brought_to_it_on_shape(
    client: TestClient, studio: Studio, bare: str
) -> None:
    name = "still_2_pale_pastel.jpg"
    client.post(f"/series/{bare}/references", files={"file": (name, (DEMO / "stills" / name).read_bytes())})
    drain(studio)
    with studio.database.session() as session:
        at = f"/series/{bare}/references/{catalogue.find_series(session, bare).references[0].id}/parts"
    assert client.post(at, data={"name": "window"}, follow_redirects=False).status_code == 303
    assert client.post(at, data={"name": "window"}, follow_redirects=False).status_code == 422
    read = client.get(f"/series/{bare}/read").text
    (removed,) = re.findall(rf'action="({at}/[^"]+/remove)"', read)
    key = removed.split("/")[-2]
    area = {"area": {"parts": [{"kind": "round"}]}, "aim": key}
    change(client, bare, areas=[area])
    sheet = look_of(client, bare)["sheet"]
    assert "Brought to" in sheet and f'value="{key}" selected' in sheet and "window of still_2_pale_pastel" in sheet
    asked = {"document": look_of(client, bare)["document"], "where": 0, "frame": frames(studio, bare)[0]}
    assert client.post(f"/series/{bare}/shape/draft", json=asked).json()["missing"] == ""
    assert client.post(removed, follow_redirects=False).status_code == 303
    assert "a part that is gone" in look_of(client, bare)["sheet"]
    assert client.post(removed, follow_redirects=False).status_code == 422
