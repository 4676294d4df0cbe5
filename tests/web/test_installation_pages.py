"""The installation over HTTP: whether it lives and is ready, its numbers, and what to do where something is amiss."""

import re
from dataclasses import replace

import pytest
from sqlalchemy import text
from starlette.testclient import TestClient

from nuvett.services.entry.passwords import hash_password
from nuvett.services.platform.studio import Studio
from nuvett.services.upkeep import state
from nuvett.services.upkeep.state import LONGEST_WAIT, MIN_FREE, remedies, state_of
from nuvett.web.app import make_app


def numbers(client: TestClient, **headers: str) -> dict[str, float]:
    answer = client.get("/metrics", headers=headers)
    assert answer.status_code == 200 and answer.headers["content-type"].startswith("text/plain")
    rows = [line.rsplit(" ", 1) for line in answer.text.splitlines() if not line.startswith("#")]
    return {name: float(value) for name, value in rows}


def test_it_lives_is_ready_and_tells_its_numbers(client: TestClient, slug: str, studio: Studio) -> None:
    assert client.get("/alive").text == "alive" and client.get("/ready").json() == {"ready": True, "because": ""}
    before = numbers(client)
    assert before["nuvett_frames"] == 2 and before["nuvett_store_present"] == 1
    assert before["nuvett_store_free_bytes"] > 0
    client.post(f"/series/{slug}/threads/frames/{frame_of(studio)}", json={"pointed": [{"x": 0.53, "y": 0.74}]})
    after = numbers(client)
    assert after['nuvett_jobs_waiting{task="follow"}'] == 1 and after["nuvett_jobs_oldest_seconds"] >= 0
    with studio.database.session() as session:
        session.execute(text("UPDATE procrastinate_events SET at = at - interval '1 hour'"))
    page = client.get("/installation").text
    assert "Work has been waiting for 60 minutes" in page and "No worker gives a sign of life" in page
    assert "python -m nuvett.jobs" in page and "wants a look" in page and "Winter fair" in page
    assert 'href="/installation"' in client.get("/").text


def frame_of(studio: Studio) -> str:
    with studio.database.session() as session:
        return str(session.scalar(text("SELECT id FROM frame ORDER BY position LIMIT 1")))


def test_workers_that_fell_silent_are_told_from_those_at_work(studio: Studio) -> None:
    with studio.database.session() as session:
        session.execute(
            text("INSERT INTO procrastinate_workers (last_heartbeat) VALUES (now()), (now() - interval '1 hour')")
        )
    found = state_of(studio)
    assert (found.workers, found.silent) == (1, 1)
    assert [one.amiss for one in remedies(found)] == ["1 worker has fallen silent."]


def test_each_thing_that_is_amiss_has_its_remedy_and_nothing_else(studio: Studio) -> None:
    well = replace(state_of(studio), workers=2, silent=0, oldest=0.0, failed=0, free=MIN_FREE, absent="")
    assert remedies(well) == []
    for change in (
        {"absent": "The storage cannot be reached."},
        {"workers": 0},
        {"silent": 2},
        {"oldest": LONGEST_WAIT + 1},
        {"free": MIN_FREE - 1},
        {"failed": 1},
    ):
        (found,) = remedies(replace(well, **change))  # type: ignore[arg-type]
        assert found.amiss.endswith(".") and len(found.doing) > 20
    assert remedies(replace(well, free=None, oldest=LONGEST_WAIT)) == []


def test_what_is_not_there_makes_it_not_ready(
    client: TestClient, studio: Studio, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(state, "absence", lambda studio: "The storage /secret/place is away.")
    answer = client.get("/ready")
    assert answer.status_code == 503 and answer.json() == {
        "ready": False,
        "because": "The storage of pictures is not there.",
    }
    assert numbers(client)["nuvett_store_present"] == 0 and client.get("/alive").status_code == 200


def test_behind_a_password_numbers_need_a_key_or_a_session(studio: Studio) -> None:
    closed = {"password": hash_password("a long password"), "metrics_key": ""}
    for key, given, status in (("", "Bearer ", 401), ("secret", "Bearer wrong", 401), ("secret", "Bearer secret", 200)):
        settings = studio.settings.model_copy(update=closed | {"metrics_key": key})
        own = replace(studio, settings=settings)
        with TestClient(make_app(settings, own), base_url="http://127.0.0.1:8760") as client:
            assert client.get("/metrics", headers={"authorization": given}).status_code == status
            assert client.get("/alive").status_code == client.get("/ready").status_code == 200
            assert client.get("/installation", follow_redirects=False).status_code in (303, 401)
            client.post("/sign-in", data={"password": "a long password"}, headers={"origin": "http://127.0.0.1:8760"})
            assert client.get("/metrics").status_code == 200
    assert not re.search("secret", repr(settings)), "the key is not printed"
