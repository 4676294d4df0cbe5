"""Beyond loopback: refused without a password, and with one nothing is seen or changed without signing in."""

import dataclasses
import threading
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import pytest
from starlette.testclient import TestClient

from nuvett.services.entry.passwords import hash_password
from nuvett.services.platform.studio import Studio
from nuvett.settings import Settings
from nuvett.web.app import make_app
from nuvett.web.security import signin
from nuvett.web.security.signin import refusal_to_listen, safe_next

PASSWORD = "correct horse battery"
HTML = {"accept": "text/html"}


@pytest.fixture
def client(studio: Studio) -> Iterator[TestClient]:
    settings = studio.settings.model_copy(update={"password": hash_password(PASSWORD)})
    locked = dataclasses.replace(studio, settings=settings)
    with TestClient(make_app(settings, locked), base_url="http://127.0.0.1:8760", follow_redirects=False) as made:
        yield made


def test_every_route_lies_behind_the_gate(client: TestClient) -> None:
    described = client.app.openapi()["paths"]  # type: ignore[attr-defined]
    paths = [(path, method.upper()) for path, methods in described.items() for method in methods]
    assert len(paths) > 60
    for path, method in paths:
        if path in ("/sign-in", "/alive", "/ready"):  # which tell nothing of what is kept
            continue
        answer = client.request(method, path.replace("{slug}", "x"), headers={"accept": "application/json"})
        assert answer.status_code == 401, (method, path)
    assert (
        client.get("/series/x/gather?a=1", headers=HTML).headers["location"] == "/sign-in?next=/series/x/gather%3Fa%3D1"
    )
    assert client.get("/static/app.css").status_code == 200


def test_signing_in_opens_signing_out_closes_and_the_cookie_is_kept_from_scripts(client: TestClient) -> None:
    assert "Sign in" in client.get("/sign-in").text
    wrong = client.post("/sign-in", data={"password": "wrong"})
    assert wrong.status_code == 403 and "set-cookie" not in wrong.headers
    right = client.post("/sign-in", data={"password": PASSWORD, "next": "/glossary"})
    assert right.headers["location"] == "/glossary"
    cookie = right.headers["set-cookie"]
    assert "HttpOnly" in cookie and "SameSite=strict" in cookie and PASSWORD not in cookie
    assert "Sign out" in client.get("/", headers=HTML).text
    kept = client.cookies[signin.COOKIE]
    client.post("/sign-out")
    client.cookies.set(signin.COOKIE, kept)
    assert client.get("/", headers=HTML).status_code == 303
    client.cookies.set(signin.COOKIE, "guessed")
    assert client.get("/", headers=HTML).status_code == 303


@pytest.mark.parametrize(
    ("asked", "tls", "secure"), [("http", False, False), ("https", False, True), ("http", True, True)]
)
def test_the_cookie_goes_over_encrypted_ways_alone_where_there_is_one(
    studio: Studio, asked: str, tls: bool, secure: bool
) -> None:
    settings = studio.settings.model_copy(update={"password": hash_password(PASSWORD), "tls": tls})
    locked = dataclasses.replace(studio, settings=settings)
    with TestClient(make_app(settings, locked), base_url=f"{asked}://127.0.0.1", follow_redirects=False) as client:
        cookie = client.post("/sign-in", data={"password": PASSWORD}).headers["set-cookie"]
    assert ("secure" in cookie.lower().split("; ")) is secure


def test_attempts_are_limited_even_for_the_right_password(client: TestClient) -> None:
    for _ in range(5):
        assert client.post("/sign-in", data={"password": "wrong"}).status_code == 403
    limited = client.post("/sign-in", data={"password": PASSWORD})
    assert limited.status_code == 429 and "seconds" in limited.text


@pytest.mark.parametrize(
    ("asked", "found"),
    [
        ("/series/x", "/series/x"),
        ("//evil.example", "/"),
        ("https://evil.example/", "/"),
        ("/\\evil.example", "/"),
        ("evil", "/"),
    ],
)
def test_signing_in_leads_to_this_application_alone(asked: str, found: str) -> None:
    assert safe_next(asked) == found


def test_another_address_needs_a_password_and_the_names_it_is_asked_for_by() -> None:
    hashed = hash_password(PASSWORD)
    assert refusal_to_listen(Settings()) == ""
    assert "NUVETT_PASSWORD" in refusal_to_listen(Settings(host="0.0.0.0"))
    assert "NUVETT_PASSWORD" in refusal_to_listen(Settings(host="::", password="plain words"))
    assert "NUVETT_HOSTS" in refusal_to_listen(Settings(host="192.0.2.1", password=hashed))
    assert refusal_to_listen(Settings(host="0.0.0.0", password=hashed, hosts=("photos.example.org",))) == ""


def test_pages_answer_while_all_that_computes_is_busy(studio: Studio, monkeypatch: pytest.MonkeyPatch) -> None:
    release = threading.Event()

    def slow(*_: Any) -> None:
        release.wait(20)

    monkeypatch.setattr("nuvett.web.routes.shelf.measure_series", slow)
    with TestClient(make_app(studio.settings, studio), base_url="http://127.0.0.1:8760") as client:
        client.post("/series", data={"title": "Busy"})
        with ThreadPoolExecutor(60) as pool:
            asked = [pool.submit(client.get, "/series/busy/drift") for _ in range(50)]
            time.sleep(0.5)
            started = time.monotonic()
            assert client.get("/glossary").status_code == 200 and client.get("/static/app.css").status_code == 200
            assert time.monotonic() - started < 5
            release.set()
            assert {answer.result().status_code for answer in asked} == {200}
