"""HEIC: read with its facts, the main one of several pictures, and damaged ones refused."""

from pathlib import Path

import numpy as np
import pytest

from nuvett.core.errors import TruncatedFileError
from nuvett.imaging.decode import ACCEPT, ACCEPTED, decode, read_header
from nuvett.imaging.facts import read_facts
from nuvett.imaging.opened import Limits
from tests.conftest import DEMO, PROJECT, load_rgb

PHONE = DEMO / "phone" / "PH-2041.heic"


def test_a_phone_s_picture_shows_what_it_was_made_of_and_says_when() -> None:
    picture = decode(PHONE, Limits())
    made_of = load_rgb(DEMO / "viewpoints" / "frames" / "VP-002.jpg")
    assert (picture.header.format, picture.pixels.shape, picture.header.note) == ("heic", made_of.shape, "")
    assert np.abs(picture.pixels.astype(int) - made_of).mean() < 4
    facts = read_facts(PHONE)
    assert facts.camera == "Pocket phone" and facts.taken and facts.taken.hour == 11


def test_of_several_pictures_the_main_one_is_taken_and_that_is_said() -> None:
    header = read_header(PROJECT / "tests" / "files" / "several.heic", Limits())
    assert (header.width, header.height) == (1200, 502)
    assert header.note == "The file holds 4 pictures; its main one is used."


@pytest.mark.parametrize("share", [0.01, 0.5, 0.99])
def test_one_that_was_cut_short_is_refused(share: float, tmp_path: Path) -> None:
    whole = PHONE.read_bytes()
    (tmp_path / "a.heic").write_bytes(whole[: int(len(whole) * share)])
    with pytest.raises(TruncatedFileError):
        decode(tmp_path / "a.heic", Limits())


def test_what_is_accepted_is_said_in_one_place() -> None:
    assert ACCEPTED == "JPEG, PNG, TIFF, WebP, AVIF, HEIC and raw files of cameras"
    assert {".heic", ".dng", ".jpg", "image/*"} <= set(ACCEPT.split(","))
