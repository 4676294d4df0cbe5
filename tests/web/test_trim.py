"""Trim over HTTP: areas and geometry are drawn, shown, told and refused in words."""

import json
import re
from typing import Any

import cv2
import numpy as np
import pytest
from starlette.testclient import TestClient

from nuvett.core.look.trim import Trim
from nuvett.imaging.subject import find_subject
from nuvett.services.looks.found_places import where_spots_show, where_subjects_are
from nuvett.services.platform.studio import Studio
from nuvett.services.series import catalogue
from nuvett.services.series.frame_facts import facts_of
from tests.conftest import drain
from tests.web.driving import revision_at

ROUND = {"on": True, "area": {"parts": [{"kind": "round", "soft": 20}]}, "exposure": {"exposure": -1}}


def _trimming(client: TestClient, slug: str, studio: Studio) -> str:
    client.post(f"/series/{slug}/carry")
    with studio.database.session() as session:
        frame = catalogue.ready_frames(session, catalogue.find_series(session, slug).id)[0].id
    return f"/series/{slug}/frames/{frame}/trim"


def test_an_area_is_drawn_shown_and_told(client: TestClient, slug: str, studio: Studio) -> None:
    at = _trimming(client, slug, studio)
    asked = {"document": {"areas": [ROUND]}, "where": 0, "area": 0}
    drafted = client.post(f"{at}/draft", json=asked).json()
    bare = client.post(f"{at}/draft", json={"document": {}}).json()
    assert drafted["pictures"]["look"] != bare["pictures"]["look"] and "where" not in bare
    picture, plain = (
        cv2.imdecode(np.frombuffer(client.get(d["pictures"]["look"]).content, np.uint8), cv2.IMREAD_COLOR)
        for d in (drafted, bare)
    )
    height, width = picture.shape[:2]
    middle, corner = (
        (slice(height // 2 - 9, height // 2 + 9), slice(width // 2 - 9, width // 2 + 9)),
        (slice(40), slice(40)),
    )
    assert picture[middle].mean() < plain[middle].mean() - 20 and abs(picture[corner].mean() - plain[corner].mean()) < 1
    veil = cv2.imdecode(np.frombuffer(client.get(drafted["where"]).content, np.uint8), cv2.IMREAD_UNCHANGED)
    assert veil[middle][..., 3].max() == 0 and veil[corner][..., 3].min() > 50
    dragged = client.post(f"{at}/draft", json=asked | {"drag": {"handle": "land", "x": 50, "y": 60}}).json()
    assert dragged["document"]["areas"][0]["curve"]["master"][1] == [50, 60]
    gone = client.post(f"{at}/draft", json=asked | {"area": 3})
    assert gone.status_code == 422 and "not there any more" in gone.json()["message"]
    kept = client.put(at, json={"document": {"areas": [ROUND]}, "revision": 1}).json()
    assert "Area: A radial area" in kept["history"] and 'data-area="0"' in kept["sheet"]
    many = client.put(at, json={"document": {"areas": [ROUND] * 13}, "revision": 2})
    assert many.status_code == 422 and "areas" in many.json()["message"]
    stroke = {"points": [[0.5, 0.5, 1]] * 50_000}
    endless = {"areas": [{"area": {"parts": [{"kind": "brush", "strokes": [stroke]}]}}]}
    said = client.put(at, json={"document": endless, "revision": 2}).json()["message"]
    assert "at most 4000 points, this one has 50000" in said
    assert client.get(at).json()["document"]["areas"][0]["exposure"]["exposure"] == -1


def test_a_frame_is_straightened_and_cut_and_all_of_it_follows(client: TestClient, slug: str, studio: Studio) -> None:
    at = _trimming(client, slug, studio)

    def draft(handle: str, x: float = 0, y: float = 0, **more: object) -> dict[str, Any]:
        body = {"document": draft.document, "drag": {"handle": handle, "x": x, "y": y, **more}, "uncut": True}  # type: ignore[attr-defined]
        answer = client.post(f"{at}/draft", json=body)
        if answer.status_code == 200:
            draft.document = answer.json()["document"]  # type: ignore[attr-defined]
        return answer.json()  # type: ignore[no-any-return]

    draft.document = {}  # type: ignore[attr-defined]
    placed = draft("cut.se", 0.5, 0.4)["placed"]
    assert (placed["width"], placed["height"]) == (1200, 800) and placed["cut"] == pytest.approx([0, 0, 0.5, 0.5])
    assert draft("proportion.1:1")["placed"]["cut"][3] == pytest.approx(0.5)
    assert draft("level", 0.1, 0.5, end=[0.9, 0.55])["document"]["geometry"]["straighten"] == pytest.approx(-2.4)
    assert draft("turn.right")["placed"]["width"] == 800
    assert "longer line" in draft("level", 0.5, 0.5, end=[0.5, 0.5])["message"]
    assert "no such handle" in draft("cut.middle")["message"]
    document = draft.document  # type: ignore[attr-defined]
    assert document["geometry"]["uncut"] is False
    kept = client.put(at, json={"document": document, "revision": 1}).json()
    assert "turned right, straightened by −2.4°, cropped to 1 : 1" in " ".join(kept["sheet"].split())
    page = client.get(f"{at.rsplit('/', 3)[0]}/trim?frame={at.split('/')[4]}").text
    facts = json.loads(re.search(r"data-facts>(.+?)</script>", page).group(1))  # type: ignore[union-attr]
    assert facts["placed"]["width"] == pytest.approx(facts["placed"]["height"], abs=2)
    for name, address in facts["pictures"].items():
        shown = cv2.imdecode(np.frombuffer(client.get(address).content, np.uint8), cv2.IMREAD_COLOR)
        assert abs(shown.shape[0] - shown.shape[1]) <= 2, name
    plan = facts["pictures"]["look"].split("plan=")[1].split("&")[0]
    side = facts["placed"]["width"]
    crop = client.get(f"{at.rsplit('/', 1)[0]}/crop.png?plan={plan}&place=0,0,{side},{side}")
    assert cv2.imdecode(np.frombuffer(crop.content, np.uint8), cv2.IMREAD_COLOR).shape[1] == side
    off = client.get(f"{at.rsplit('/', 1)[0]}/crop.png?plan={plan}&place={side + 5},0,50,50")
    assert off.status_code == 422 and "outside the picture" in off.json()["message"]
    assert client.get(f"{at.rsplit('/', 1)[0]}/proposal").status_code == 200
    nothing = client.put(at, json={"document": {"geometry": {"cut": [0.5, 0.5, 0, 0]}}, "revision": 2})
    assert "a crop leaves at least 4%" in nothing.json()["message"]


def test_what_stands_out_is_found_kept_and_said_when_there_is_nothing(
    client: TestClient, slug: str, studio: Studio
) -> None:
    at = _trimming(client, slug, studio)
    document = {"areas": [{"area": {"parts": [{"kind": "subject"}]}, "saturation": {"saturation": -100}}]}
    client.put(at, json={"document": document, "revision": 1})
    drain(studio)
    with studio.database.session() as session:
        first, second = catalogue.ready_frames(session, catalogue.find_series(session, slug).id)
        assert first.subject and not second.subject  # only where it is asked for
        facts = facts_of(first)
    kept = studio.bench.areas.subject(facts)
    assert np.abs(kept - find_subject(studio.bench.sources.view(facts.view))).max() <= 0.5 / 255 + 1e-6
    asked = {"document": document, "where": 0, "parts": False}
    assert client.post(f"{at}/draft", json=asked).json()["missing"] == ""
    fog = np.full((300, 450, 3), 180, np.uint8) + np.random.default_rng(0).integers(0, 3, (300, 450, 3), dtype=np.uint8)
    files = {"file": ("fog.png", cv2.imencode(".png", fog)[1].tobytes())}
    frame = client.post(f"/series/{slug}/frames", files=files).json()["id"]
    drain(studio)
    at = f"/series/{slug}/frames/{frame}/trim/draft"
    assert client.post(at, json=asked).json()["missing"] == "Nothing stands out in this frame."
    skin = {"areas": [{"area": {"parts": [{"kind": "skin"}]}, "saturation": {"saturation": -100}}]}
    assert client.post(at, json=asked | {"document": skin}).json()["missing"] == "No face was found in this frame."


def test_any_step_of_a_trim_is_gone_to_named_and_seen_beside(client: TestClient, slug: str, studio: Studio) -> None:
    with studio.database.session() as session:
        frame = str(catalogue.find_series(session, slug).frames[0].id)
    at = f"/series/{slug}/frames/{frame}/trim"
    first = revision_at(client, at)["revision"]
    for number, exposure in enumerate((0.5, 1.0, -0.5)):
        document = {"exposure": {"exposure": exposure}}
        assert client.put(at, json={"document": document, "revision": first + number}).status_code == 200
    named = client.post(f"{at}/step/1/name", json={"name": "  lighter   start "}).json()
    assert "<b>lighter start:</b>" in named["history"] and named["revision"] == first + 3
    page = client.get(f"/series/{slug}/trim?frame={frame}").text
    assert "lighter start: Exposure 0.00 to 0.50 EV" in page and "History of this trim" in page
    draft = {"document": {"exposure": {"exposure": -0.5}}}
    beside = [client.post(f"{at}/other", json={**draft, "what": f"step {n}"}).json()["picture"] for n in (1, 2)]
    now = client.post(f"{at}/draft", json=draft).json()["pictures"]["look"]
    assert len({*beside, now}) == 3
    there = client.post(f"{at}/step/1", json={"revision": first + 3}).json()
    assert there["document"]["exposure"]["exposure"] == 0.5 and there["revision"] == first + 4
    assert client.post(f"{at}/step/2", json={"revision": first + 3}).status_code == 409, "another window was faster"
    start = client.post(f"{at}/step/0", json={"revision": first + 4}).json()
    assert start["document"]["exposure"] is None
    again = client.post(f"{at}/redo", json={"revision": first + 5}).json()
    assert again["document"]["exposure"]["exposure"] == 0.5
    assert client.post(f"{at}/step/9", json={"revision": first + 6}).status_code == 422
    assert client.post(f"{at}/step/9/name", json={"name": "x"}).status_code == 422
    assert client.post(f"{at}/step/1/name", json={"name": "x" * 61}).status_code == 422
    for wrong in ("step x", "version 1", "step 99999999999", "step 7"):
        assert client.post(f"{at}/other", json={**draft, "what": wrong}).status_code == 422


def test_a_step_of_the_look_is_named_and_stays_named_on_its_branch(client: TestClient, slug: str) -> None:
    at = f"/series/{slug}/look"
    revision = client.get(at).json()["revision"]
    client.put(at, json={"document": {"tone": {"amount": 40}}, "revision": revision})
    assert "<b>soft:</b>" in client.post(f"{at}/step/1/name", json={"name": "soft"}).json()["history"]
    back = client.post(f"{at}/undo", json={"revision": revision + 1}).json()
    other = {"document": {"tone": {"amount": 90}}, "revision": back["revision"]}
    branched = client.put(at, json=other).json()["history"]
    assert "<b>soft:</b>" in branched and "(another branch)" in branched
    assert "<b>" not in client.post(f"{at}/step/1/name", json={"name": " "}).json()["history"].split("data-slot")[1]


def test_a_spot_is_painted_out_and_done_to_frames_where_it_shows(client: TestClient, slug: str, studio: Studio) -> None:
    with studio.database.session() as session:
        first, second = catalogue.find_series(session, slug).frames
        ids, size = (str(first.id), str(second.id)), (first.width, first.height)
    at = f"/series/{slug}/frames/{ids[0]}/trim"
    flat = {"geometry": {"mirrored": True}}
    asked = {"place": [0.25, 0.4], "what": "spot", "document": flat}
    spotted = client.post(f"{at}/pick", json=asked).json()["document"]
    (spot,) = spotted["spots"]
    assert (spot["x"], spot["y"]) == pytest.approx((0.75, 0.4), abs=1e-3), "places are of the original"
    assert client.post(f"/series/{slug}/shape/pick", json={**asked, "document": {}}).status_code == 422
    spotted |= {"geometry": {}, "spots": [{"x": 0.75, "y": 0.4, "radius": 3}]}
    revision = revision_at(client, at)["revision"]
    kept = client.put(at, json={"document": spotted, "revision": revision}).json()
    assert "spot painted out" in kept["history"] and "spot 1" in kept["sheet"]
    pictures = [client.post(f"{at}/draft", json={"document": d}).json()["pictures"]["look"] for d in ({}, spotted)]
    plain, made = (
        cv2.imdecode(np.frombuffer(client.get(p).content, np.uint8), cv2.IMREAD_COLOR).astype(int) for p in pictures
    )
    away = np.abs(plain - made).max(axis=2)
    height, width = away.shape
    assert away[int(0.4 * height) - 8 : int(0.4 * height) + 8, int(0.75 * width) - 8 : int(0.75 * width) + 8].max() > 1
    assert away[: height // 8].max() <= 6, "nothing far from it changes but what a JPEG does"
    copied = client.post(f"/series/{slug}/trims/copy", json={"frame": ids[0], "frames": [ids[1]], "parts": ["spots"]})
    assert copied.status_code == 200
    there = client.get(f"/series/{slug}/frames/{ids[1]}/trim").json()["document"]["spots"]
    with studio.database.session() as session:
        facts = facts_of(catalogue.find_series(session, slug).frames[1])
    expected = where_spots_show(studio.bench, Trim.model_validate(spotted).spots, [facts])[facts.id]
    assert len(there) == len(expected) and size[0] > 0


def test_a_crop_is_done_to_other_frames_about_their_subject(client: TestClient, slug: str, studio: Studio) -> None:
    with studio.database.session() as session:
        first, second = (str(frame.id) for frame in catalogue.find_series(session, slug).frames)
    at = f"/series/{slug}/frames/{second}/trim"
    cut = {"geometry": {"cut": [0.3, 0.02, 0.4, 0.4], "proportion": "free"}}
    client.put(at, json={"document": cut, "revision": revision_at(client, at)["revision"]})
    asked = {"frame": second, "frames": [first], "parts": ["geometry"]}

    def copied(about: bool) -> list[float]:
        assert client.post(f"/series/{slug}/trims/copy", json={**asked, "about_subject": about}).status_code == 200
        found: list[float] = client.get(f"/series/{slug}/frames/{first}/trim").json()["document"]["geometry"]["cut"]
        return found

    plain, moved = copied(False), copied(True)
    assert plain == pytest.approx(cut["geometry"]["cut"]) and moved[2:] == pytest.approx(plain[2:], abs=1e-3)
    with studio.database.session() as session:
        facts = [facts_of(frame) for frame in catalogue.find_series(session, slug).frames]
    middles = where_subjects_are(studio.bench, facts)
    away = [b - a for a, b in zip(middles[facts[1].id], middles[facts[0].id], strict=True)]
    expected = [min(max(0, c + d), 1 - side) for c, d, side in zip(plain, away, plain[2:], strict=False)]
    assert moved[:2] == pytest.approx(expected, abs=2e-3) and moved[:2] != plain[:2]
