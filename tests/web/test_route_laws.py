"""Laws of all routes: what belongs to another series is not there, and every answer carries the policy."""

import re
import uuid
from typing import Any

import pytest
from sqlalchemy import select
from starlette.testclient import TestClient

from nuvett.services.delivery import deliveries
from nuvett.services.delivery.delivery_settings import DeliverySettings
from nuvett.services.looks import carrying
from nuvett.services.platform.studio import Studio
from nuvett.services.references import clips
from nuvett.services.series import catalogue
from nuvett.services.threads import threads
from nuvett.settings import Settings
from nuvett.store import models
from nuvett.web.app import make_app
from tests.conftest import DEMO, drain

PLACE = [0.5, 0.5]
LOOK: dict[str, Any] = {"document": {}, "revision": 1}
# Bodies that would do, by the end of the address, so that nothing but the id is wrong.
JSON: dict[str, dict[str, Any]] = {
    "/kept/{look_id}": {"parts": ["tone"], "number": 1},
    "/looks/{where}": {"kept": str(uuid.uuid4())},
    "/lens": {"lens": "off"},
    "/references/{reference_id}/draft": {},
    "/sampling": {},
    "/trim/pick": {"place": PLACE, "what": "hue", "document": {}},
    "/shape/pick": {"place": PLACE, "what": "hue", "document": {}},
    "/pick": {"place": PLACE},
    "/palette": {"do": "find again"},
    "/trim/draft": {"document": {}},
    "/trim": LOOK,
    "/threads/frames/{frame_id}": {"pointed": [{"x": 0.5, "y": 0.5}]},
    "/threads/{thread_id}": {"name": "x"},
    "/answer": {"answer": "yes"},
    "/trim/step/{number}": {"revision": 1},
    "/trim/step/{number}/name": {"name": "x"},
    "/trim/other": {"document": {}, "what": "step 1"},
    "/trim/undo": {"revision": 1},
    "/trim/redo": {"revision": 1},
    "/trim/into-look": {"parts": ["exposure"], "revision": 1},
}
FORMS = {
    "/base": {"base": "own"},
    "/develop": {"how": "neutral"},
    "/name": {"name": "x"},
    "/by-setup/{setup_id}": {"revision": "1"},
    "/by-setup/{setup_id}/look": {"kept": str(uuid.uuid4())},
    "/by-setup/{setup_id}/veil": {"light": "0.3", "a": "0", "b": "0"},
    "/palette/save": {"name": "x"},
    "/parts": {"name": "x"},
}
QUERY = {"place": "0,0,8,8", "x": "0.5", "y": "0.5", "number": "1"}
WORDS = {"{where}": "shape", "{action}": "stop", "{name}": "a.jpg", "{kind}": "css", "{number}": "1", "{key}": "none"}
# A frame of any series may become a reference; settings are kept for all series.
OPEN = (
    "/series/{slug}/frames/{frame_id}/reference",
    "/series/{slug}/frames/{frame_id}/finished",
    "/series/{slug}/handover/settings/{kept_id}/forget",
)


def described() -> list[tuple[str, str]]:
    app = make_app(Settings(), None)  # type: ignore[arg-type]
    paths = app.openapi()["paths"]
    return [(method.upper(), path) for path, methods in paths.items() for method in methods]


OWNED = [(m, p) for m, p in described() if p.startswith("/series/{slug}/") and "_id}" in p and p not in OPEN]


@pytest.fixture
def theirs(client: TestClient, slug: str, studio: Studio) -> dict[str, str]:
    """Ids of everything of a series, while another one is asked for."""
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        with next(DEMO.rglob("*.webm")).open("rb") as stream:
            clip = clips.add_clip(session, studio, series, "clip.webm", stream)
        carrying.carry(session, series)
        delivery = deliveries.order_delivery(session, studio, series, DeliverySettings(size=64))
        found = {
            "{frame_id}": str(series.frames[0].id),
            "{reference_id}": str(series.references[0].id),
            "{setup_id}": str(session.scalars(select(models.SetUpRow)).first().id),  # type: ignore[union-attr]
            "{delivery_id}": str(delivery.id),
            "{clip_id}": str(clip.id),
            "{palette_id}": str(uuid.uuid4()),
            "{look_id}": str(uuid.uuid4()),
            "{thread_id}": str(threads.start_thread(session, series, "jug").id),
        }
    drain(studio)
    client.post("/series", data={"title": "Other"})
    return found


def body_of(path: str, table: dict[str, dict[str, Any]]) -> dict[str, Any] | None:
    ends = [end for end in table if path.endswith(end)]
    return table[max(ends, key=len)] if ends else None


def ask(client: TestClient, method: str, path: str, values: dict[str, str]) -> int:
    address = re.sub(r"\{\w+\}", lambda name: (values | WORDS)[name[0]], path)
    json = body_of(path, JSON)
    data = body_of(path, FORMS) if json is None else None
    return client.request(method, address, params=QUERY, json=json, data=data, follow_redirects=False).status_code


def test_every_id_of_another_series_answers_404_on_every_route(client: TestClient, theirs: dict[str, str]) -> None:
    assert len(OWNED) > 40
    for method, path in OWNED:
        assert ask(client, method, path, theirs | {"{slug}": "other"}) == 404, (method, path)
    with_own = theirs | {"{slug}": "winter-fair"}
    for path in (
        "frames/{frame_id}/trim",
        "references/{reference_id}/picture.jpg",
        "deliveries/{delivery_id}/files.zip",
    ):
        assert ask(client, "GET", f"/series/{{slug}}/{path}", with_own) == 200, path


def test_every_refusal_carries_the_policy_and_pages_are_not_stored(client: TestClient) -> None:
    answers = [
        client.get("/"),
        client.get("/nothing"),
        client.get("/", headers={"host": "elsewhere.example"}),
        client.post("/series", headers={"sec-fetch-site": "cross-site"}),
        client.post("/series", headers={"content-length": "99999999999"}),
        client.post("/series", content=b"x" * 1_200_000),
    ]
    assert [a.status_code for a in answers] == [200, 404, 421, 403, 413, 413]
    for answer in answers:
        for name in ("content-security-policy", "x-content-type-options", "referrer-policy"):
            assert name in answer.headers, (answer.status_code, name)
    assert answers[0].headers["cache-control"] == "no-store"
    assert client.get("/", headers={"host": "LocalHost:8760"}).status_code == 200
    folder = client.post("/series/x/watch", data={"folder": "a\x00b"})
    assert folder.status_code in (404, 422)


def test_a_folder_with_a_nul_or_beside_the_one_that_is_meant_is_refused(client: TestClient, slug: str) -> None:
    for folder in ("a\x00b", "../out-secret", "a/../../folders-secret"):
        answer = client.post(f"/series/{slug}/watch", data={"folder": folder})
        assert answer.status_code == 422, folder
