"""Soft colour on pixels: what tears is found and measured, what stays whole is left alone."""

import numpy as np
import pytest

from nuvett.core.book.soft import BLOCK, WINDOW, block_noise, soft_colour, soft_windows, tear_in
from nuvett.core.spaces.oklab import oklab_to_linear
from nuvett.core.types import CIELab, Linear, OKLab

RNG = np.random.default_rng(4)
NOISE = RNG.normal(size=(96, 96, 2)).astype(np.float32)


def haze(chroma_noise: float, lightness_noise: float = 0.0) -> Linear:
    lab = np.empty((96, 96, 3), np.float32)
    lab[..., 0] = 0.7 + np.linspace(0, 0.1, 96) + lightness_noise * NOISE[..., 0]
    lab[..., 1:] = np.array([-0.02, -0.05]) + chroma_noise * NOISE
    return oklab_to_linear(OKLab(lab))


def test_a_gradient_is_no_noise_and_noise_is_measured_as_it_is() -> None:
    ramp = np.add.outer(np.arange(30.0), np.arange(40.0))[..., None] * np.ones(3)
    assert block_noise(CIELab(ramp)).shape == (2, 3, 3) and block_noise(CIELab(ramp)).max() < 1e-9
    noise = block_noise(CIELab(ramp[:24, :24] + RNG.normal(scale=1.5, size=(24, 24, 3))))
    assert noise == pytest.approx(np.full((2, 2, 3), 1.5), rel=0.2)


@pytest.mark.parametrize("times", [1.0, 1.5, 3.0])
def test_soft_colour_is_torn_where_its_noise_is_seen_and_was_not(times: float) -> None:
    found = soft_colour(haze(0.002), haze(0.002 * times))
    assert found.gain == pytest.approx(times, rel=0.15) and found.torn == (1.0 if times > 2 else 0.0)
    assert soft_colour(haze(0.0004), haze(0.0004 * times)).torn == 0, "noise that nobody sees"
    assert soft_colour(haze(0.002, 0.05), haze(0.002 * times, 0.05)) == soft_colour(haze(0, 0.05), haze(0, 0.05)), (
        "nothing there is soft"
    )


def test_places_are_soft_of_unlike_colours_and_inside_the_picture() -> None:
    lab = np.full((120, 180, 3), 0.6, np.float32)
    lab[..., 1:] = 0
    lab[:, 60:, 0] += 0.2 * RNG.normal(size=(120, 120))
    lab[:60, :60, 1:] = (0.08, 0.03)
    boxes = soft_windows(oklab_to_linear(OKLab(lab)), (1800, 1200))
    assert 2 <= len(boxes) <= 6 and all((width, height) == (WINDOW, WINDOW) for *_, width, height in boxes)
    assert all(left >= 0 and left + WINDOW <= 1800 and top >= 0 and top + WINDOW <= 1200 for left, top, *_ in boxes)
    assert np.mean([left < 600 for left, *_ in boxes]) == 1
    middles = [(left + WINDOW / 2, top + WINDOW / 2) for left, top, *_ in boxes]
    assert any(x < 600 and y < 600 for x, y in middles) and any(x < 600 and y > 600 for x, y in middles)
    small = soft_windows(oklab_to_linear(OKLab(lab)), (40, 30))
    assert small and all((width, height) == (36, 24) for *_, width, height in small)
    assert not soft_windows(oklab_to_linear(OKLab(lab)), (BLOCK - 1, 300))
    black, white = (Linear(np.full((50, 50, 3), value, np.float32)) for value in (0, 1))
    assert not soft_windows(black, (500, 500)) and not soft_windows(white, (500, 500))


def test_a_picture_is_torn_by_its_soft_places_together_and_the_worst_is_named() -> None:
    calm, some, torn = soft_colour(haze(0.002), haze(0.002)), (10, 0, 96, 96), (20, 0, 96, 96)
    bad = soft_colour(haze(0.002), haze(0.008))
    assert tear_in([]) is None and tear_in([(some, calm)] * 30 + [(torn, bad)]) is None
    found = tear_in([(some, calm), (torn, bad)])
    assert found is not None and found.box == torn and found.words == "soft colour 4.0 times as noisy"
