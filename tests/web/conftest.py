"""A whole running copy with the demo in it, and Debian's Chromium to drive it."""

import os
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path

import psycopg
import pytest
from playwright.sync_api import Page, expect
from starlette.testclient import TestClient

from nuvett.services.platform.opening import open_installation
from nuvett.services.platform.studio import Studio
from nuvett.settings import Settings
from nuvett.web.app import make_app
from tests.conftest import DEMO, PROJECT, drain
from tests.once import Kept, Once
from tools.cluster import Cluster

STILL = DEMO / "stills" / "still_1_teal_amber.jpg"
CHROMIUM = "/usr/bin/chromium"
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-dev-shm-usage",
]


expect.set_options(timeout=90_000)  # generous: a shared machine can be very slow for a while


@pytest.fixture
def client(studio: Studio) -> Iterator[TestClient]:
    app = make_app(studio.settings, studio)
    with TestClient(app, base_url="http://127.0.0.1:8760", raise_server_exceptions=False) as made:
        yield made


@pytest.fixture
def slug(studio: Studio, client: TestClient, once: Once) -> str:
    """A series of two frames with one reference, all measured."""

    def gather() -> None:
        made = client.post("/series", data={"title": "Winter fair"}, follow_redirects=False)
        slug = made.headers["location"].split("/")[2]
        for n in (1, 2):
            path = DEMO / "frames" / f"AT-010{n}.jpg"
            sent = client.post(f"/series/{slug}/frames", files={"file": (path.name, path.read_bytes())})
            assert sent.status_code == 201
        client.post(f"/series/{slug}/references", files={"file": (STILL.name, STILL.read_bytes())})
        drain(studio)

    once.filled("two-frames", studio, gather)
    return "winter-fair"


@pytest.fixture(scope="session")
def browser_type_launch_args() -> dict[str, object]:
    return {"executable_path": CHROMIUM, "args": FLAGS}


@pytest.fixture(scope="session")
def browser_context_args() -> dict[str, object]:
    return {"viewport": {"width": 1280, "height": 800}, "reduced_motion": "reduce", "accept_downloads": True}


@pytest.fixture(scope="session")
def site(cluster: Cluster, once: Once, tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """Address of a copy started by the start command itself, with the demo in it, loaded and measured once in a run."""
    address, state = cluster.database("site"), tmp_path_factory.mktemp("state")
    studio = Studio.of(Settings(database=address, blobs=str(state / "blobs"), demo=DEMO, cache_megabytes=32))
    environment = os.environ | {
        "NUVETT_DATABASE": address,
        "NUVETT_STATE": str(state),
        "NUVETT_BLOBS": studio.settings.blobs,
        "NUVETT_STALLED_SECONDS": "3",
    }
    with ExitStack() as running:

        def started() -> str:
            return running.enter_context(_started(environment))

        def measured() -> tuple[str, Kept]:
            place = started()
            _wait_until_measured(address)
            wait_until_at_rest(address)
            return place, Kept(studio)

        (place, kept), made_now = once.found("demo", measured)
        if not made_now:
            assert open_installation(studio)
            kept.put_back(studio)
            place = started()
        yield place
    studio.database.close()


@contextmanager
def _started(environment: dict[str, str]) -> Iterator[str]:
    command = [sys.executable, "-m", "tools.serve", "--demo", "--port", "0"]
    process = subprocess.Popen(command, cwd=PROJECT, env=environment, stdout=subprocess.PIPE, text=True)
    try:
        assert process.stdout is not None
        line = process.stdout.readline()
        assert "http://" in line, f"the start command said {line!r}"
        yield line.split()[3].rstrip("/")
    finally:
        process.terminate()
        process.wait(120)
        if process.stdout is not None:
            process.stdout.close()


def wait_until_at_rest(address: str) -> None:
    """Wait until nothing is left to do: measuring, even light and what else changes a frame's plan by itself."""
    query = "SELECT count(*) FROM procrastinate_jobs WHERE status IN ('todo', 'doing')"
    for _ in range(600):
        with psycopg.connect(address) as connection:
            if connection.execute(query).fetchone() == (0,):
                return
        time.sleep(0.5)
    raise AssertionError("the queue did not come to rest in time")


def _wait_until_measured(address: str) -> None:
    query = (
        "SELECT count(*) FILTER (WHERE even IS NOT NULL), (SELECT count(reading) FROM reference),"
        " (SELECT count(thumbnails) FROM clip) FROM frame"
    )
    for _ in range(1200):
        with psycopg.connect(address) as connection:
            if connection.execute(query).fetchone() == (36, 4, 1):
                return
        time.sleep(0.5)
    raise AssertionError("the demo was not measured in time")


@pytest.fixture
def quiet(page: Page) -> Iterator[Page]:
    """A page on which no script error, console error or failed request may happen."""
    said: list[str] = []
    page.on("console", lambda m: said.append(m.text) if m.type in ("error", "warning") else None)
    page.on("pageerror", lambda e: said.append(str(e)))
    page.set_default_timeout(90_000)
    yield page
    assert not said


@pytest.fixture
def bad_file(tmp_path: Path) -> Path:
    path = tmp_path / "shopping list.jpg"
    path.write_text("milk, bread, eggs")
    return path
