"""A veil over a set-up: found where all frames have it, as thick as it is, and taken off."""

import numpy as np
import pytest

from nuvett.core.fit.veil import Veil, veil_over, without_veil
from nuvett.core.plan.light import VeilOperation
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear
from nuvett.core.spaces.rgb import Space, to_linear
from nuvett.core.steps.veil import VeilStep
from nuvett.core.types import Encoded01, Linear, OKLab
from tests.conftest import DEMO, load_rgb

SETUP = ("AT-0101", "AT-0102", "AT-0103", "AT-0104")
BLUISH = (0.9, 1.0, 1.15)


def seen(name: str, veil: float = 0.0, colour: tuple[float, float, float] = BLUISH) -> OKLab:
    pixels = load_rgb(DEMO / "frames" / f"{name}.jpg")[::5, ::5].reshape(-1, 3) / np.float32(255)
    light = to_linear(Encoded01(pixels.astype(np.float32)), Space.SRGB)
    return linear_to_oklab(Linear((light * (1 - veil) + veil * np.array(colour)).astype(np.float32)))


def found(veil: float) -> Veil:
    told = veil_over([seen(name, veil) for name in SETUP])
    assert told is not None
    return told


def test_a_veil_over_all_frames_is_found_and_one_over_some_or_none_is_not() -> None:
    assert veil_over([seen(name) for name in SETUP]) is None
    assert veil_over([seen(name, 0.03) for name in SETUP[:2]]) is None, "two frames may both be pale"
    assert veil_over([seen(name, 0.03 if n else 0) for n, name in enumerate(SETUP)]) is None
    colours = ((1.6, 0.7, 0.7), (0.7, 0.7, 1.6), (0.7, 1.3, 0.7))
    lamps = [seen(name, 0.06, colour) for name, colour in zip(SETUP, colours, strict=False)]
    assert veil_over(lamps) is None, "light of three colours is no one veil"
    thin, thick = found(0.02), found(0.05)
    assert abs(thin.colour[0] - 0.02 ** (1 / 3)) < 0.01 and abs(thick.colour[0] - 0.05 ** (1 / 3)) < 0.01
    reddish = veil_over([seen(name, 0.05, BLUISH[::-1]) for name in SETUP])
    assert reddish and reddish.colour[2] > thick.colour[2] + 0.01, "its tint is told"


@pytest.mark.parametrize("veil", [0.02, 0.05])
def test_frames_without_their_veil_are_as_they_were(veil: float) -> None:
    told = OKLab(np.array(found(veil).colour, dtype=np.float32))
    for name in SETUP:
        true, veiled = seen(name), seen(name, veil)
        off, still = (np.abs(colours - true).mean() for colours in (without_veil(veiled, told), veiled))
        assert off < 0.3 * still
    white = OKLab(np.array([[1.0, 0, 0], [0.0, 0, 0]], dtype=np.float32))
    kept = without_veil(white, OKLab(np.array([told[0], 0, 0], dtype=np.float32)))
    assert abs(kept[0, 0] - 1) < 0.01 and 0 <= kept[1, 0] < 0.12, "white is kept, and nothing is less than black"


def test_a_veil_is_taken_off_by_half_and_one_under_another_is_added_to_it() -> None:
    grey = OKLab(np.array([[0.6, 0.02, -0.02]], dtype=np.float32))
    step = VeilStep(light=20)
    (whole,) = step.resolve(None)  # type: ignore[arg-type]
    half = VeilOperation(veil=whole.veil, amount=0.5).apply(grey, grey, Space.SRGB)
    assert np.allclose(half, (grey + whole.apply(grey, grey, Space.SRGB)) / 2, atol=1e-6)
    both = VeilStep().thicker((0.3, 0.0, 0.01))
    assert both.light > 0 and both.yellow > 0
    twice = both.thicker((0.2, 0.0, 0.0))
    first, second = (OKLab(np.array([c], dtype=np.float32)) for c in ((0.3, 0.0, 0.01), (0.2, 0.0, 0.0)))
    one_by_one = without_veil(without_veil(grey, first[0]), second[0])
    assert np.abs(without_veil(grey, twice.colour) - one_by_one).max() < 0.01
    assert np.all(oklab_to_linear(first) > 0)
