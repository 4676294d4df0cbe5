"""The lookbook over HTTP: its pages, what it refuses, and that a look that is tried on changes nothing."""

import html
import io
import json
import re
import uuid
import zipfile
from itertools import pairwise
from typing import Any

import cv2
import numpy as np
import pytest
from starlette.testclient import TestClient

from nuvett.core.spaces.rgb import Space, from_linear, to_linear
from nuvett.core.table.cube import read_cube, write_cube
from nuvett.core.table.table import grid
from nuvett.core.types import Encoded01
from nuvett.imaging.encode import Format, encode
from nuvett.services.lookbook import book, book_list
from nuvett.services.platform.studio import Studio
from nuvett.services.series import catalogue
from nuvett.web.views.keys import KEYS
from tests.conftest import DEMO, drain
from tests.web.driving import revision_at
from tests.web.test_pages import controls_of

CUBE = write_cube((grid(9) ** 1.4).astype(np.float32), "Evening").encode()
PARTS = ["tone", "zones", "white", "aim-tone", "aim-colour", "all"]


def frames_of(studio: Studio, slug: str) -> list[str]:
    with studio.database.session() as session:
        return [str(f.id) for f in catalogue.ready_frames(session, catalogue.find_series(session, slug).id)]


def keep(client: TestClient, slug: str, name: str = "Evening", **labels: Any) -> str:
    made = client.post(f"/series/{slug}/kept", json={"name": name, "parts": PARTS, **labels})
    assert made.status_code == 201, made.text
    return str(made.json()["id"])


def look_of(client: TestClient, slug: str) -> dict[str, Any]:
    return client.get(f"/series/{slug}/look").json()  # type: ignore[no-any-return]


def change(client: TestClient, slug: str, **document: Any) -> None:
    revision = look_of(client, slug)["revision"]
    assert client.put(f"/series/{slug}/look", json={"document": document, "revision": revision}).status_code == 200


def picture_at(client: TestClient, address: str) -> np.ndarray:
    answer = client.get(address)
    assert answer.headers["content-type"] == "image/jpeg" and "immutable" in answer.headers["cache-control"]
    return cv2.imdecode(np.frombuffer(answer.content, np.uint8), cv2.IMREAD_COLOR).astype(int)


def test_the_page_shows_rows_whose_pictures_are_the_frames_under_each_look(
    client: TestClient, slug: str, studio: Studio
) -> None:
    change(client, slug, white={"warmth": 40})
    look = keep(client, slug, "Warm", favourite=True, use_when="lamps <in> frame")
    page = client.get(f"/lookbook?series={slug}")
    assert page.status_code == 200 and page.text.count("data-kept=") == 13 and "lamps &lt;in&gt; frame" in page.text
    only = client.get(f"/lookbook?series={slug}&show=favourites").text
    (src,) = re.findall(r'src="(/lookbook/[^"]+row\.jpg[^"]+)"', only)
    row = picture_at(client, src.replace("&amp;", "&"))
    assert row.shape == (120, 360, 3)
    assert only.count("The reference it aims at") == 2 and page.text.count("/reference.jpg") == 1
    (came,) = set(re.findall(r'src="(/lookbook/as-came[^"]+)"', only))
    plain = cv2.imdecode(np.frombuffer(client.get(came.replace("&amp;", "&")).content, np.uint8), 1).astype(int)
    assert (row - plain)[..., 2].mean() > (row - plain)[..., 0].mean() + 10  # warmer
    assert np.array_equal(picture_at(client, src.replace("&amp;", "&")), row)
    weaker = client.get(src.replace("&amp;", "&").replace("strength=100", "strength=50")).content
    half = cv2.imdecode(np.frombuffer(weaker, np.uint8), 1).astype(int)
    far, near = np.abs(row - plain).mean(), np.abs(half - plain).mean()
    assert 0.25 * far < near < 0.8 * far
    words = client.get(f"/lookbook/{look}/words?{src.split('?')[1]}".replace("&amp;", "&")).text
    assert "lands" in words and "from its target" in words


def test_rows_sort_by_what_suits_the_series_with_the_reason(client: TestClient, slug: str) -> None:
    page = client.get(f"/lookbook?series={slug}&sort=suits").text
    said = re.findall(r"lands ([\d.]+) from its target and [^(]+\(([\d.]+)\)", page)
    costs = [float(drift) + float(bent) for drift, bent in said]
    assert len(costs) == 12 and max(costs) > min(costs) + 1
    assert all(after > before - 0.15 for before, after in pairwise(costs))
    used = client.get(f"/lookbook?series={slug}&sort=used").text
    first = re.findall(r'data-kept="([^"]+)"', used)[3]
    assert client.post(f"/lookbook/{first}/use", json={"series": slug}).status_code == 200
    again = client.get(f"/lookbook?series={slug}&sort=used").text
    assert re.findall(r'data-kept="([^"]+)"', again)[0] == first


def test_the_lookbook_stands_without_a_series_and_says_so(client: TestClient) -> None:
    page = client.get("/lookbook").text
    assert "Looks are tried on one’s own frames" in page and page.count("data-kept=") == 12
    assert client.get("/lookbook?series=nowhere").status_code == 404
    assert client.get("/lookbook?frames=shoes").status_code == 422
    many = ",".join(str(uuid.uuid4()) for _ in range(9))
    assert client.get(f"/lookbook?frames={many}").status_code == 422


def test_keys_of_the_book_work_controls(client: TestClient, slug: str) -> None:
    listed, controls = {key.key for key in KEYS["lookbook"]}, controls_of(client.get(f"/lookbook?series={slug}").text)
    assert listed <= controls and controls - listed - {key.key for key in KEYS["everywhere"]} == set()


def test_pointing_at_a_look_shows_it_and_changes_nothing_and_taking_it_can_be_undone(
    client: TestClient, slug: str, studio: Studio
) -> None:
    client.post(f"/series/{slug}/carry")
    frame = frames_of(studio, slug)[0]
    before = look_of(client, slug)
    strip = client.get(f"/series/{slug}/frames/{frame}/looks").text
    looks = re.findall(r'data-try="([^"]+)"', strip)
    assert len(looks) == 12
    for where in ("shape", "trim"):
        asked = {"kept": looks[1], "strength": 80}
        found = client.post(f"/series/{slug}/frames/{frame}/looks/{where}", json=asked).json()["pictures"]
        assert client.get(found["look"]).status_code == 200
    assert look_of(client, slug)["document"] == before["document"]
    used = client.post(f"/lookbook/{looks[1]}/use", json={"series": slug, "strength": 80})
    assert used.json()["words"] == "Winter fair has Chalk and lilac, version 1 of the lookbook, at 80 % for its draft."
    after = look_of(client, slug)
    assert after["document"]["strength"] == 80
    assert "from <a" in after["history"] and "aim-own" in after["history"]
    drafted = {"document": after["document"], "frame": frame, "parts": False}
    shown = client.post(f"/series/{slug}/shape/draft", json=drafted)
    tried = client.post(f"/series/{slug}/frames/{frame}/looks/shape", json=asked).json()["pictures"]["look"]
    assert shown.json()["pictures"]["look"] == tried  # what was tried on is what is there now
    assert (
        client.post(f"/series/{slug}/look/undo", json=revision_at(client, f"/series/{slug}/look")).json()["document"]
        == before["document"]
    )
    assert client.post(f"/series/{slug}/frames/{frame}/looks/moon", json=asked).status_code == 404
    assert client.post(f"/lookbook/{uuid.uuid4()}/use", json={"series": slug}).status_code == 404


def test_the_look_in_hand_goes_to_another_series_and_a_draft_aims_at_its_own_again(
    client: TestClient, slug: str, studio: Studio
) -> None:
    change(client, slug, white={"warmth": 17})
    client.post("/series", data={"title": "Spring fair"})
    path = DEMO / "frames" / "AT-0103.jpg"
    client.post("/series/spring-fair/frames", files={"file": (path.name, path.read_bytes())})
    drain(studio)
    answer = client.post(f"/series/{slug}/look/carry-to", data={"series": "spring-fair"}, follow_redirects=False)
    assert (answer.status_code, answer.headers["location"]) == (303, "/series/spring-fair/carry")
    assert look_of(client, "spring-fair")["document"]["white"]["warmth"] == 17
    assert "a target of its own" in look_of(client, "spring-fair")["history"]
    assert "1 of 1 frames follow the look" in re.sub(
        r"<[^>]+>|\s+", " ", client.get("/series/spring-fair/handover").text
    ).replace("  ", " ")
    refused = client.post("/series/spring-fair/look/aim-own", follow_redirects=False)
    assert refused.status_code == 422 and "no target yet" in refused.json()["message"]
    starters = re.findall(r'data-kept="([^"]+)"', client.get(f"/lookbook?series={slug}").text)
    client.post(f"/lookbook/{starters[0]}/use", json={"series": slug})
    assert client.post(f"/series/{slug}/look/aim-own", follow_redirects=False).status_code == 303
    assert "a target of its own" not in look_of(client, slug)["history"]


def test_two_looks_stand_beside_each_other_on_any_frame(client: TestClient, slug: str, studio: Studio) -> None:
    first, second = keep(client, slug, "One"), keep(client, slug, "Two")
    frame = frames_of(studio, slug)[1]
    at = f"/series/{slug}/frames/{frame}/large"
    page = client.get(f"{at}?left={first}&right={second}").text
    assert "data-compared" in page and 'data-show="original"' in page and ">Two</button>" in page
    facts = json.loads(re.search(r"data-facts>(.+?)</script>", page, re.S)[1])  # type: ignore[index]
    assert facts["pictures"]["original"] == facts["pictures"]["look"] != facts["pictures"]["came"]  # both are one look
    assert "the draft of this series" in client.get(f"{at}?left={first}&right=draft").text
    for left in ("shoes", str(uuid.uuid4())):
        assert client.get(f"{at}?left={left}&right=draft").status_code == 404


def test_files_are_brought_in_by_what_they_are_and_written_out(client: TestClient, slug: str, studio: Studio) -> None:
    look = keep(client, slug)
    written = client.get(f"/lookbook/{look}/look.json")
    assert json.loads(written.content)["labels"]["name"] == "Evening"
    files = [
        ("file", ("Evening.cube", CUBE)),
        ("file", ("mine.json", written.content)),
        ("file", ("notes.txt", b"milk")),
        ("file", ("other.json", b'{"kind": "shoes"}')),
    ]
    answer = client.post("/lookbook/files", files=files)
    assert answer.status_code == 201 and set(answer.json()["made"]) == {"Evening 2", "Evening 3"}
    assert [one["name"] for one in answer.json()["refused"]] == ["other.json", "notes.txt"]
    assert client.post("/lookbook/files", files=files[2:]).status_code == 422
    cut = {"file": ("cut.cube", b"\n".join(CUBE.splitlines()[:400]))}
    refused = client.post("/lookbook/files", files=cut)
    assert refused.status_code == 422 and "cut off: it needs 729 lines" in refused.text
    with studio.database.session() as session:
        table = str(next(e.id for e in book_list.entries(session, book_list.BookFilter()) if e.table))
    page = client.get(f"/lookbook/{table}?series={slug}").text
    assert "It expects" in page and "9 points a side" in page
    assert (
        client.post(f"/lookbook/{table}/expects/log").json()["words"]
        == "Its lookup table expects log, sRGB primaries now."
    )
    assert client.get(f"/lookbook/{table}?series={slug}").text.count('data-do="use-version"') == 2
    assert len(json.loads(client.get("/lookbook/files/book.json").content)["looks"]) == 3
    carries = client.get(f"/lookbook/{look}/carries?series={slug}").json()
    assert carries[0].startswith("A table cannot carry")
    text = client.get(f"/lookbook/{look}/table.cube?series={slug}&size=17").text
    assert read_cube(text).shape == (17, 17, 17, 3)
    every = zipfile.ZipFile(io.BytesIO(client.get(f"/lookbook/{look}/tables.zip?series={slug}&size=9").content))
    assert every.namelist() == ["AT-0101.cube", "AT-0102.cube"]
    for bad in ("table.cube?series=nowhere", f"table.exe?series={slug}", f"tables.zip?series={slug}&suffix=exe"):
        assert client.get(f"/lookbook/{look}/{bad}").status_code == 404
    assert client.get(f"/lookbook/{look}/table.cube?series={slug}&size=4").status_code == 422


def test_labels_states_and_copies_over_http(client: TestClient, slug: str) -> None:
    look = keep(client, slug)
    at = f"/lookbook/{look}"
    assert client.post(f"{at}/labels", json={"group": "Sea", "strength": 60}).status_code == 200
    refused = client.post(f"{at}/labels", json={"name": "n" * 300})
    assert refused.status_code == 422 and "at most 80 characters" in refused.json()["message"]
    assert client.post(f"{at}/copy").json()["words"] == "Copied as Evening, a copy."
    assert client.post(f"{at}/delete").status_code == 422
    assert client.post(f"{at}/state/away").json()["words"] == "Evening is put away."
    assert client.post(f"{at}/state/shoes").status_code == 422
    assert "Put away\n      1" in client.get(f"/lookbook?series={slug}&show=away").text
    assert client.post(f"{at}/delete").status_code == 200 and client.get(at).status_code == 404
    refused = client.post(f"/series/{slug}/kept", json={"name": "x", "parts": ["shoes"]})
    assert refused.status_code == 422 and "no such part" in refused.json()["message"]
    assert client.post(f"/series/{slug}/kept", json={"name": "x", "parts": []}).status_code == 422


def test_a_newer_version_is_offered_and_a_stale_window_is_told(client: TestClient, slug: str) -> None:
    look = keep(client, slug)
    change(client, slug, white={"warmth": 9})
    at = f"/series/{slug}/kept/{look}"
    assert client.post(at, json={"number": 1, "parts": PARTS}).json()["words"] == "Kept as version 2 of Evening."
    assert client.post(at, json={"number": 2, "parts": PARTS}).json()["words"].startswith("Nothing differs")
    stale = client.post(at, json={"number": 1, "parts": ["tone"]})
    assert stale.status_code == 409 and "version 2 by now" in stale.json()["message"]
    client.post(f"/lookbook/{look}/use", json={"series": slug, "number": 1})
    assert "take version\n  2" in look_of(client, slug)["history"]


def test_health_is_a_page_with_places_and_what_mends_them(client: TestClient, slug: str, studio: Studio) -> None:
    change(client, slug, exposure={"exposure": 1.8}, tone={"amount": 0})
    page = client.get(f"/series/{slug}/health").text
    assert "Newly clipped" in page and "newly clipped" in page
    veil = re.findall(r'src="([^"]+veil\.png[^"]+clipping&amp;colour=)"', page)[0].replace("&amp;", "&")
    assert client.get(veil).headers["content-type"] == "image/png"
    assert "newly clipped" in client.get(f"/series/{slug}/health/short").text
    remedy = client.get(f"/series/{slug}/health/remedy?kind=clipped").text
    assert "all frames are clean" in remedy and "do that" in remedy
    client.post(f"/series/{slug}/health/remedy", data={"kind": "clipped"})
    assert look_of(client, slug)["document"]["exposure"]["exposure"] == 1.8
    assert "newly clipped" not in client.get(f"/series/{slug}/health").text
    assert client.get(f"/series/{slug}/health/remedy?kind=shoes").status_code == 404
    plan = re.search(r"plan=([0-9a-f]+)", veil)
    frame = frames_of(studio, slug)[0]
    for what in ("tinted", "merged", "torn"):
        shown = client.get(f"/series/{slug}/frames/{frame}/veil.png?plan={plan and plan[1]}&what={what}&edge=200")
        picture = cv2.imdecode(np.frombuffer(shown.content, np.uint8), cv2.IMREAD_UNCHANGED)
        assert shown.status_code == 200 and picture.shape == (133, 200, 4)
    look = keep(client, slug)
    assert "Health of Evening" in client.get(f"/series/{slug}/health?kept={look}").text


def test_soft_colour_is_looked_at_on_pixels_at_full_size(client: TestClient, slug: str) -> None:
    assert "Soft colour stays whole, at full size in 2 frames." in client.get(f"/series/{slug}/health/soft").text
    change(client, slug, saturation={"saturation": 100}, curve={"master": [[0, 0], [30, 10], [60, 90], [100, 100]]})
    part = client.get(f"/series/{slug}/health/soft").text
    crops = [client.get(src.replace("&amp;", "&")).content for src in re.findall(r'src="([^"]+crop[^"]+)"', part)]
    before, after = (cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR).astype(int) for data in crops[:2])
    assert before.shape == (144, 144, 3) and np.abs(after - before).mean() > 5
    remedy = client.get(f"/series/{slug}/health/remedy?kind=soft").text
    assert "all frames are clean" in remedy
    client.post(f"/series/{slug}/health/remedy", data={"kind": "soft"})
    assert "stays whole" in client.get(f"/series/{slug}/health/soft").text


def test_pairs_and_finished_pictures_over_http(client: TestClient, slug: str) -> None:
    before = (DEMO / "frames" / "AT-0101.jpg").read_bytes()
    graded = np.clip(cv2.imdecode(np.frombuffer(before, np.uint8), cv2.IMREAD_COLOR) * 0.8 + 20, 0, 255)
    after = cv2.imencode(".png", graded)[1].tobytes()
    made = client.post("/lookbook/pairs", files=[("before", ("b.jpg", before)), ("after", ("a.png", after))])
    assert made.status_code == 201
    page = client.get(f"/lookbook/{made.json()['id']}?series={slug}").text
    assert "This look is on trial." in page and "of all colours were seen" in page
    pictures = set(re.findall(r'src="(/lookbook/[^"]+/pairs/[^"]+)"', page))
    assert len(pictures) == 3 and all(client.get(src).status_code == 200 for src in pictures)
    odd = client.post(
        "/lookbook/pairs",
        files=[("before", ("b.jpg", before)), ("before", ("c.jpg", before)), ("after", ("a.png", after))],
    )
    assert odd.status_code == 422 and "other half" in odd.json()["message"]
    look = client.post("/lookbook/finished", data={"name": "Last year"}).json()["id"]
    frame = cv2.imdecode(np.frombuffer(before, np.uint8), cv2.IMREAD_COLOR)
    wide = from_linear(to_linear(Encoded01((frame[..., ::-1] / 255).astype(np.float32))), Space.P3)
    finished = encode(np.rint(np.clip(wide, 0, 1) * 255).astype(np.uint8), Format.PNG, 100, Space.P3)
    assert client.post(f"/lookbook/{look}/finished", files={"file": ("a.png", finished)}).status_code == 201
    refused = client.post(f"/lookbook/{look}/finished", files={"file": ("list.jpg", b"milk")})
    assert refused.status_code == 422 and refused.json()["message"].startswith("list: ")
    assert client.post(f"/lookbook/{look}/finished/read").json() == {"pictures": 1}
    page = client.get(f"/lookbook/{look}?series={slug}").text
    assert "Read from 1 finished picture" in page
    (src,) = re.findall(r'src="(/lookbook/[^"]+/finished/[^"]+\.jpg)"', page)
    (seen,) = re.findall(r'src="(/lookbook/[^"]+/reference\.jpg[^"]+)"', page)
    # The file is encoded in Display P3; what is shown of it has the colours of the frame that it was made of.
    for shown in (picture_at(client, src), picture_at(client, seen)):
        size = (shown.shape[1], shown.shape[0])
        assert np.abs(shown - cv2.resize(frame, size, interpolation=cv2.INTER_AREA).astype(int)).mean() < 2


def test_palettes_are_grouped_and_used_from_the_book(client: TestClient, slug: str, studio: Studio) -> None:
    with studio.database.session() as session:
        reference = catalogue.find_series(session, slug).references[0].id
    client.post(f"/series/{slug}/references/{reference}/palette/save", data={"name": "Harbour"})
    page = client.get(f"/lookbook?series={slug}&show=palettes").text
    (palette,) = re.findall(r'data-palette="([^"]+)"', page)
    assert client.post(f"/palettes/{palette}/group", data={"group": "Sea"}).json()["words"] == "Put into Sea."
    assert 'value="Sea"' in client.get(f"/lookbook?series={slug}&show=palettes").text
    for where, words in (("wash", "Wash with Harbour"), ("aim", "Aims at the colours of Harbour")):
        assert client.post(f"/palettes/{palette}/use/{where}", data={"series": slug}).status_code == 200
        assert words in look_of(client, slug)["history"]
    assert client.post(f"/palettes/{palette}/use/moon", data={"series": slug}).status_code == 404


def test_a_book_has_room_for_so_many_looks(client: TestClient, slug: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(book, "_MAX_LOOKS", 1)
    keep(client, slug)
    full = client.post(f"/series/{slug}/kept", json={"name": "More", "parts": PARTS})
    assert full.status_code == 422 and "delete some first" in full.json()["message"]


def test_pages_of_the_book_hold_nothing_that_the_policy_would_block(client: TestClient, slug: str) -> None:
    look = keep(client, slug)
    for address in (
        f"/lookbook?series={slug}",
        f"/lookbook/{look}?series={slug}",
        "/lookbook/work/out",
        f"/series/{slug}/health",
    ):
        text = client.get(address).text
        assert not re.search(r"<[^>]+\sstyle=", text) and not re.search(r"\son[a-z]+=", text)
        assert not re.search(r"<script(?![^>]*(src=|application/json))", text)


def test_a_kept_look_is_carried_to_a_set_up_where_it_suits(client: TestClient, slug: str, studio: Studio) -> None:
    change(client, slug, exposure={"exposure": 0.4})
    look = keep(client, slug, "Evening")
    with studio.database.session() as session:
        setup = catalogue.find_series(session, slug).setups[0].id
    at = f"/series/{slug}/by-setup/{setup}"
    page = client.get(f"{at}/looks").text
    assert "Evening" in page and "following" not in page and "row.jpg" in page
    drawn = html.unescape(re.findall(r'src="(/lookbook/[^"]+)"', page)[0])
    assert client.get(drawn).headers["content-type"] == "image/jpeg"
    assert client.post(f"{at}/look", data={"kept": look}, follow_redirects=False).status_code == 303
    assert "all following v1" in client.get(f"{at}/looks").text
    assert client.post(f"{at}/look", data={"kept": str(uuid.uuid4())}).status_code == 404
