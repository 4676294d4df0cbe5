"""A file is seen small before it is measured, by what is quick; nothing that is measured stands on it."""

import subprocess
from pathlib import Path

import cv2
import numpy as np
import pyvips

from nuvett.imaging.glimpse import glimpse
from nuvett.imaging.opened import Limits
from tests.conftest import DEMO, load_rgb
from tools.camera import make_raw

JPEG = DEMO / "frames" / "AT-0101.jpg"


def seen(path: Path) -> np.ndarray | None:
    small = glimpse(path, Limits(), 240)
    return None if small is None else cv2.cvtColor(cv2.imdecode(np.frombuffer(small, np.uint8), 1), cv2.COLOR_BGR2RGB)


def apart(small: np.ndarray | None, whole: np.ndarray) -> float:
    """Mean distance of codes between a small picture and another, at the size of the small one."""
    assert small is not None and max(small.shape) <= 240
    wanted = cv2.resize(whole, (small.shape[1], small.shape[0]), interpolation=cv2.INTER_AREA)
    return float(np.abs(small.astype(float) - wanted).mean())


def with_own(out: Path, own: np.ndarray, turned: int = 1) -> Path:
    """The demo frame with another small picture in it, and turned as a camera says it."""
    small = out.with_name("own.jpg")
    cv2.imwrite(str(small), cv2.cvtColor(own, cv2.COLOR_RGB2BGR))
    out.write_bytes(JPEG.read_bytes())
    told = [f"-ThumbnailImage<={small}", f"-Orientation#={turned}", "-overwrite_original", "-q", str(out)]
    subprocess.run(["exiftool", *told], check=True)
    return out


def test_a_raw_file_is_seen_as_its_camera_saw_it(tmp_path: Path) -> None:
    make_raw(JPEG, tmp_path / "own.dng")
    make_raw(JPEG, tmp_path / "bare.dng", preview=False)
    assert apart(seen(tmp_path / "own.dng"), load_rgb(JPEG)) < 6
    assert seen(tmp_path / "bare.dng") is None


def test_a_jpeg_is_seen_by_its_own_small_picture_upright_where_that_is_like_it(tmp_path: Path) -> None:
    whole = load_rgb(JPEG)
    assert apart(seen(JPEG), whole) < 3
    other = np.full((106, 160, 3), (200, 40, 90), np.uint8)
    other[:20] = 255
    path = with_own(tmp_path / "turned.jpg", other, turned=6)
    assert apart(seen(path), np.ascontiguousarray(np.rot90(other, 3))) < 4
    square = with_own(tmp_path / "square.jpg", other[:, :106].copy())
    assert apart(seen(square), whole) < 3


def test_what_cannot_be_seen_quickly_or_at_all_is_not_seen(tmp_path: Path) -> None:
    (tmp_path / "cut.jpg").write_bytes(JPEG.read_bytes()[:200])
    (tmp_path / "list.jpg").write_text("milk, bread, eggs")
    pyvips.Image.black(8000, 8000, bands=3).tiffsave(str(tmp_path / "giant.tif"), compression="deflate")
    for name in ("cut.jpg", "list.jpg", "giant.tif"):
        assert seen(tmp_path / name) is None
