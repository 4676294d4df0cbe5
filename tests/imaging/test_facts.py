"""Facts of originals in finished files: kept in every format, true of the new file, or left out as chosen."""

import io
from datetime import datetime
from pathlib import Path

import numpy as np
import pytest
import tifffile
from PIL import Image

from nuvett.core.spaces.rgb import Space
from nuvett.imaging.decode import Limits, open_picture, read_header
from nuvett.imaging.encode import FORMATS, Format, encode
from nuvett.imaging.facts import FileFacts, Keep, facts_for, read_facts

EXIF, GPS = 0x8769, 0x8825
TAKEN = datetime(2026, 9, 18, 9, 5)


@pytest.fixture
def original(photo: np.ndarray, tmp_path: Path) -> Path:
    """A JPEG as a camera writes it, turned, at 300 pixels an inch."""
    exif = Image.Exif()
    exif.update({0x010F: "Made-up Cameras", 0x0110: "M1", 0x0112: 6, 0x0132: "2026:09:18 09:06:00"})
    exif.update({0x013B: "Ann Example", 0x8298: "(c) Ann Example"})
    exif.get_ifd(EXIF).update({0x9003: "2026:09:18 09:05:00", 0xA002: 6000, 0xA003: 4000, 0xA431: "SN-12345"})
    exif.get_ifd(EXIF).update({0x829A: (1, 125), 0xA434: "Made-up 50 mm"})
    exif.get_ifd(GPS).update({1: "N", 2: (51.0, 30.0, 0.0)})
    path = tmp_path / "original.jpg"
    Image.fromarray(photo).save(path, exif=exif, dpi=(300, 300), quality=95)
    return path


def written(original: Path, fmt: Format, keep: Keep, tmp_path: Path) -> Path:
    pixels = np.zeros((60, 40, 3), np.uint16 if FORMATS[fmt].depth == 16 else np.uint8)
    facts = open_picture(original, Limits()).facts.chosen(keep, (40, 60))
    path = tmp_path / f"out{FORMATS[fmt].suffix}"
    path.write_bytes(encode(pixels, fmt, 92, Space.SRGB, facts))
    return path


@pytest.mark.parametrize("fmt", list(Format))
def test_every_format_carries_camera_time_rights_and_its_own_size(fmt: Format, original: Path, tmp_path: Path) -> None:
    path = written(original, fmt, Keep.ALL, tmp_path)
    assert read_header(path, Limits()).taken == TAKEN
    if fmt is Format.TIFF16:
        with tifffile.TiffFile(path) as file:
            said = {tag.name: tag.value for tag in file.pages[0].tags.values()}
        inner = said["ExifTag"]
        assert (inner["PixelXDimension"], inner["PixelYDimension"], inner["BodySerialNumber"]) == (40, 60, "SN-12345")
        assert said["Artist"] == "Ann Example" and said["Model"] == "M1" and said["DateTime"].startswith("2026:09:18")
        assert said["GPSTag"]["GPSLatitudeRef"] == "N" and said["XResolution"] == (300, 1)
        assert tifffile.imread(path).shape == (60, 40, 3)
        return
    with Image.open(path) as picture:
        exif = picture.getexif()
        assert exif[0x013B] == "Ann Example" and exif[0x0110] == "M1" and exif.get(0x0112, 1) == 1
        inner = exif.get_ifd(EXIF)
        assert (inner[0xA002], inner[0xA003], inner[0xA431]) == (40, 60, "SN-12345")
        assert exif.get_ifd(GPS)[1] == "N"
        across = picture.info["dpi"][0] if fmt is not Format.WEBP else exif[0x011A]
        assert float(across) == pytest.approx(300, abs=0.1)


@pytest.mark.parametrize("fmt", [Format.JPEG, Format.TIFF16])
@pytest.mark.parametrize("keep", [Keep.NO_PLACE, Keep.COPYRIGHT, Keep.NONE])
def test_what_is_not_to_be_kept_stands_nowhere_in_the_file(
    fmt: Format, keep: Keep, original: Path, tmp_path: Path
) -> None:
    path = written(original, fmt, keep, tmp_path)
    data = path.read_bytes()
    assert b"SN-12345" not in data
    assert (b"Ann Example" in data) is (keep is not Keep.NONE)
    assert (b"Made-up 50 mm" in data) is (keep is Keep.NO_PLACE)
    facts = open_picture(path, Limits()).facts
    exif = read_facts(facts.exif)
    assert exif is None or not exif.get_ifd(GPS)
    assert facts.dpi == pytest.approx(300, abs=0.1)


def test_a_tiff_s_own_facts_are_read_and_passed_on(photo: np.ndarray, tmp_path: Path) -> None:
    path = tmp_path / "scan.tif"
    tifffile.imwrite(path, photo, photometric="rgb", datetime=TAKEN, extratags=[(0x013B, 2, 0, "Ann Example", True)])
    assert read_header(path, Limits()).taken == TAKEN
    again = written(path, Format.JPEG, Keep.ALL, tmp_path)
    with Image.open(again) as picture:
        assert picture.getexif()[0x013B] == "Ann Example"


def test_a_picture_without_a_resolution_gets_a_usual_one_and_damaged_facts_are_left_out() -> None:
    with Image.open(io.BytesIO(encode(np.zeros((40, 40, 3), np.uint8), Format.JPEG))) as picture:
        assert picture.info["dpi"] == (72, 72)
    assert FileFacts().chosen(Keep.ALL, (1, 1)) == FileFacts()
    for damaged in (b"Exif\0\0", b"Exif\0\0II*\0\xff\xff\xff\xff", b"Exif\0\0II*\0\x08\0\0\0\xff\xff", b"junk"):
        assert facts_for(damaged, Keep.COPYRIGHT, (1, 1)) is None
