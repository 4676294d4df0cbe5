"""A small series that the tests of the services start from."""

import pytest

from nuvett.services import catalogue, gather
from nuvett.services.studio import Studio
from tests.conftest import DEMO, drain

FRAMES = [DEMO / "frames" / f"AT-01{n:02}.jpg" for n in (1, 2, 3, 7, 8)]
STILL = DEMO / "stills" / "still_1_teal_amber.jpg"


@pytest.fixture
def slug(studio: Studio) -> str:
    """A series of five frames in two set-ups with one reference, all measured."""
    with studio.database.session() as session:
        series = catalogue.start_series(session, "Winter fair", "Nobody")
        for path in FRAMES:
            gather.add_file(session, studio, series, path)
        with STILL.open("rb") as stream:
            gather.add_reference(session, studio, series, STILL.name, stream)
        made = series.slug
    drain(studio)
    return made
