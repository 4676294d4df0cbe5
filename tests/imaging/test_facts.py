"""Facts of originals in finished files: kept in every format, true of the new file, or left out as chosen.

What ExifTool wrote is read by Pillow and tifffile, which know nothing of it.
"""

from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import tifffile
from PIL import Image

from nuvett.core.spaces.rgb import Space
from nuvett.imaging.encode import FORMATS, Format, encode
from nuvett.imaging.facts import Credits, FileFacts, Keep, read_facts, write_facts
from tools.raw_files import Shot, write_dng

EXIF, GPS = 0x8769, 0x8825
TAKEN = datetime(2026, 9, 18, 9, 5)
CREDITS = Credits(creator="Ann Example", rights="© 2026 Tidewrack", caption="Jugs, one\nchipped")


@pytest.fixture
def original(photo: np.ndarray, tmp_path: Path) -> Path:
    """A JPEG as a camera writes it, turned, at 300 pixels an inch; its name cannot stand on a line."""
    exif = Image.Exif()
    exif.update({0x010F: "Made-up Cameras", 0x0110: "M1", 0x0112: 6, 0x0132: "2026:09:18 09:06:00"})
    exif.update({0x013B: "Bo Example", 0x8298: "(c) Bo Example"})
    exif.get_ifd(EXIF).update({0x9003: "2026:09:18 09:05:00", 0xA002: 6000, 0xA003: 4000, 0xA431: "SN-12345"})
    exif.get_ifd(EXIF).update({0x829A: 1 / 125, 0x829D: 4.0, 0x8827: 200, 0x920A: 50.0, 0xA434: "Made-up 50 mm"})
    exif.get_ifd(GPS).update({1: "N", 2: (51.0, 30.0, 0.0)})
    path = tmp_path / "orig\ninal.jpg"
    Image.fromarray(photo).save(path, exif=exif, dpi=(300, 300), quality=95)
    return path


def written(original: Path | None, fmt: Format, keep: Keep, tmp_path: Path, credits: Credits | None = None) -> Path:
    pixels = np.zeros((60, 40, 3), np.uint16 if FORMATS[fmt].depth == 16 else np.uint8)
    path = tmp_path / f"out{FORMATS[fmt].suffix}"
    path.write_bytes(encode(pixels, fmt, 92, Space.SRGB, 300))
    write_facts(path, original, keep, (40, 60), Space.SRGB, credits)
    return path


def said(path: Path) -> dict[str, Any]:
    """Facts by name, as another library reads them."""
    if path.suffix == ".tif":
        with tifffile.TiffFile(path) as file:
            tags = {tag.name: tag.value for tag in file.pages[0].tags.values()}
        return tags | tags.get("ExifTag", {})
    with Image.open(path) as picture:
        exif = picture.getexif()
        inner = exif.get_ifd(EXIF)
        names = {0x013B: "Artist", 0x8298: "Copyright", 0x0110: "Model", 0x010E: "ImageDescription"}
        found: dict[str, Any] = {names[tag]: value for tag, value in exif.items() if tag in names}
        return found | {
            "PixelXDimension": inner.get(0xA002),
            "BodySerialNumber": inner.get(0xA431),
            "LensModel": inner.get(0xA434),
            "DateTimeOriginal": inner.get(0x9003),
            "ColorSpace": inner.get(0xA001),
            "Orientation": exif.get(0x0112, 1),
            **({"GPSTag": dict(exif.get_ifd(GPS))} if exif.get_ifd(GPS) else {}),
        }


def test_how_a_picture_was_taken_is_read(original: Path, tmp_path: Path) -> None:
    facts = read_facts(original)
    assert (facts.taken, facts.camera_maker, facts.camera, facts.lens) == (
        TAKEN,
        "Made-up Cameras",
        "M1",
        "Made-up 50 mm",
    )
    assert facts.exposure == pytest.approx(np.log2(200 / 125 / 16), abs=0.02)
    assert (facts.focal, facts.aperture) == (50, 4)
    (tmp_path / "none.jpg").write_bytes(encode(np.zeros((40, 40, 3), np.uint8), Format.JPEG))
    (tmp_path / "junk.jpg").write_bytes(b"junk" * 40)
    assert read_facts(tmp_path / "none.jpg") == read_facts(tmp_path / "junk.jpg") == FileFacts()


@pytest.mark.parametrize("fmt", list(Format))
def test_every_format_carries_camera_time_rights_and_its_own_size(fmt: Format, original: Path, tmp_path: Path) -> None:
    path = written(original, fmt, Keep.ALL, tmp_path)
    found = said(path)
    assert (found["Model"], found["Artist"], found["LensModel"]) == ("M1", "Bo Example", "Made-up 50 mm")
    assert str(found["DateTimeOriginal"]).startswith("2026:09:18 09:05")
    assert (found["PixelXDimension"], found["BodySerialNumber"], found["ColorSpace"]) == (40, "SN-12345", 1)
    assert found["Orientation"] == 1 and found["GPSTag"]
    assert read_facts(path).taken == TAKEN
    if fmt in (Format.TIFF, Format.TIFF16):
        assert found["XResolution"] == (300, 1) and tifffile.imread(path).shape == (60, 40, 3)
        return
    with Image.open(path) as picture:
        assert picture.size == (40, 60) and picture.info["icc_profile"]
        assert fmt in (Format.WEBP, Format.AVIF) or float(picture.info["dpi"][0]) == pytest.approx(300, abs=0.1)


@pytest.mark.parametrize("fmt", [Format.JPEG, Format.TIFF16, Format.PNG])
@pytest.mark.parametrize("keep", [Keep.NO_PLACE, Keep.COPYRIGHT, Keep.NONE])
def test_what_is_not_to_be_kept_stands_nowhere_in_the_file(
    fmt: Format, keep: Keep, original: Path, tmp_path: Path
) -> None:
    path = written(original, fmt, keep, tmp_path)
    found, data = said(path), path.read_bytes()
    assert b"SN-12345" not in data and not found.get("GPSTag") and not found.get("BodySerialNumber")
    assert (found.get("Artist") == "Bo Example") is (keep is not Keep.NONE)
    assert (found.get("LensModel") == "Made-up 50 mm") is (keep is Keep.NO_PLACE)


@pytest.mark.parametrize("fmt", list(Format))
@pytest.mark.parametrize("keep", [Keep.ALL, Keep.NONE])
def test_what_is_filled_in_stands_in_every_format_and_in_place_of_the_original_s(
    fmt: Format, keep: Keep, original: Path, tmp_path: Path
) -> None:
    path = written(original, fmt, keep, tmp_path, CREDITS)
    found, data = said(path), path.read_bytes()
    assert found["Artist"] == "Ann Example" and found["ImageDescription"] == "Jugs, one chipped"
    rights = found["Copyright"]
    assert (rights if isinstance(rights, str) else rights.decode()).endswith("2026 Tidewrack")
    assert b"Bo Example" not in data
    if fmt is not Format.PNG16 and fmt is not Format.PNG:  # which packs it
        assert b"<dc:creator>" in data
    assert (found.get("Model") == "M1") is (keep is Keep.ALL)


def test_a_raw_file_s_facts_go_along_and_what_is_true_of_raw_numbers_alone_does_not(
    photo: np.ndarray, tmp_path: Path
) -> None:
    raw = tmp_path / "a.dng"
    write_dng(
        raw, (photo / 255).astype(np.float32), Shot(lens="Made-up 35 mm", focal=35, aperture=2.8), photo[::2, ::2]
    )
    path = written(raw, Format.JPEG, Keep.ALL, tmp_path)
    found = said(path)
    assert (found["Model"], found["LensModel"], found["PixelXDimension"]) == ("Maker One", "Made-up 35 mm", 40)
    with Image.open(path) as picture:
        assert not {50706, 50721, 50728, 50714, 33422} & set(picture.getexif())
    assert path.stat().st_size < 6000, "the picture within the raw file stays there"


def test_facts_that_are_damaged_are_left_out_and_what_is_filled_in_is_written_all_the_same(tmp_path: Path) -> None:
    damaged = tmp_path / "damaged.jpg"
    whole = encode(np.zeros((40, 40, 3), np.uint8), Format.JPEG)
    damaged.write_bytes(whole[:2] + b"\xff\xe1\x00\x10Exif\0\0II*\0\xff\xff\xff\xff" + whole[2:])
    found = said(written(damaged, Format.JPEG, Keep.ALL, tmp_path, CREDITS))
    assert found["Artist"] == "Ann Example" and "Model" not in found
