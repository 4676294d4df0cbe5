"""JPEGs decoded and written by the quick way are those of the usual one."""

from pathlib import Path

import numpy as np
import pytest
import pyvips

from nuvett.core.spaces.rgb import Space
from nuvett.imaging.decode import open_picture
from nuvett.imaging.encode import Format, encode
from nuvett.imaging.icc import profile_bytes
from nuvett.imaging.opened import Limits, image_of
from nuvett.imaging.plain_jpeg import encode_whole
from tests.conftest import DEMO

FRAME = DEMO / "frames" / "AT-0102.jpg"


def saved(tmp_path: Path, orientation: int = 1, **options: object) -> Path:
    image = pyvips.Image.new_from_file(str(FRAME)).crop(0, 0, 333, 201).copy_memory().copy()
    image.set_type(pyvips.GValue.gint_type, "orientation", orientation)
    path = tmp_path / "saved.jpg"
    image.write_to_file(str(path), Q=88, **options)
    return path


@pytest.mark.parametrize("orientation", [1, 3, 6, 8])
@pytest.mark.parametrize("subsampling", ["on", "off"])
def test_a_plain_jpeg_is_decoded_to_the_same_pixels_at_once(tmp_path: Path, orientation: int, subsampling: str) -> None:
    opened = open_picture(saved(tmp_path, orientation, subsample_mode=subsampling), Limits())
    quickly = opened.quick()
    assert quickly is not None and quickly.flags.c_contiguous
    assert np.array_equal(quickly, np.vstack([strip for _, strip in opened.strips(64)]))
    assert opened.whole().undamaged


def test_what_needs_more_than_decoding_goes_the_usual_way(tmp_path: Path) -> None:
    mirrored = open_picture(saved(tmp_path, 5), Limits())
    pixels = np.asarray(pyvips.Image.new_from_file(str(FRAME)).crop(0, 0, 64, 48).numpy())
    wide = tmp_path / "wide.jpg"
    wide.write_bytes(encode(pixels, Format.JPEG, 90, Space.ADOBE_RGB))
    cmyk = tmp_path / "cmyk.jpg"
    image_of(pixels).icc_transform("cmyk", input_profile="srgb").write_to_file(str(cmyk))
    for opened in (mirrored, open_picture(wide, Limits()), open_picture(cmyk, Limits())):
        assert opened.quick() is None
        assert not opened.whole().undamaged


@pytest.mark.parametrize("spoil", [lambda d: d[: len(d) // 2], lambda d: d[:-2] + b"\7" * 9 + d[-2:]])
def test_what_is_damaged_is_not_decoded_quickly(tmp_path: Path, spoil: object) -> None:
    path = saved(tmp_path)
    opened = open_picture(path, Limits())
    path.write_bytes(spoil(path.read_bytes()))  # type: ignore[operator]
    assert opened.quick() is None


@pytest.mark.parametrize(("quality", "whole"), [(92, True), (80, False)])
def test_a_finished_jpeg_says_its_space_and_size_and_keeps_colour_by_its_quality(
    tmp_path: Path, quality: int, whole: bool
) -> None:
    pixels = np.asarray(pyvips.Image.new_from_file(str(FRAME)).crop(0, 0, 200, 120).numpy())
    path = tmp_path / "made.jpg"
    path.write_bytes(encode(pixels, Format.JPEG, quality, Space.P3, 300))
    read = pyvips.Image.new_from_file(str(path))
    assert bytes(read.get("icc-profile-data")) == profile_bytes(Space.P3)
    assert round(read.xres * 25.4, 1) == round(read.yres * 25.4, 1) == 300
    assert read.get("jpeg-chroma-subsample") == ("4:4:4" if whole else "4:2:0")
    usual = image_of(pixels).write_to_buffer(".jpg", Q=quality, subsample_mode="off" if whole else "on")
    assert np.array_equal(read.numpy(), pyvips.Image.new_from_buffer(usual, "").numpy())
    plain = pyvips.Image.new_from_buffer(encode(pixels, Format.JPEG, quality), "")
    assert "icc-profile-data" not in plain.get_fields() and round(plain.xres * 25.4) == 72


def test_a_profile_that_does_not_fit_is_refused() -> None:
    with pytest.raises(ValueError, match="more than one marker"):
        encode_whole(np.zeros((8, 8, 3), np.uint8), 90, True, b"x" * 65_520, 72)
