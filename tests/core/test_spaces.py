"""Colour spaces: round trips of everything registered, published figures, and other libraries as witnesses."""

import hashlib
from pathlib import Path

import numpy as np
import pytest
from coloraide import Color
from hypothesis import given
from hypothesis import strategies as st
from skimage.color import deltaE_ciede2000

from nuvett.core.spaces import cielab, gamut, oklab, rgb
from nuvett.core.spaces.names import colour_name
from nuvett.core.spaces.rgb import Space
from tests import strategies as ours

TABLE = Path(__file__).parent / "ciede2000.csv"
COLORAIDE = {Space.SRGB: "srgb", Space.P3: "display-p3", Space.ADOBE_RGB: "a98-rgb", Space.PROPHOTO: "prophoto-rgb"}


def test_ciede2000_agrees_with_the_published_pairs() -> None:
    assert hashlib.sha256(TABLE.read_bytes()).hexdigest() == (
        "4a9c4346cf00a0d2290d89bb8f62f6b106da8de51a7da27d20e337eaed34a28e"
    )
    table = np.loadtxt(TABLE, delimiter=",")
    assert len(table) == 34
    assert np.abs(cielab.ciede2000(table[:, :3], table[:, 3:6]) - table[:, 6]).max() < 1e-4


@given(ours.seeds)
def test_ciede2000_agrees_with_another_library(seed: int) -> None:
    random = np.random.default_rng(seed)
    first, second = (random.uniform([0, -90, -90], [100, 90, 90], (40, 3)) for _ in range(2))
    assert np.allclose(cielab.ciede2000(first, second), deltaE_ciede2000(first, second), atol=1e-6)


@pytest.mark.parametrize("space", list(Space))
@given(values=ours.wide_colours)
def test_every_space_survives_the_way_there_and_back(space: Space, values: np.ndarray) -> None:
    linear = rgb.to_linear(values, space)
    assert np.allclose(rgb.to_linear(rgb.from_linear(linear, space), space), linear, atol=1e-5, rtol=2e-4)
    assert np.allclose(rgb.from_linear(linear, space), values, atol=2e-3)


@pytest.mark.parametrize(("space", "theirs"), COLORAIDE.items())
def test_spaces_and_oklab_agree_with_another_library(space: Space, theirs: str) -> None:
    values = np.random.default_rng(3).uniform(0, 1, (30, 3)).astype(np.float32)
    found = oklab.linear_to_oklab(rgb.to_linear(values, space))
    expected = [Color(theirs, [float(v) for v in row]).convert("oklab").coords() for row in values]
    assert np.abs(found - np.array(expected)).max() < 2e-4


@given(ours.wide_colours)
def test_oklab_and_oklch_survive_the_way_there_and_back(values: np.ndarray) -> None:
    lab = oklab.linear_to_oklab(values)
    assert np.allclose(oklab.oklab_to_linear(lab), values, atol=2e-4)
    assert np.allclose(oklab.oklch_to_oklab(oklab.oklab_to_oklch(lab)), lab, atol=1e-5)


@pytest.mark.parametrize("space", [Space.SRGB, Space.P3])
@given(values=ours.wide_colours)
def test_gamut_mapping_keeps_hue_and_lightness_and_what_was_inside(space: Space, values: np.ndarray) -> None:
    lab = oklab.linear_to_oklab(values)
    lab[:, 0] = np.clip(lab[:, 0], 0.05, 0.95)
    mapped = gamut.map_to_gamut(lab, space)
    assert mapped.min() >= 0 and mapped.max() <= 1
    back = oklab.linear_to_oklab(mapped @ rgb.matrix_between(space, Space.SRGB).T)
    assert np.abs(back[:, 0] - lab[:, 0]).max() < gamut.JUST_NOTICEABLE * 1.6
    chroma_before, chroma_after = (np.hypot(c[:, 1], c[:, 2]) for c in (lab, back))
    assert (chroma_after <= chroma_before + gamut.JUST_NOTICEABLE).all()
    inside = oklab.linear_to_oklab(np.clip(values, 0.02, 0.98))
    assert np.allclose(gamut.map_to_gamut(inside), np.clip(values, 0.02, 0.98), atol=2e-4)


def test_gamut_mapping_agrees_with_the_method_of_css() -> None:
    vivid = [Color("oklch", [light, 0.33, hue]) for light in (0.4, 0.6, 0.8) for hue in range(0, 360, 45)]
    lab = np.array([c.convert("oklab").coords() for c in vivid], dtype=np.float32)
    expected = [c.clone().fit("srgb", method="oklch-chroma").convert("srgb-linear").coords() for c in vivid]
    found = oklab.linear_to_oklab(gamut.map_to_gamut(lab))
    wanted = oklab.linear_to_oklab(np.clip(np.array(expected, dtype=np.float32), 0, 1))
    assert np.linalg.norm(found - wanted, axis=1).max() < 0.02


@pytest.mark.parametrize(
    ("code", "name"),
    [
        ("#ff0000", "red"), ("#ffa500", "amber"), ("#ffff00", "yellow"), ("#008000", "green"), ("#008080", "teal"),
        ("#0000ff", "blue"), ("#800080", "purple"), ("#ffffff", "white"), ("#000000", "black"), ("#808080", "grey"),
    ],
)  # fmt: skip
def test_colours_are_called_what_people_call_them(code: str, name: str) -> None:
    lab = oklab.linear_to_oklab(rgb.to_linear(rgb.parse_hex(code)))
    assert name in colour_name(lab)


@pytest.mark.parametrize("bad", ["", "#12", "#12345g", "red", "#1234567"])
def test_a_colour_code_that_is_none_is_refused(bad: str) -> None:
    with pytest.raises(ValueError):
        rgb.parse_hex(bad)


@given(st.floats(0.3, 0.97), st.floats(0.01, 0.35))
def test_greys_pushed_outward_stop_short_of_the_last_code(lightness: float, chroma: float) -> None:
    hue = np.linspace(0, 2 * np.pi, 73, dtype=np.float32)
    grey = np.stack([np.full_like(hue, lightness), 0 * hue, 0 * hue], axis=1)
    pushed = grey + chroma * np.stack([0 * hue, np.cos(hue), np.sin(hue)], axis=1)
    made = rgb.from_linear(gamut.map_to_gamut(gamut.ease_outward(grey, pushed)))
    assert made.max() < 254.5 / 255
