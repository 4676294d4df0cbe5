"""What the server refuses, promises and answers, without a browser."""

import html
import io
import re
from collections.abc import Iterator
from typing import Any
from urllib.parse import parse_qs, urlsplit

import cv2
import numpy as np
import pytest
from starlette.testclient import TestClient

from nuvett.core.look.look import Look
from nuvett.services.platform.studio import Studio
from nuvett.services.series import catalogue
from nuvett.web.security.guard import POLICY
from tests.conftest import drain
from tests.web.driving import revision_at


def test_foreign_hosts_are_refused(client: TestClient) -> None:
    assert client.get("/", headers={"host": "evil.example"}).status_code == 421
    assert client.get("/", headers={"host": "127.0.0.1.evil.example"}).status_code == 421
    assert client.get("/", headers={"host": "localhost:9"}).status_code == 200
    assert client.get("/", headers={"host": "[::1]:9"}).status_code == 200


@pytest.mark.parametrize(
    "headers",
    [
        {"sec-fetch-site": "cross-site"},
        {"sec-fetch-site": "same-site"},
        {"origin": "http://evil.example"},
        {"origin": "null"},
    ],
)
def test_writes_from_other_sites_are_refused(client: TestClient, headers: dict[str, str]) -> None:
    assert client.post("/series", data={"title": "Theirs"}, headers=headers).status_code == 403
    assert "Theirs" not in client.get("/").text


def test_writes_from_the_same_site_pass(client: TestClient) -> None:
    same = {"origin": "http://127.0.0.1:8760", "sec-fetch-site": "same-origin"}
    assert client.post("/series", data={"title": "Ours"}, headers=same).status_code == 200
    assert "Ours" in client.get("/").text


def test_every_answer_carries_the_policy(client: TestClient) -> None:
    for address in ("/", "/static/app.js", "/nothing-here", "/glossary"):
        headers = client.get(address).headers
        assert headers["content-security-policy"] == POLICY
        assert headers["x-content-type-options"] == "nosniff"
    assert "unsafe" not in POLICY


def test_pages_hold_no_inline_style_or_script_that_the_policy_would_block(client: TestClient, slug: str) -> None:
    for screen in ("gather", "read", "shape", "carry", "trim", "handover"):
        text = client.get(f"/series/{slug}/{screen}").text
        assert not re.search(r"<[^>]+\sstyle=", text) and not re.search(r"\son[a-z]+=", text)
        assert not re.search(r"<script(?![^>]*(src=|application/json))", text)
        assert not re.search(r'(src|href)="https?://', text)


def test_bodies_over_the_limit_are_refused(client: TestClient, slug: str) -> None:
    big = io.BytesIO(bytes(21_000_000))
    answer = client.post(f"/series/{slug}/frames", files={"file": ("big.jpg", big)})
    assert answer.status_code == 413 and "20 MB" in answer.text

    def chunks() -> Iterator[bytes]:
        yield b'--b\r\ncontent-disposition: form-data; name="file"; filename="big.jpg"\r\n\r\n'
        for _ in range(22):
            yield bytes(1_000_000)

    headers = {"content-type": "multipart/form-data; boundary=b"}
    assert client.post(f"/series/{slug}/frames", content=chunks(), headers=headers).status_code == 413


@pytest.mark.parametrize(
    "address",
    [
        "/series/none/carry",
        "/series/none/frames/00000000-0000-0000-0000-000000000000/picture.jpg",
        "/series/none/deliveries/00000000-0000-0000-0000-000000000000/files.zip",
        "/nowhere",
    ],
)
def test_what_is_not_there_answers_404_in_words(client: TestClient, address: str) -> None:
    page = client.get(address, headers={"accept": "text/html"})
    assert page.status_code == 404 and "nothing at this address" in page.text
    assert client.get(address).json()["message"]


def test_a_title_is_shown_as_text_and_never_as_markup(client: TestClient) -> None:
    client.post("/series", data={"title": "<script>alert(1)</script> & co"})
    text = client.get("/").text
    assert "<script>alert" not in text and "&lt;script&gt;alert(1)&lt;/script&gt; &amp; co" in text


def test_the_look_is_changed_kept_and_conflicts_are_told(client: TestClient, slug: str) -> None:
    look = Look().model_dump(mode="json")
    first = client.put(f"/series/{slug}/look", json={"document": {**look, "strength": 40}, "revision": 1})
    assert first.json()["revision"] == 2 and "Strength of the look 100 to 40 %" in first.json()["history"]
    late = client.put(f"/series/{slug}/look", json={"document": look, "revision": 1})
    assert late.status_code == 409 and "another window" in late.json()["message"]
    wild = client.put(f"/series/{slug}/look", json={"document": {**look, "strength": 400}, "revision": 2})
    assert wild.status_code == 422 and "strength" in wild.json()["message"]
    assert client.put(f"/series/{slug}/look", json={"document": "x", "revision": 2}).status_code == 422
    undone = client.post(f"/series/{slug}/look/undo", json=revision_at(client, f"/series/{slug}/look")).json()
    assert undone["document"]["strength"] == 100
    assert client.post(f"/series/{slug}/look/undo", json=revision_at(client, f"/series/{slug}/look")).status_code == 422
    for walk in ("undo", "redo", "step/1"):
        assert client.post(f"/series/{slug}/look/{walk}", json={"revision": 2}).status_code == 409
        assert client.post(f"/series/{slug}/look/{walk}", json={}).status_code == 422


def test_a_draft_is_pictured_without_being_kept(client: TestClient, slug: str, studio: Studio) -> None:
    look = {**Look().model_dump(mode="json"), "strength": 10}
    answer = client.post(f"/series/{slug}/shape/draft", json={"document": look, "proofs": True}).json()
    assert set(answer["pictures"]) == {"original", "evened", "look"} and "drift" in answer["instruments"]
    for address in answer["pictures"].values():
        picture = client.get(address)
        assert picture.headers["content-type"] == "image/jpeg" and "immutable" in picture.headers["cache-control"]
    crop = answer["pictures"]["look"].replace("picture.jpg", "crop.png").split("&edge")[0]
    assert client.get(f"{crop}&place=100,50,64,32").content[:4] == b"\x89PNG"
    for place in ("1,2,3", "a,0,1,1", "0,0,0,5", "0,0,9999,5", "5000,0,10,10"):
        assert client.get(f"{crop}&place={place}").status_code == 422
    with studio.database.session() as session:
        assert catalogue.look_of(session, catalogue.find_series(session, slug)).draft["strength"] == 100


def test_bringing_in_a_look_is_strict(client: TestClient, slug: str) -> None:
    address = f"/series/{slug}/look.json"
    for text, words in (("{", "damaged"), ('{"schema_version": 6}', "schema 6"), ('{"pull": -1}', "pull")):
        answer = client.post(address, files={"file": ("look.json", text.encode())}, data={"revision": 1})
        assert answer.status_code == 422 and words in answer.json()["message"]
    kept = client.get(address).content
    assert client.post(address, files={"file": ("look.json", kept)}).status_code == 422
    assert client.post(address, files={"file": ("look.json", kept)}, data={"revision": 1}).status_code == 200
    client.put(f"/series/{slug}/look", json={"document": {**Look().model_dump(), "strength": 40}, "revision": 1})
    late = client.post(address, files={"file": ("look.json", kept)}, data={"revision": 1})
    assert late.status_code == 409 and client.get(f"/series/{slug}/look").json()["document"]["strength"] == 40


@pytest.mark.parametrize(
    ("data", "status"),
    [
        ({"patches": [{"points": [[0, 0], [0.5, 0.5]]}], "colours": 4}, 200),
        ({"patches": [{"points": [[0.8, 0], [1.3, 0.5]]}]}, 422),
        ({"patches": [{"points": [[0, 0], [0.01, 0.01]]}]}, 422),
        ({"patches": [{"points": [["a", 0], [1, 1]]}]}, 422),
        ({"colours": 40}, 422),
        ({"families": [{"colour": [0.6, 0.05, 0.1], "tolerance": 60}]}, 200),
        ({"families": [{"colour": [0.5, -0.3, 0.3], "tolerance": 0}]}, 422),
        ({"tone": [90, 10]}, 422),
        ({}, 200),
    ],
)
def test_sampling_answers_with_what_was_read_or_a_sentence(
    client: TestClient, slug: str, studio: Studio, data: dict[str, object], status: int
) -> None:
    with studio.database.session() as session:
        reference = catalogue.find_series(session, slug).references[0].id
    answer = client.put(f"/series/{slug}/references/{reference}/sampling", json=data)
    assert answer.status_code == status
    assert ("Palette" in answer.text) if status == 200 else answer.json()["message"]


def test_deliveries_are_ordered_listed_and_handed_out(client: TestClient, slug: str, studio: Studio) -> None:
    output = {"format": "jpeg", "resize": {"by": "long", "pixels": "200"}}
    at = f"/series/{slug}/deliveries"

    def asked(pattern: str = "{series}-{number}", **changed: object) -> dict[str, object]:
        settings = {"outputs": [output | changed], "pattern": pattern}
        return {"settings": settings, "credits": {"creator": "Ann Example"}, "frames": None}

    assert client.post(at, json=asked()).status_code == 422
    client.post(f"/series/{slug}/carry")
    for wrong in ({"format": "gif"}, {"quality": "0"}, {"resize": {"by": "long", "pixels": 3}}, {"space": "cmyk"}):
        assert client.post(at, json=asked(**wrong)).status_code == 422  # type: ignore[arg-type]
    assert client.post(at, json=asked("{x}")).json()["message"].startswith("The name pattern may hold")
    named = client.post(f"/series/{slug}/handover/names", json=asked("a")).json()
    assert named["ends"] == ["a.jpg", "a-2.jpg"]
    assert named["words"] == ["2 files of 2 frames", "1 name would be equal and gets a number"]
    assert client.post(at, json=asked()).status_code == 201
    kept = client.post(f"/series/{slug}/handover/settings", json=asked() | {"name": "Small"}).json()["id"]
    shown = client.get(f"/series/{slug}/handover?settings={kept}").text
    assert 'value="Ann Example"' in shown and f'<option value="{kept}" selected>Small' in shown
    drain(studio)
    text = client.get(f"/series/{slug}/handover").text
    archive = re.search(r'href="([^"]+files\.zip)"', text)
    assert archive and "2 of 2 files" in text
    assert client.get(archive.group(1)).content[:2] == b"PK"
    single = re.search(r'href="([^"]+/files/[^"]+\.jpg)"', client.get(archive.group(1).removesuffix(".zip")).text)
    assert single and client.get(single.group(1)).content[:2] == b"\xff\xd8"
    assert client.get(f"/series/{slug}/look.cube?size=17").text.startswith('TITLE "Winter fair"')


def test_a_trim_changes_one_picture_and_can_be_undone(client: TestClient, slug: str, studio: Studio) -> None:
    client.post(f"/series/{slug}/carry")
    with studio.database.session() as session:
        frame = catalogue.ready_frames(session, catalogue.find_series(session, slug).id)[0].id
    address = f"/series/{slug}/frames/{frame}/trim"
    trim = {"exposure": {"exposure": 0.5}}
    before = client.post(f"{address}/draft", json={"document": {}}).json()["pictures"]["look"]
    assert client.post(f"{address}/draft", json={"document": trim}).json()["pictures"]["look"] != before
    kept = client.put(address, json={"document": trim, "revision": 1}).json()
    assert "Exposure 0.00 to 0.50 EV" in kept["history"] and kept["revision"] == 2
    assert client.put(address, json={"document": {"exposure": {"exposure": 9}}, "revision": 2}).status_code == 422
    assert client.put(address, json={"document": {"exposure": {"exposure": 1}}, "revision": 1}).status_code == 409
    assert client.post(f"{address}/undo", json=revision_at(client, address)).json()["document"]["exposure"] is None


BLUE_VASE = (0.88, 0.24)  # in the second frame


def second_frame(studio: Studio, slug: str) -> str:
    with studio.database.session() as session:
        return str(catalogue.find_series(session, slug).frames[1].id)


def test_a_colour_is_picked_as_it_comes_to_the_step_that_it_is_picked_for(
    client: TestClient, slug: str, studio: Studio
) -> None:
    page, frame = f"/series/{slug}/shape/pick", second_frame(studio, slug)

    def picked(what: str, document: dict[str, object]) -> Any:
        body = {"place": BLUE_VASE, "what": what, "document": document, "frame": frame}
        return client.post(page, json=body).json()

    plain = picked("move", {})["document"]["moves"]["own"][0]
    bare = picked("move", {"strength": 0})["document"]["moves"]["own"][0]
    assert np.linalg.norm(np.subtract(plain["source"], plain["came"])) > 0.02, "the look acts before a move by hand"
    assert bare["came"] == plain["came"] and bare["source"] == pytest.approx(plain["source"], abs=0.2)
    moved = {"white": {"warmth": 60}}
    assert picked("move", moved)["document"]["moves"]["own"][0]["source"] == plain["source"], "white stands after moves"
    hues = [picked("hue", document)["document"]["hues"]["bands"][-1]["hue"] for document in ({}, moved)]
    assert abs(hues[0] - hues[1]) > 1, "white stands before hue ranges"
    casts = picked("neutral", {})["document"]["casts"]
    assert any(casts[f"{zone}_{way}"] for zone in ("blacks", "neutrals", "whites") for way in ("red", "yellow"))
    assert "colour" in picked("area", {})
    for wrong in ({"what": "nothing"}, {"document": {"exposure": {"exposure": 40}}}, {"area": 3}, {"place": [2, 0]}):
        body = {"place": [0.5, 0.5], "what": "hue", "document": {}, **wrong}
        assert client.post(page, json=body).status_code in (409, 422)
    assert picked("hue", {"mono": {"on": True}})["document"]["hues"]["bands"], "black-and-white comes later"


def test_what_a_hue_range_takes_is_shown_in_the_picture(client: TestClient, slug: str, studio: Studio) -> None:
    picked = {"place": BLUE_VASE, "what": "hue", "document": {}, "frame": second_frame(studio, slug)}
    document = client.post(f"/series/{slug}/shape/pick", json=picked).json()["document"]
    document["hues"]["bands"][0]["chroma"] = 30
    asked = {"document": document, "frame": picked["frame"]}
    drawn = client.post(f"/series/{slug}/shape/draft", json=asked).json()["pictures"]["look"]
    plan = parse_qs(urlsplit(drawn).query)["plan"][0]
    address = drawn.split("/picture.jpg")[0] + f"/veil.png?edge=320&what=hues&plan={plan}&part=look:"
    veil = cv2.imdecode(np.frombuffer(client.get(address + "0").content, np.uint8), cv2.IMREAD_UNCHANGED)[..., 3]
    height, width = veil.shape
    assert veil[int(0.24 * height), int(0.88 * width)] < 60 < 120 < veil[int(0.9 * height), int(0.3 * width)]
    assert client.get(address + "1").status_code == 404 and client.get(address + "x").status_code == 422


def test_read_answers_while_dragging_and_keeps_only_what_is_let_go(
    client: TestClient, slug: str, studio: Studio
) -> None:
    with studio.database.session() as session:
        reference = catalogue.find_series(session, slug).references[0].id
    address = f"/series/{slug}/references/{reference}"
    page = client.get(f"/series/{slug}/read").text
    draft = client.post(f"{address}/draft", json={"sampling": {"tone": [0, 30]}}).json()
    assert draft["veil"].startswith("data:image/png") and "Tone column" in draft["tone"]
    assert draft["palette"] not in page and draft["target"] not in page
    assert client.get(f"/series/{slug}/read").text == page
    nothing = client.post(f"{address}/draft", json={"weights": {str(reference): {"tone": 0, "colour": 0}}}).json()
    assert "above 0" in nothing["target"]
    for wrong in ({"weights": {"x": 1}}, {"weights": {str(reference): {"tone": 400, "colour": 0}}}, {"sampling": 3}):
        assert client.post(f"{address}/draft", json=wrong).status_code == 422
    picked = client.post(f"{address}/pick", json={"place": [0.8, 0.4]}).json()
    assert picked["hex"].startswith("#") and 0 <= picked["below"] <= 100
    assert client.post(f"{address}/pick", json={"place": [0.8, 4]}).status_code == 422
    dark, light = (client.get(f"{address}/lit.png?lightness={v}").content for v in (20, 80))
    assert dark[:4] == light[:4] == b"\x89PNG" and dark != light
    assert client.get(f"{address}/lit.png?x=nan").status_code == 422


def test_two_windows_on_one_reference_do_not_overwrite_each_other(
    client: TestClient, slug: str, studio: Studio
) -> None:
    with studio.database.session() as session:
        reference = catalogue.find_series(session, slug).references[0].id
    address = f"/series/{slug}/references/{reference}"
    was: dict[str, object] = {"colours": 6}
    assert client.put(f"{address}/sampling", json={"colours": 8, "was": was}).status_code == 200
    late = client.put(f"{address}/sampling", json={"tone": [0, 50], "was": was})
    assert late.status_code == 409 and "another window" in late.json()["message"]
    assert client.post(f"{address}/palette", json={"do": "hold", "index": 0, "was": was}).status_code == 409
    assert client.post(f"{address}/palette", json={"do": "hold", "index": 0, "was": {"colours": 8}}).status_code == 200


def test_the_palette_is_edited_saved_used_and_handed_out(client: TestClient, slug: str, studio: Studio) -> None:
    with studio.database.session() as session:
        reference = catalogue.find_series(session, slug).references[0].id
    address = f"/series/{slug}/references/{reference}"
    held = client.post(f"{address}/palette", json={"do": "nudge", "index": 1, "lch": [50, 12, 300]})
    assert held.status_code == 200 and "violet 300" in held.text and ", held" in held.text
    assert "Palette colour changed" in held.text or "Colour held" in held.text
    for wrong in ({"do": "fly"}, {"do": "hold", "index": 40}, {"do": "nudge", "index": 0, "lch": [1]}, {"do": "merge"}):
        assert client.post(f"{address}/palette", json=wrong).status_code == 422
    saved = client.post(f"{address}/palette/save", data={"name": "Späte Lampe"}).text
    key = re.search(r'data-use="([^"]+)"', saved)
    assert key
    css = client.get(f"/palettes/{key.group(1)}.css")
    assert (
        css.headers["content-type"].startswith("text/css")
        and "filename*=UTF-8''Sp%C3%A4te" in css.headers["content-disposition"]
    )
    assert client.get(f"/palettes/{key.group(1)}.exe").status_code == 404
    assert client.post(f"{address}/palette", json={"do": "find again"}).text.count(", held") == 0
    assert "Palette Späte Lampe used" in client.post(f"{address}/use/{key.group(1)}").text
    assert client.post("/palettes/file", files={"file": ("x.gpl", b"nothing")}).status_code == 422
    gone = client.post(f"/palettes/{key.group(1)}/remove").text
    assert gone.count("data-use") == 0 and "put it back" in gone
    back = html.unescape(re.search(r'data-put-back="([^"]+)"', gone).group(1))  # type: ignore[union-attr]
    assert (
        client.post("/palettes/file", files={"file": ("palette.json", back.encode())}).json()["name"] == "Späte Lampe"
    )


def test_a_reference_taken_out_comes_back_with_undo(client: TestClient, slug: str, studio: Studio) -> None:
    with studio.database.session() as session:
        reference = catalogue.find_series(session, slug).references[0].id
    client.post(f"/series/{slug}/references/{reference}/remove")
    assert "This is where references go" in client.get(f"/series/{slug}/read").text
    assert client.get(f"/series/{slug}/references/{reference}/picture.jpg").status_code == 404
    back = client.post(f"/series/{slug}/read/undo", json={"reference": None})
    assert str(reference) in back.text
    assert client.post(f"/series/{slug}/read/sideways", json={}).status_code == 404
    assert "beside each other" in client.get(f"/series/{slug}/read/compare").text


def test_handles_are_dragged_and_other_states_stand_beside(client: TestClient, slug: str) -> None:
    address = f"/series/{slug}/shape"
    look = client.get(f"/series/{slug}/look").json()["document"]

    def dragged(handle: str, x: float, y: float) -> dict[str, object]:
        drag = {"handle": handle, "x": x, "y": y}
        return client.post(f"{address}/draft", json={"document": look, "parts": False, "drag": drag}).json()

    assert dragged("zone.shadow", 0, -40)["document"]["zones"]["shadow_hue"] == 90  # type: ignore[index]
    assert len(dragged("share.3", 3, 60)["document"]["curve"]["master"]) == 3  # type: ignore[index]
    assert "message" in dragged("share.9", 9, 60) and "message" in dragged("zone.shadow", 1e9, 0)
    plain = client.post(f"{address}/draft", json={"document": look, "parts": False}).json()["pictures"]["look"]
    half = client.post(f"{address}/other", json={"document": look, "what": "strength 50"}).json()["picture"]
    assert half != plain and client.get(half).content[:2] == b"\xff\xd8"
    for wrong in ("strength 400", "step 99", "version 7", "moon 1", ""):
        assert client.post(f"{address}/other", json={"document": look, "what": wrong}).status_code == 422
    plan = plain.partition("plan=")[2].partition("&")[0]
    clipping = client.get(plain.partition("/picture")[0] + f"/veil.png?plan={plan}")
    assert clipping.content[:4] == b"\x89PNG"
    crop = plain.partition("/picture")[0] + f"/crop.png?plan={plan}&place="
    assert client.get(f"{crop}100,100,64,64").content[:4] == b"\x89PNG"
    assert client.get(f"{crop}9000,100,64,64").status_code == 422
    part = client.get(plain.partition("/picture")[0] + f"/veil.png?plan={plan}&place=100,50,64,32")
    assert cv2.imdecode(np.frombuffer(part.content, np.uint8), cv2.IMREAD_UNCHANGED).shape == (32, 64, 4)
    for wrong in ("place=9000,100,64,64", "place=1,2,3", "edge=8", "colour=red", "part=look"):
        assert client.get(plain.partition("/picture")[0] + f"/veil.png?plan={plan}&{wrong}").status_code == 422


def test_steps_of_the_history_are_gone_to_and_looks_copied(client: TestClient, slug: str) -> None:
    address = f"/series/{slug}/look"
    start = client.get(address).json()
    for strength in (80, 60):
        now = client.get(address).json()
        client.put(address, json={"document": now["document"] | {"strength": strength}, "revision": now["revision"]})
    back = client.post(f"{address}/step/1", json=revision_at(client, address)).json()
    assert back["document"]["strength"] == 80
    client.put(address, json={"document": back["document"] | {"pull": 5}, "revision": back["revision"]})
    other = client.post(f"{address}/step/2", json=revision_at(client, address)).json()
    assert (
        other["document"]["strength"] == 60 and other["document"]["pull"] == 60 and "another branch" in other["history"]
    )
    assert client.post(f"{address}/step/0", json=revision_at(client, address)).json()["document"] == start["document"]
    assert client.post(f"{address}/step/44", json=revision_at(client, address)).status_code == 422
    client.post("/series", data={"title": "Other fair"})
    assert (
        client.post("/series/other-fair/look/copy", json={"series": slug, "parts": ["crop"], "revision": 1}).status_code
        == 422
    )
    assert client.post("/series/other-fair/look/copy", json={"series": "nowhere", "revision": 1}).status_code == 404
    client.post(f"{address}/step/2", json=revision_at(client, address))
    assert (
        client.post("/series/other-fair/look/copy", json={"series": slug, "revision": 1}).json()["document"]["strength"]
        == 60
    )
    assert client.post(f"{address}/proofs", json={"frames": ["x"]}).status_code == 422
