"""The sky: regions that score most, its border where the colours have it, and photographs with and without one."""

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from skimage import data

from nuvett.core.area.area import Area
from nuvett.core.area.hierarchy import best_regions, enclosed
from nuvett.core.area.scene import Found, Scene
from nuvett.core.area.sky import SkyPart
from nuvett.core.area.weights import weigh
from nuvett.core.drawing.weighing import scene_of
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.spaces.rgb import Space
from nuvett.core.types import Floats, OKLab
from nuvett.imaging.sky import find_sky
from tests.conftest import DEMO, load_rgb

SIZE = (600, 400)


@given(st.integers(0, 10_000))
def test_no_stripe_is_taken_that_lowers_the_score_and_none_that_does_not_touch_the_top(seed: int) -> None:
    random = np.random.default_rng(seed)
    heights, levels = random.integers(1, 5, 5), random.permutation(5)
    colours = np.repeat(np.repeat(levels, heights)[:, None], 6, axis=1)[..., None].astype(np.float32)
    worth = random.normal(0, 1, 5).astype(np.float32)
    scores = np.repeat(np.repeat(worth, heights)[:, None], 6, axis=1)
    found = best_regions(colours, scores, 0)
    assert found.score == pytest.approx(float(scores[found.chosen].sum()) / scores.size, abs=1e-5)
    assert not found.chosen.any() or found.chosen[0].all()
    alone = worth[0] * heights[0] * 6 / scores.size
    assert found.score >= max(alone, 0) - 1e-6
    assert best_regions(colours, scores, 2).chosen.sum() == 0, "nothing is as large as twice the picture"


def test_what_a_region_shuts_off_belongs_to_it_and_what_reaches_the_lower_border_does_not() -> None:
    region = np.zeros((40, 60), dtype=bool)
    region[:20] = True
    region[5:9, 20:24] = region[:6, :3] = False  # a bird, and a cloud at the side
    region[10:20, 40:44] = False  # a pole that stands on the ground
    shut = enclosed(region)
    assert shut[:10].all() and shut[10:20, :40].all()
    assert not shut[10:20, 40:44].any() and not shut[20:].any()


def landscape() -> tuple[Floats, Floats]:
    """OKLab of a hill with a pole before a sky that darkens upward, and what a net may say of that."""
    width, height = SIZE
    lab = np.zeros((height, width, 3), dtype=np.float32)
    lab[...] = np.linspace(0.6, 0.85, height, dtype=np.float32)[:, None, None] * (1, -0.03, -0.1)
    lab[250:] = (0.35, -0.05, 0.06)
    lab[120:250, 300:309] = (0.3, 0.02, 0.02)
    odds = np.full((40, 40), -4, dtype=np.float32)
    odds[:23] = 3  # coarse, and a little short of the hill
    return cv2.GaussianBlur(lab, (0, 0), 0.8).astype(np.float32), odds


def weights(lab: Floats, odds: Floats) -> Floats:
    scene = Scene(SIZE, lambda: lab[..., 0], lambda: OKLab(lab), Found(sky=lambda: odds))
    return weigh(Area(parts=(SkyPart(),)), scene).values


def test_the_sky_ends_where_the_colours_have_it_and_nothing_is_sky_where_none_is_likely() -> None:
    lab, odds = landscape()
    made = weights(lab, odds)
    assert made[:240, :280].min() > 0.95 and made[256:].max() < 0.05
    assert made[150:240, 303:306].max() < 0.2 and made[150:240, 290:296].min() > 0.9, "a pole of nine pixels is spared"
    assert weights(lab, -np.abs(odds)).max() == 0
    assert weights(np.full_like(lab, 0.5), np.abs(odds)).max() == 0, "nothing is seen in a frame of one colour"
    doubtful = weights(lab, odds * 0 + 0.55)
    assert doubtful.max() == 0, "what is hardly more likely than not is left alone"


def photographed(pixels: np.ndarray) -> Floats:
    size = (pixels.shape[1], pixels.shape[0])
    found = Found(sky=lambda: find_sky(pixels))
    return SkyPart().weigh(scene_of(lambda: pixels, size, Space.SRGB, FramePlan(), found))


@pytest.mark.slow
def test_skies_of_photographs_are_found_and_none_in_rooms_and_still_lifes() -> None:
    dusk, day = photographed(data.rocket()), photographed(np.repeat(data.camera()[..., None], 3, axis=2))
    tall, wide = dusk.shape
    assert dusk[: tall // 3, 11 * wide // 20 : 13 * wide // 20].min() > 0.9 and dusk[-tall // 20 :].max() < 0.1
    assert day[: day.shape[0] // 10].min() > 0.9 and day[day.shape[0] // 2 :].max() < 0.05
    rooms = (load_rgb(DEMO / "frames" / f"{name}.jpg") for name in ("AT-0101", "AT-0112"))
    for plain in (data.coffee(), data.astronaut(), *rooms):
        assert photographed(plain).max() == 0
