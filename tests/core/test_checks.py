"""What is no part of a reference, or rules it: bars, captions, near black, tinged paper; and nothing where none is."""

import cv2
import numpy as np
import pytest

from nuvett.core.reading.checks import Check, checked
from nuvett.core.reading.reading import read
from nuvett.core.reading.regions import Sampling
from nuvett.core.reading.words import describe_sampling
from nuvett.core.spaces.rgb import to_linear
from nuvett.core.types import Linear
from tests.conftest import DEMO, load_rgb


def _still() -> np.ndarray:
    return cv2.resize(load_rgb(DEMO / "stills" / "still_1_teal_amber.jpg"), (720, 300), interpolation=cv2.INTER_AREA)


def _checks(picture: np.ndarray, sampling: Sampling | None = None) -> dict[str, Check]:
    proxy = to_linear((picture / 255).astype(np.float32))
    return {check.kind: check for check in checked(proxy, sampling or Sampling())}


def _lettered(picture: np.ndarray, height: float) -> np.ndarray:
    out = np.ascontiguousarray(picture)
    place = (int(out.shape[1] * 0.3), int(out.shape[0] * height))
    cv2.putText(out, "back to the salt road", place, cv2.FONT_HERSHEY_SIMPLEX, 0.8, (255,) * 3, 2, cv2.LINE_AA)
    return out


def test_nothing_is_said_of_a_plain_still_and_of_the_demos_frames() -> None:
    for path in (*sorted((DEMO / "stills").glob("*.jpg")), *sorted((DEMO / "frames").glob("*.jpg"))[::6]):
        picture = load_rgb(path)
        small = cv2.resize(picture, None, fx=0.3, fy=0.3, interpolation=cv2.INTER_AREA)
        assert _checks(small) == {}, path.name


@pytest.mark.parametrize("caption", [False, True])
def test_bars_above_and_below_are_left_out_with_the_caption_that_stands_in_one(caption: bool) -> None:
    rng = np.random.default_rng(1)
    framed = cv2.copyMakeBorder(_still(), 45, 45, 0, 0, cv2.BORDER_CONSTANT)
    framed = (framed + rng.integers(0, 4, framed.shape)).clip(0, 255).astype(np.uint8)
    if caption:
        framed = _lettered(framed, 0.96)
    found = _checks(framed)["bars"]
    assert found.words == "There are bars above and below" and found.sampling is not None
    for patch, top in zip(found.sampling.patches, (0, 1 - 45 / 390), strict=True):
        assert patch.leave_out and patch.box[1] == pytest.approx(top, abs=0.01)
        assert patch.box[3] == pytest.approx(45 / 390, abs=0.01)
    assert _checks(framed, found.sampling) == {}, "nothing is left to say"
    asked = ((_still(), Sampling()), (framed, found.sampling))
    plain, whole = (read(to_linear((p / 255).astype(np.float32)), s) for p, s in asked)
    assert np.abs(np.subtract(plain.statistics.lightness, whole.statistics.lightness)).max() < 0.03


def test_a_caption_in_the_picture_near_black_and_tinged_paper_are_told() -> None:
    caption = _checks(_lettered(_still(), 0.92))["caption"]
    assert caption.sampling is not None
    (patch,) = caption.sampling.patches
    assert patch.box[0] < 0.3 < 0.6 < patch.box[0] + patch.box[2] and patch.box[1] > 0.75
    dark = _still()
    dark[:, :400] = 6
    black = _checks(dark)["black"]
    assert black.words.startswith("5") and "nearly black" in black.words and black.sampling is not None
    assert black.sampling.tone == (8, 100) and "black" not in _checks(dark, black.sampling)
    border = cv2.copyMakeBorder(_still(), 30, 30, 30, 30, cv2.BORDER_CONSTANT, value=(248, 242, 226))
    printed = _checks(border)
    assert printed["bars"].words == "There is a border all round" and "paper" in printed["cast"].words
    white = cv2.copyMakeBorder(_still(), 30, 30, 30, 30, cv2.BORDER_CONSTANT, value=(250,) * 3)
    assert "cast" not in _checks(white) and "bars" in _checks(white)
    assert "bars" not in _checks(np.full((200, 300, 3), 90, np.uint8)), "a picture of one colour is no bar"


def test_a_print_is_read_as_on_white_paper_and_back() -> None:
    """Print and paper under one light: read as white, it is what it was before that light."""
    plain = cv2.copyMakeBorder(_still(), 30, 30, 30, 30, cv2.BORDER_CONSTANT, value=(248,) * 3)
    linear = to_linear((plain / 255).astype(np.float32))
    tinged = Linear(linear * np.array([1.0, 0.93, 0.78], dtype=np.float32))
    white = {check.kind: check for check in checked(tinged, Sampling())}["cast"].sampling
    assert white is not None and white.paper is not None
    before, came, made = (
        np.array(read(proxy, sampling).statistics.cloud)[:, 1:].mean(axis=0)
        for proxy, sampling in ((Linear(linear * np.float32(0.78)), Sampling()), (tinged, Sampling()), (tinged, white))
    )
    assert np.abs(made - before).max() < 0.03 * np.abs(came - before).max()
    back = {check.kind: check for check in checked(tinged, white)}["cast"]
    assert back.sampling == Sampling() and "as it is" in back.offer
    assert describe_sampling(Sampling(), white) == "Paper read as white"
    assert describe_sampling(white, Sampling()) == "Paper as it is"
