"""What is done to many frames at once over HTTP: trims copied, variants, areas moved, and what trims have in common."""

import re
import uuid
from typing import Any

import cv2
import numpy as np
import pytest
from starlette.testclient import TestClient

from nuvett.services.delivery.delivery_choice import chosen_frames
from nuvett.services.delivery.delivery_settings import DeliverySettings
from nuvett.services.platform.studio import Studio
from nuvett.services.series import catalogue
from tests.conftest import DEMO, drain
from tests.web.driving import revision_at

WARMER = {"white": {"warmth": 12}}


def area(exposure: float) -> dict[str, Any]:
    return {"on": True, "area": {"parts": [{"kind": "round", "soft": 20}]}, "exposure": {"exposure": exposure}}


def frames_of(studio: Studio, slug: str) -> list[str]:
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        return [str(frame.id) for frame in catalogue.shown_frames(session, series.id)]


def trim(client: TestClient, slug: str, frame: str, document: dict[str, Any], revision: int = 1) -> None:
    address = f"/series/{slug}/frames/{frame}/trim"
    assert client.put(address, json={"document": document, "revision": revision}).status_code == 200


def trim_of(client: TestClient, slug: str, frame: str) -> dict[str, Any]:
    return client.get(f"/series/{slug}/frames/{frame}/trim").json()  # type: ignore[no-any-return]


def picture(client: TestClient, slug: str, frame: str) -> np.ndarray:
    """A frame as it is shown on Trim now."""
    draft = {"document": trim_of(client, slug, frame)["document"], "parts": False}
    address = client.post(f"/series/{slug}/frames/{frame}/trim/draft", json=draft).json()["pictures"]["look"]
    data = client.get(re.sub(r"edge=\d+", "edge=320", address)).content
    return np.asarray(cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR)).astype(int)


def test_the_same_is_done_to_other_frames_and_undone_on_each(client: TestClient, slug: str, studio: Studio) -> None:
    client.post(f"/series/{slug}/carry")
    first, second = frames_of(studio, slug)
    trim(client, slug, first, WARMER | {"exposure": {"exposure": 1}, "geometry": {"straighten": 3}})
    trim(client, slug, second, {"saturation": {"saturation": 20}})
    at = f"/series/{slug}/trims/copy"
    done = client.post(at, json={"frame": first, "frames": [first, second], "parts": ["white", "geometry"]}).json()
    assert done["words"].startswith("Done to 1 frame;")
    kept = trim_of(client, slug, second)
    document = kept["document"]
    assert document["white"]["warmth"] == 12 and document["geometry"]["straighten"] == 3
    assert document["saturation"]["saturation"] == 20 and document["exposure"] is None
    assert "As AT-0101: Warmth 0 to 12 %" in kept["history"]
    address = f"/series/{slug}/frames/{second}/trim"
    client.post(f"{address}/undo", json=revision_at(client, address))
    assert trim_of(client, slug, second)["document"]["white"] is None
    for asked in (
        {"frames": [], "parts": ["white"]},
        {"frames": [second], "parts": []},
        {"frames": [second], "parts": ["x"]},
    ):
        assert client.post(at, json={"frame": first, **asked}).status_code == 422
    assert "off 2 frames" in client.post(f"/series/{slug}/trims/off", json={"frames": [first, second]}).json()["words"]
    assert trim_of(client, slug, first)["document"]["white"] is None


def test_the_same_is_done_to_frames_of_another_series_by_parts(client: TestClient, slug: str, studio: Studio) -> None:
    first = frames_of(studio, slug)[0]
    client.post(f"/series/{slug}/duplicate")
    with studio.database.session() as session:
        there, title = next((s.slug, s.title) for s in catalogue.list_series(session) if s.slug != slug)
    other = frames_of(studio, there)
    trim(client, slug, first, WARMER | {"exposure": {"exposure": 1}})
    trim(client, there, other[0], {"white": {"warmth": -4}})
    page = client.get(f"/series/{slug}/trim?frame={first}").text
    assert f'<option value="{there}">' in page
    listed = client.get(f"/series/{slug}/trims/frames", params={"of": there}).text
    assert all(f'value="{frame}"' in listed for frame in other) and first not in listed
    asked = {"frame": first, "frames": other, "parts": ["white"], "to": there}
    lost = client.post(f"/series/{slug}/trims/copy/lost", json=asked).json()["words"]
    assert lost == "This replaces or takes away what is there: White on 1 frame."
    done = client.post(f"/series/{slug}/trims/copy", json=asked).json()["words"]
    assert done.startswith(f"Done to {len(other)} frames of {title};")
    kept = trim_of(client, there, other[0])
    assert kept["document"]["white"]["warmth"] == 12 and kept["document"]["exposure"] is None
    assert "As AT-0101 of Winter fair: Warmth −4 to 12 %" in kept["history"]
    # Frames of the one series are not found in the other.
    assert client.post(f"/series/{slug}/trims/copy", json=asked | {"to": ""}).status_code == 422
    assert client.post(f"/series/{slug}/trims/copy", json=asked | {"to": "nowhere"}).status_code == 404


def test_a_variant_hangs_beside_its_frame_and_is_handed_over_by_its_own_name(
    client: TestClient, slug: str, studio: Studio
) -> None:
    client.post(f"/series/{slug}/carry")
    first, second = frames_of(studio, slug)
    trim(client, slug, first, WARMER)
    before = picture(client, slug, second)
    at = f"/series/{slug}/variants"
    made = client.post(at, json={"frames": [first], "name": "bw"}).json()["frame"]
    assert frames_of(studio, slug) == [first, made, second]
    assert trim_of(client, slug, made)["document"]["white"]["warmth"] == 12  # it begins as its frame is
    trim(client, slug, made, {"mono": {"on": True}})
    grey = picture(client, slug, made)
    assert np.ptp(grey, axis=2).mean() < 4 < np.ptp(picture(client, slug, first), axis=2).mean()
    assert np.array_equal(picture(client, slug, second), before)  # and changes no other frame's fit
    for name, words in (("BW", "already"), ("", "needs a name"), ("x" * 41, "needs a name")):
        assert words in client.post(at, json={"frames": [first], "name": name}).json()["message"]
    wall = client.get(f"/series/{slug}/carry").text
    assert "v1 is carried" in wall and "AT-0101 bw" in wall and len(re.findall('class="mark"', wall)) == 2
    chosen = {"settings": {"what": "chosen", "size": "200"}, "frames": [made, second]}
    assert client.post(f"/series/{slug}/deliveries", json=chosen).status_code == 201
    drain(studio)
    page = client.get(f"/series/{slug}/handover").text
    (single,) = re.findall(r'data-single-files="([^"]+)"', page)
    text = client.get(f"/series/{slug}/deliveries/{single}/files").text
    assert "AT-0101 bw.jpg" in text and "AT-0101.jpg" not in text
    assert client.post(f"/series/{slug}/deliveries", json=chosen | {"frames": ["x"]}).status_code == 422
    for words in ("marked as favourite", "no longer favourite"):
        assert words in client.post(f"/series/{slug}/frames/favourites", json={"frames": [made]}).json()["words"]
    assert client.post(f"/series/{slug}/frames/{second}/variant/out").status_code == 422
    client.post(f"/series/{slug}/frames/out", json={"frames": [made]})
    assert frames_of(studio, slug) == [first, second]
    client.post(f"/series/{slug}/frames/{made}/put-back")
    assert frames_of(studio, slug) == [first, made, second]
    client.post(f"/series/{slug}/frames/out", json={"frames": [first]})
    assert frames_of(studio, slug) == [second]  # with the frame go its variants


def test_an_area_moves_into_the_look_and_out_of_one_frame(client: TestClient, slug: str, studio: Studio) -> None:
    client.post(f"/series/{slug}/carry")
    first, second = frames_of(studio, slug)
    darker = {"key": "a1", "area": {"parts": [{"kind": "tone", "low": 50}]}, "exposure": {"exposure": -1}}
    brushed = {"area": {"parts": [{"kind": "brush"}]}}
    trim(client, slug, first, {"areas": [darker, brushed]})
    plain = picture(client, slug, second)
    at = f"/series/{slug}/frames/{first}/trim/into-look"
    assert "can go into a look" in client.post(at, json={"parts": ["area.1"], "revision": 2}).json()["message"]
    assert "another window" in client.post(at, json={"parts": ["area.0"], "revision": 1}).json()["message"]
    assert "In the look now: " in client.post(at, json={"parts": ["area.0"], "revision": 2}).json()["words"]
    assert len(trim_of(client, slug, first)["document"]["areas"]) == 1
    client.post(f"/series/{slug}/carry")
    assert picture(client, slug, second).mean() < plain.mean() - 3
    trim(client, slug, second, {"without": ["a1"]})
    assert np.abs(picture(client, slug, second) - plain).max() <= 1
    assert "use again" in trim_of(client, slug, second)["sheet"]


@pytest.mark.parametrize("value", [12, -9])
def test_what_trims_have_in_common_is_taken_into_the_look_and_no_picture_changes(
    client: TestClient, slug: str, studio: Studio, value: int
) -> None:
    for n in (3, 4, 5):
        path = DEMO / "frames" / f"AT-010{n}.jpg"
        client.post(f"/series/{slug}/frames", files={"file": (path.name, path.read_bytes())})
    drain(studio)
    client.post(f"/series/{slug}/carry")
    frames = frames_of(studio, slug)
    for frame in frames:
        trim(client, slug, frame, {"white": {"warmth": value + (frame == frames[0])}})
    before = [picture(client, slug, frame) for frame in frames]
    assert "trimmed alike" in client.get(f"/series/{slug}/trim").text
    done = client.post(f"/series/{slug}/trims/common/warmth").json()
    assert "Warmth in common" in done["words"]
    assert [trim_of(client, slug, frame)["document"]["white"] for frame in frames[1:]] == [None] * 4
    assert trim_of(client, slug, frames[0])["document"]["white"]["warmth"] == 1
    assert all(np.abs(picture(client, slug, f) - b).max() <= 1 for f, b in zip(frames, before, strict=True))
    assert "All trimmed frames" in client.get(f"/series/{slug}/shape").text
    client.post(f"/series/{slug}/trims/common/undo")
    assert trim_of(client, slug, frames[1])["document"]["white"]["warmth"] == value
    assert all(np.array_equal(picture(client, slug, f), b) for f, b in zip(frames, before, strict=True))
    client.post(f"/series/{slug}/trims/common/redo")
    trim(client, slug, frames[1], {"exposure": {"exposure": 1}}, trim_of(client, slug, frames[1])["revision"])
    refused = client.post(f"/series/{slug}/trims/common/undo")
    assert refused.status_code == 422 and "changed since" in refused.json()["message"]
    assert "nothing in common" in client.post(f"/series/{slug}/trims/common/tint").json()["message"]


def test_chosen_frames_are_straightened_as_their_lines_propose(client: TestClient, slug: str, studio: Studio) -> None:
    wall = np.full((600, 900, 3), 190, np.uint8)
    for x in range(60, 900, 90):
        wall[40:560, x : x + 45] = 90
    turned = cv2.warpAffine(
        wall, cv2.getRotationMatrix2D((450, 300), 3, 1), (900, 600), borderMode=cv2.BORDER_REPLICATE
    )
    files = {"file": ("panels.png", cv2.imencode(".png", turned)[1].tobytes())}
    panels = client.post(f"/series/{slug}/frames", files=files).json()["id"]
    drain(studio)
    frames = frames_of(studio, slug)
    done = client.post(f"/series/{slug}/trims/straighten", json={"frames": frames}).json()["words"]
    assert done == "1 frame straightened; 2 said nothing."
    kept = trim_of(client, slug, panels)
    assert kept["document"]["geometry"]["straighten"] == pytest.approx(3, abs=0.3)
    assert "As proposed: Straightened by" in kept["history"]


def test_what_copying_would_lose_is_told_before_and_areas_are_added(
    client: TestClient, slug: str, studio: Studio
) -> None:
    client.post(f"/series/{slug}/carry")
    first, second = frames_of(studio, slug)
    trim(client, slug, first, WARMER | {"areas": [area(-1)]})
    trim(client, slug, second, {"white": {"warmth": -4}, "areas": [area(0.5)]})
    asked = {"frame": first, "frames": [first, second], "parts": ["white", "areas"]}
    lost, at = f"/series/{slug}/trims/copy/lost", f"/series/{slug}/trims/copy"
    words = client.post(lost, json=asked).json()["words"]
    assert words.startswith("This replaces") and "White on 1 frame" in words and "reas on" not in words
    assert "Areas on 1 frame" in client.post(lost, json=asked | {"areas": "replace"}).json()["words"]
    assert client.post(lost, json=asked | {"parts": ["geometry"]}).json()["words"] == ""
    assert trim_of(client, slug, second)["document"]["white"]["warmth"] == -4  # asking does nothing

    def exposures() -> list[float]:
        return [one["exposure"]["exposure"] for one in trim_of(client, slug, second)["document"]["areas"]]

    client.post(at, json=asked)
    assert trim_of(client, slug, second)["document"]["white"]["warmth"] == 12 and exposures() == [0.5, -1]
    client.post(at, json=asked | {"areas": "replace"})
    assert exposures() == [-1]


def test_frames_left_out_are_neither_carried_nor_handed_over_unless_chosen(
    client: TestClient, slug: str, studio: Studio
) -> None:
    second = frames_of(studio, slug)[1]
    client.post(f"/series/{slug}/frames/left-out", json={"frames": [second]})
    client.post(f"/series/{slug}/carry")

    def following() -> list[bool]:
        with studio.database.session() as session:
            series = catalogue.find_series(session, slug)
            return [frame.follows_id is not None for frame in catalogue.shown_frames(session, series.id)]

    assert following() == [True, False]
    client.post(f"/series/{slug}/carry/chosen", json={"frames": [second]})
    assert following() == [True, True]

    def handed(settings: dict[str, Any]) -> int:
        with studio.database.session() as session:
            series = catalogue.find_series(session, slug)
            return len(chosen_frames(session, series, DeliverySettings(), **settings))

    assert handed({}) == 1 and handed({"only": [uuid.UUID(second)]}) == 1
    client.post(f"/series/{slug}/frames/left-out", json={"frames": [second]})
    assert handed({}) == 2
