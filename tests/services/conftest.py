"""Small series that the tests of the services start from."""

import uuid
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest

from nuvett.core.even.even_light import EvenLight
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.measure.sampling import placed_sample
from nuvett.core.reading.reading import Weighed, blend, read
from nuvett.core.spaces.rgb import Space, from_linear, to_linear
from nuvett.imaging.encode import Format, encode
from nuvett.imaging.opened import Limits
from nuvett.imaging.proxy import measuring_proxy
from nuvett.services.delivery import deliveries
from nuvett.services.delivery.delivery_settings import DeliverySettings
from nuvett.services.engine.arrays import dump_sample
from nuvett.services.engine.facts import Aimed, Facts, FrameFacts
from nuvett.services.engine.workbench import Workbench
from nuvett.services.looks import carrying
from nuvett.services.platform.opening import open_installation
from nuvett.services.platform.studio import Studio
from nuvett.services.references import new_references
from nuvett.services.series import catalogue, gathering
from nuvett.settings import Settings
from nuvett.store.blobs import BlobStore
from tests.conftest import DEMO, drain
from tests.once import Once
from tools.cluster import Cluster

FRAMES = [DEMO / "frames" / f"AT-01{n:02}.jpg" for n in (1, 2, 3, 7, 8)]
STILL = DEMO / "stills" / "still_1_teal_amber.jpg"
Opener = Callable[[Path], Studio]
Orderer = Callable[[int, DeliverySettings], uuid.UUID]


@pytest.fixture
def slug(studio: Studio, once: Once) -> str:
    """A series of five frames in two set-ups with one reference, all measured."""
    once.filled("five-frames", studio, lambda: _measured(studio, FRAMES, STILL, "Nobody"))
    return "winter-fair"


def _measured(studio: Studio, frames: list[Path], still: Path, client: str = "") -> None:
    with studio.database.session() as session:
        series = catalogue.start_series(session, "Winter fair", client)
        for path in frames:
            gathering.add_file(session, studio, series, path)
        with still.open("rb") as stream:
            new_references.add_reference(session, studio, series, still.name, stream)
    drain(studio)


@pytest.fixture
def ordered(studio: Studio, once: Once) -> Orderer:
    """Orders a delivery that waits, of a series "Winter fair" of so many measured frames that follow a look."""

    def order(frames: int, settings: DeliverySettings) -> uuid.UUID:
        paths = [DEMO / "frames" / f"AT-010{n}.jpg" for n in range(1, frames + 1)]
        silver = DEMO / "stills" / "still_4_silver.jpg"
        once.filled(f"{frames}-frames-in-silver", studio, lambda: _measured(studio, paths, silver))
        with studio.database.session() as session:
            series = catalogue.find_series(session, "winter-fair")
            carrying.carry(session, series)
            return deliveries.order_delivery(session, studio, series, settings).id

    return order


@pytest.fixture
def fresh(cluster: Cluster) -> Iterator[Opener]:
    """Studios on databases that are new each time, and a store in a folder."""
    made: list[Studio] = []

    def studio(folder: Path) -> Studio:
        address = cluster.database(f"safe_{uuid.uuid4().hex}")
        made.append(Studio.of(Settings(database=address, blobs=str(folder), demo=DEMO, cache_megabytes=32)))
        return made[-1]

    yield studio
    for one in made:
        one.database.close()


@pytest.fixture
def own(fresh: Opener, tmp_path: Path) -> Studio:
    """An installation with one measured frame."""
    studio = fresh(tmp_path / "blobs")
    assert open_installation(studio)
    with studio.database.session() as session:
        gathering.add_file(session, studio, catalogue.start_series(session, "Winter fair"), FRAMES[0])
    drain(studio)
    return studio


@pytest.fixture
def store(tmp_path: Path) -> BlobStore:
    return BlobStore(str(tmp_path / "blobs"))


@pytest.fixture
def bench(store: BlobStore, studio: Studio) -> Workbench:
    return Workbench(store, studio.database, Limits(), 64)


@pytest.fixture
def frames(store: BlobStore, photo: np.ndarray, tmp_path: Path) -> Facts:
    """Four frames: the photo at four exposures, in two set-ups."""
    made = []
    setups = [uuid.uuid4(), uuid.uuid4()]
    for n, scale in enumerate((1.0, 0.8, 0.6, 0.4)):
        darker = to_linear((photo / 255).astype(np.float32)) * np.float32(0.6 * scale)
        pixels = np.rint(np.clip(from_linear(darker), 0, 1) * 255).astype(np.uint8)
        (tmp_path / "a.jpg").write_bytes(encode(pixels, Format.JPEG, 98))
        blob, _ = store.put_file(tmp_path / "a.jpg")
        sample, _ = store.put(dump_sample(placed_sample(measuring_proxy(pixels, Space.SRGB))))
        own = uuid.uuid4()
        made.append(
            FrameFacts(
                id=own,
                first=own,
                original=blob,
                pixels=blob,
                view=blob,
                sample=sample,
                domain=Space.SRGB,
                width=300,
                height=200,
                setup=setups[n // 2],
                even=EvenLight(gains=(1 / scale, 1 / scale, 1 / scale)),
                trim=Trim(),
            )
        )
    return Facts(made)


@pytest.fixture
def aimed(still: np.ndarray) -> Aimed:
    reading = read(to_linear((still / 255).astype(np.float32)))
    return Aimed(Look(), blend([Weighed(reading=reading, tone=1, colour=1)]), "one")
