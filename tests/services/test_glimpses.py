"""Frames that wait to be measured are seen, small, before they are; nothing that is measured stands on it."""

from pathlib import Path

import cv2
import numpy as np
import pytest

from nuvett.core.errors import StoppingError
from nuvett.imaging.glimpse import glimpse
from nuvett.imaging.opened import Limits
from nuvett.services.platform import glimpses
from nuvett.services.platform.studio import Studio
from nuvett.services.series import catalogue, gathering
from nuvett.store import models
from tests.conftest import DEMO, load_rgb
from tools.camera import make_raw

JPEG = DEMO / "frames" / "AT-0101.jpg"


def apart(small: bytes | None, path: Path = JPEG) -> float:
    """Mean distance of codes between a small picture and a file, at the size of the small one."""
    assert small is not None
    made = cv2.cvtColor(cv2.imdecode(np.frombuffer(small, np.uint8), cv2.IMREAD_COLOR), cv2.COLOR_BGR2RGB)
    wanted = cv2.resize(load_rgb(path), (made.shape[1], made.shape[0]), interpolation=cv2.INTER_AREA)
    return float(np.abs(made.astype(float) - wanted).mean())


def waiting(studio: Studio, *paths: Path) -> tuple[models.Series, list[models.Frame]]:
    """A series of frames that nobody has measured yet."""
    with studio.database.session() as session:
        series = catalogue.start_series(session, "Shoot")
        return series, [gathering.add_file(session, studio, series, path) for path in paths]


def seen(studio: Studio, frame: models.Frame) -> str | None:
    with studio.database.session() as session:
        return session.get_one(models.Frame, frame.id).glimpse


def test_a_file_is_seen_small_and_upright_a_raw_one_as_its_camera_saw_it(tmp_path: Path) -> None:
    make_raw(JPEG, tmp_path / "own.dng")
    make_raw(JPEG, tmp_path / "bare.dng", preview=False)
    small = glimpse(JPEG, Limits(), 240)
    assert small is not None and len(small) < 20_000 and apart(small) < 3
    assert apart(glimpse(tmp_path / "own.dng", Limits(), 240)) < 6
    assert glimpse(tmp_path / "bare.dng", Limits(), 240) is None
    turned = tmp_path / "turned.jpg"
    cv2.imwrite(str(turned), cv2.cvtColor(np.rot90(load_rgb(JPEG)), cv2.COLOR_RGB2BGR))
    assert apart(glimpse(turned, Limits(), 240), turned) < 3
    (tmp_path / "cut.jpg").write_bytes(JPEG.read_bytes()[:200])
    assert glimpse(tmp_path / "cut.jpg", Limits(), 240) is None


def test_what_waits_is_seen_until_it_is_measured(studio: Studio, tmp_path: Path) -> None:
    (tmp_path / "list.jpg").write_text("milk, bread, eggs")
    series, (one, bad, other) = waiting(studio, JPEG, tmp_path / "list.jpg", DEMO / "frames" / "AT-0102.jpg")
    gathering.ingest_frame(studio, other.id)
    glimpses.glimpse_waiting(studio, series.id)
    name = seen(studio, one)
    assert name is not None and apart(studio.blobs.read(name)) < 3
    assert (seen(studio, bad), seen(studio, other)) == (None, None)
    gathering.ingest_frame(studio, one.id)
    assert seen(studio, one) is None and not studio.blobs.exists(name)
    glimpses.glimpse_waiting(studio, series.id)
    assert seen(studio, one) is None


def test_glimpses_pause_where_the_application_stops(studio: Studio) -> None:
    series, (one,) = waiting(studio, JPEG)
    studio.stopping.set()
    try:
        with pytest.raises(StoppingError):
            glimpses.glimpse_waiting(studio, series.id)
    finally:
        studio.stopping.clear()
    assert seen(studio, one) is None
