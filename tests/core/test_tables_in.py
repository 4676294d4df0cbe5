"""Tables that are brought in: what they expect, and before and after of a pair laid over each other."""

import re

import cv2
import numpy as np
import pytest

from nuvett.core.errors import PairError, TableError
from nuvett.core.spaces.cielab import difference
from nuvett.core.spaces.curves import SRGB_CURVE, decode_curve, encode_curve
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import from_linear, to_linear
from nuvett.core.table.cube import read_head, write_cube
from nuvett.core.table.edits import local_edits
from nuvett.core.table.expects import EXPECTS, Expects, encoded_for, guess, linear_from, log_encoded, neutral_line
from nuvett.core.table.held import HeldTable
from nuvett.core.table.infer import Inference, infer_table
from nuvett.core.table.pairs import disagreement, disagrees, lay_over
from nuvett.core.table.table import grid
from nuvett.core.types import OKLab
from tests.conftest import DEMO, load_rgb

pytestmark = pytest.mark.slow

CUBE = grid(33)


def from_log(encoded: np.ndarray) -> np.ndarray:
    toe = (encoded - 0.0729055341958355) / 10.5402377416545
    return np.where(encoded <= 0.155251141552511, toe, 2 ** (encoded * 17.52 - 9.72)).astype(np.float32)


def shown(linear: np.ndarray) -> np.ndarray:
    return np.clip(encode_curve(np.clip(linear, 0, 1).astype(np.float32), SRGB_CURVE), 0, 1)


TABLES: dict[Expects, np.ndarray] = {
    "srgb": (0.04 + 0.93 * CUBE ** np.array([1.3, 1.2, 1.0])).astype(np.float32),
    "log": shown(np.maximum(from_log(CUBE), 0) ** 1.1),
    "linear": shown(CUBE),
}


@pytest.mark.parametrize("expects", TABLES)
def test_what_a_table_expects_is_told_from_its_greys(expects: Expects) -> None:
    found = guess(HeldTable.of(TABLES[expects]))
    assert found.expects == expects and "middle grey comes out at" in found.words
    assert np.abs(found.neutral - np.linspace(0, 100, 33)).mean() < 8


def test_the_log_curve_is_that_of_its_standard() -> None:
    # AMPAS S-2016-001: 0.18 encodes to 0.4135884, 1.0 to 0.5547945, black to 0.0729055.
    assert log_encoded(np.array([0.18, 1.0, 0.0], np.float32)) == pytest.approx([0.4135884, 0.5547945, 0.0729055])
    values = np.linspace(0, 1, 50, dtype=np.float32)
    assert np.allclose(from_log(log_encoded(values)), values, atol=1e-4)


@pytest.mark.parametrize("expects", EXPECTS)
def test_a_table_that_does_nothing_does_nothing_in_any_encoding_of_a_screen(expects: Expects) -> None:
    colours = decode_curve(np.random.default_rng(3).uniform(0.1, 0.9, (60, 3)).astype(np.float32), SRGB_CURVE)
    made = HeldTable.of(CUBE).looked_up(encoded_for(colours, expects))
    if expects in ("linear", "log", "log-wide"):
        assert np.allclose(made, encoded_for(colours, expects), atol=1e-4)
    else:
        assert np.allclose(linear_from(made, expects), colours, atol=1e-4)
    assert neutral_line(HeldTable.of(CUBE), "srgb") == pytest.approx(np.linspace(0, 100, 33), abs=0.4)


def test_a_table_without_its_colours_says_so_and_is_known_by_its_content() -> None:
    one, other = HeldTable.of(TABLES["srgb"]), HeldTable.of(TABLES["log"])
    assert one == HeldTable(one.digest) != other and hash(one) == hash(HeldTable(one.digest))
    with pytest.raises(TableError, match="not kept here"):
        HeldTable(one.digest).looked_up(CUBE.reshape(-1, 3))
    at = np.array([[0.25, 0.5, 0.75]], np.float32)
    assert one.looked_up(at) == pytest.approx(0.04 + 0.93 * at ** [1.3, 1.2, 1.0], abs=1e-3)


def test_the_head_of_a_table_is_read_without_its_lines() -> None:
    text = write_cube(CUBE, "Evening, lamps").replace("LUT_3D_SIZE", "DOMAIN_MAX 2 2 2\nLUT_3D_SIZE")
    head = read_head(text[:400])
    assert (head.title, head.size, head.lines) == ("Evening, lamps", 33, 3)
    assert head.words == "33 points a side, for values from 0 to 2"
    assert read_head("LUT_1D_SIZE 64\n").words == "curves of 64 points"


@pytest.fixture(scope="module")
def before() -> np.ndarray:
    picture = load_rgb(DEMO / "frames" / "AT-0101.jpg").astype(np.float32) / 255
    return cv2.resize(picture, (750, 500), interpolation=cv2.INTER_AREA)


def graded(picture: np.ndarray) -> np.ndarray:
    return np.clip(0.06 + 0.88 * picture ** np.array([1.2, 1.3, 1.0]), 0, 1).astype(np.float32)


def table_of(before: np.ndarray, after: np.ndarray) -> HeldTable:
    return HeldTable.of(infer_table([(before, after)]).table)


def test_a_pair_of_which_one_is_cut_is_laid_over_the_part_that_both_show(before: np.ndarray) -> None:
    after = graded(before)
    whole = lay_over(before, after)
    assert whole.words == "shown alike" and np.array_equal(whole.before, before)
    cut = lay_over(before, cv2.resize(np.ascontiguousarray(after[50:450, 60:660]), (750, 500)))
    assert re.fullmatch("one is cropped: the 6[34] % that both show were compared", cut.words)
    assert cut.before.shape == cut.after.shape and 0.55 < cut.before.size / before.size < 0.66
    assert np.abs(graded(cut.before) - cut.after).mean() < 0.02
    tall = lay_over(before, np.ascontiguousarray(after[:, 100:500]))
    assert "one is cropped" in tall.words and np.abs(graded(tall.before) - tall.after).mean() < 0.02


def test_what_does_not_agree_is_found_where_it_is_and_left_out(before: np.ndarray) -> None:
    after = graded(before)
    edited = after.copy()
    edited[200:300, 300:420] = edited[200:300, 300:420] * 0.5 + 0.3
    pair = lay_over(before, edited)
    off = disagrees(disagreement(pair, table_of(pair.before, pair.after)))
    assert off[205:295, 305:415].mean() > 0.85
    off[190:310, 290:430] = False
    assert off.mean() < 0.01
    clean = lay_over(before, after)
    assert disagrees(disagreement(clean, table_of(before, after))).mean() < 0.005


def test_a_pair_of_different_pictures_is_refused(before: np.ndarray) -> None:
    other = cv2.resize(load_rgb(DEMO / "frames" / "AT-0117.jpg").astype(np.float32) / 255, (750, 500))
    for after in (other, np.ascontiguousarray(other[:, :400]), np.full_like(before, 0.5)):
        with pytest.raises(PairError, match="same scene"):
            lay_over(before, after)


def edited(after: np.ndarray, gain: float) -> np.ndarray:
    """A picture (H, W, 3), encoded, made lighter in a soft ellipse over a fifth of it."""
    height, width = after.shape[:2]
    y, x = np.mgrid[0:height, 0:width]
    far = np.hypot((x - 0.4 * width) / (0.25 * width), (y - 0.5 * height) / (0.32 * height))
    weight = np.clip((1.2 - far) / 0.4, 0, 1)[..., None].astype(np.float32)
    lighter = from_linear(to_linear(after) * np.float32(gain)).clip(0, 1)
    return np.asarray(after + weight * (lighter - after), dtype=np.float32)


@pytest.fixture(scope="module")
def clean(photo: np.ndarray) -> Inference:
    before = (photo / 255).astype(np.float32)
    return infer_table([(before, graded(before))])


@pytest.mark.parametrize("gain", [1.9, 1.4, 0.6])
def test_an_edit_of_a_part_does_not_leak_into_the_table(photo: np.ndarray, clean: Inference, gain: float) -> None:
    before = (photo / 255).astype(np.float32)
    after = graded(before)
    local = infer_table([(before, edited(after, gain))])
    assert clean.local < 0.01 and 0.1 < local.local < 0.5 and any("locally" in words for words in local.warnings)
    colours = before[::4, ::4].reshape(-1, 3)
    made, wanted = (HeldTable.of(found.table).looked_up(colours) for found in (local, clean))
    off = difference(to_linear(made), to_linear(wanted))
    assert np.quantile(off, 0.95) < 1.5


def test_a_look_that_changes_one_family_of_colours_is_no_edit_of_a_part(photo: np.ndarray) -> None:
    before = (photo / 255).astype(np.float32)
    lab = linear_to_oklab(to_linear(before.reshape(-1, 3)))
    blue = np.exp(-(((lab[:, 1:] - lab[np.argmin(lab[:, 2]), 1:]) / 0.05) ** 2).sum(axis=1))[:, None]
    after = OKLab((lab + blue * np.array([0.08, 0.05, 0.03])).astype(np.float32))
    assert not local_edits(lab, after, [before.shape[:2]]).any()
