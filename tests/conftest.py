"""Fixtures: a private PostgreSQL for the whole run, an empty studio for each test, small made-up pictures."""

import asyncio
import os
import tempfile
from collections.abc import Coroutine, Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any, TypeVar

import cv2
import hypothesis
import numpy as np
import pytest
from sqlalchemy import text

from nuvett.jobs.worker import make_app
from nuvett.services.files import measuring
from nuvett.services.platform.studio import Studio
from nuvett.settings import Settings
from nuvett.store.migrating import migrate
from nuvett.store.models import Base
from nuvett.store.quarantine import Quarantine
from tests.once import Once
from tools.cluster import Cluster

# How long an example takes says nothing on a shared machine; the wall clock of the whole run is what counts.
# What lands is judged by the same examples every time; everywhere else each run tries others.
hypothesis.settings.register_profile(
    "ours",
    deadline=None,
    suppress_health_check=[hypothesis.HealthCheck.too_slow],
    derandomize="CI" in os.environ,
)
hypothesis.settings.register_profile("few", hypothesis.settings.get_profile("ours"), max_examples=15)
hypothesis.settings.load_profile("ours")

PROJECT = Path(__file__).resolve().parent.parent
DEMO = PROJECT / "demo"

T = TypeVar("T")


@pytest.fixture(scope="session")
def cluster() -> Iterator[Cluster]:
    """A temporary cluster that is removed at the end."""
    parent = Path("/var/lib/postgresql") if os.geteuid() == 0 else Path(tempfile.gettempdir())
    folder = parent / f"nuvett-test-{os.getpid()}"
    cluster = Cluster(folder, Path(tempfile.gettempdir()) / f"{folder.name}-passwords")
    try:
        cluster.start(durable=False)
        yield cluster
    finally:
        cluster.remove()


@pytest.fixture(scope="session")
def once(tmp_path_factory: pytest.TempPathFactory) -> Once:
    base = tmp_path_factory.getbasetemp()
    return Once(base.parent if "PYTEST_XDIST_WORKER" in os.environ else base)


@pytest.fixture(scope="session", autouse=True)
def looked_at_once(once: Once) -> Iterator[None]:
    """Faces and points of a picture are what takes longest of measuring, and most tests measure the same few files."""
    with pytest.MonkeyPatch.context() as patch:
        for work in (measuring.find_faces, measuring.find_features):
            patch.setattr(measuring, work.__name__, once.of_pixels(work))
        yield


@pytest.fixture(scope="session")
def database_address(cluster: Cluster) -> str:
    """Address of the temporary cluster's database."""
    return cluster.database()


@pytest.fixture(scope="session")
def migrated(database_address: str, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Studio]:
    settings = Settings(
        database=database_address,
        blobs=str(tmp_path_factory.mktemp("blobs")),
        demo=DEMO,
        cache_megabytes=128,
        series_frames=60,
        series_references=6,
        upload_bytes=20_000_000,
        upload_pixels=30_000_000,
    )
    studio = Studio.of(settings)
    migrate(studio.database)
    yield studio
    studio.database.close()


# Tables hold few rows here, which are gone in a tenth of the time that new files for all of them take.
_QUEUE = ("procrastinate_events", "procrastinate_periodic_defers", "procrastinate_jobs", "procrastinate_workers")
_TABLES = ", ".join(f"'{name}'" for name in (*_QUEUE, *(table.name for table in reversed(Base.metadata.sorted_tables))))
_EMPTY = text(f"""
    DO $$ DECLARE name text; BEGIN
        FOREACH name IN ARRAY ARRAY[{_TABLES}] LOOP EXECUTE format('DELETE FROM %I', name); END LOOP;
    END $$
""")


@pytest.fixture
def studio(migrated: Studio) -> Studio:
    """A studio on a database without rows."""
    with migrated.database.session() as session:
        session.execute(_EMPTY)
    migrated.blobs.remove_parts()
    Quarantine(migrated.blobs).let_go(0)
    for name in migrated.blobs.names():
        migrated.blobs.remove(name)
    return migrated


def run_apart(work: Coroutine[Any, Any, T]) -> T:
    """Run asynchronous work in a thread of its own: a browser test may have an event loop running in this one."""
    with ThreadPoolExecutor(1) as pool:
        return pool.submit(asyncio.run, work).result()


def drain(studio: Studio) -> None:
    """Run the real worker until the queue is empty."""

    async def work() -> None:
        app = make_app(studio)
        async with app.open_async():
            await app.run_worker_async(wait=False, install_signal_handlers=False, concurrency=2, listen_notify=False)

    # A worker that does not wait stops at a moment without work, though a running task may queue more.
    waiting = text("SELECT count(*) FROM procrastinate_jobs WHERE status = 'todo'")
    for _ in range(10):
        run_apart(work())
        with studio.database.session() as session:
            if session.scalar(waiting) == 0:
                return
    raise AssertionError("the queue does not come to rest")


def load_rgb(path: Path) -> np.ndarray:
    """Encoded pixels (H, W, 3) uint8 of a JPEG."""
    return np.asarray(cv2.cvtColor(cv2.imread(str(path)), cv2.COLOR_BGR2RGB))


@pytest.fixture(scope="session")
def photo() -> np.ndarray:
    """A demo frame at a quarter of its size, (200, 300, 3) uint8."""
    return cv2.resize(load_rgb(DEMO / "frames" / "AT-0102.jpg"), (300, 200), interpolation=cv2.INTER_AREA)


@pytest.fixture(scope="session")
def still() -> np.ndarray:
    """A demo still at a quarter of its size."""
    return cv2.resize(load_rgb(DEMO / "stills" / "still_1_teal_amber.jpg"), (300, 126), interpolation=cv2.INTER_AREA)
