"""Sizes and sharpness of finished pictures."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nuvett.core.output.sharpening import SHARPEN_WORDS, sharpened
from nuvett.core.output.sizes import Resize

SIDES = st.integers(min_value=20, max_value=12000)


@given(SIDES, SIDES, SIDES)
def test_an_edge_is_what_was_asked_and_nothing_is_enlarged(width: int, height: int, pixels: int) -> None:
    for by, natural in (("long", max), ("short", min)):
        edge = Resize(by=by, pixels=pixels).edge((width, height))
        if pixels >= natural(width, height):
            assert edge is None
        else:
            scale = (edge or 0) / max(width, height)
            assert (
                abs(natural(width, height) * scale - pixels) <= 0.5 * natural(width, height) / max(width, height) + 1e-6
            )


@given(SIDES, SIDES)
def test_paper_turns_with_the_picture_and_holds_it(width: int, height: int) -> None:
    paper = Resize(by="print", width=20, height=30, dpi=254)  # 2000 × 3000 pixels
    edge = paper.edge((width, height))
    assert edge == paper.edge((height, width))
    scale = (edge or max(width, height)) / max(width, height)
    assert max(width, height) * scale <= 3000.5 and min(width, height) * scale <= 2001


def test_megapixels_are_of_the_area() -> None:
    edge = Resize(by="megapixels", megapixels=1.5).edge((6000, 4000))
    assert edge == 1500 and Resize().edge((6000, 4000)) is None


@pytest.mark.parametrize("kind", [np.uint8, np.uint16])
def test_sharpening_steepens_edges_without_a_rim_and_leaves_level_places(kind: type) -> None:
    top = np.iinfo(kind).max
    ramp = np.interp(np.arange(120), [0, 57, 63, 119], [0.3, 0.3, 0.7, 0.7])
    pixels = np.repeat((ramp[None, :, None] * top).astype(kind), 700, axis=0).repeat(3, axis=2)
    made = [sharpened(pixels, how) for how in SHARPEN_WORDS]
    assert made[0] is pixels
    slopes = [float(np.abs(np.diff(m[350, :, 1].astype(float))).max()) / top for m in made]
    assert slopes == sorted(slopes) and slopes[3] > 1.1 * slopes[0]
    for one in made[1:]:
        assert one.dtype == kind and np.abs(one[:, :50].astype(float) - pixels[:, :50]).max() <= 0.01 * top
        assert one.max() <= (0.7 + 0.035) * top and one.min() >= (0.3 - 0.035) * top
        assert np.ptp(one[:, 60, 1].astype(float)) <= 0.008 * top, "strips cannot be seen"


def test_sharpening_adds_no_colour() -> None:
    rng = np.random.default_rng(4)
    pixels = (rng.uniform(0.2, 0.6, (60, 60, 1)) + np.array([0.2, 0, 0.1])) * 65535
    made = sharpened(pixels.astype(np.uint16), "strong").astype(float)
    assert np.abs((made[..., 0] - made[..., 1]) - 0.2 * 65535).max() < 3
