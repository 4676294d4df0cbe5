"""Smaller stand-ins of pictures: means over area in linear light, however large the picture is."""

import numpy as np
import pytest

from nuvett.core.spaces.curves import encode_curve
from nuvett.core.spaces.rgb import SPACES, Space, to_linear
from nuvett.imaging.proxy import measuring_proxy, shrink_linear, view


@pytest.mark.parametrize("depth", [np.uint8, np.uint16])
@pytest.mark.parametrize(("side", "beyond"), [(2, 0), (3, 1), (7, 5)])
def test_a_box_is_the_mean_of_the_light_in_it(depth: type, side: int, beyond: int) -> None:
    pixels = np.random.default_rng(side).integers(0, np.iinfo(depth).max + 1, (10 * side, 12 * side + beyond, 3), depth)
    light = to_linear((pixels / np.iinfo(depth).max).astype(np.float32))[:, : 12 * side]
    wanted = light.reshape(10, side, 12, side, 3).mean(axis=(1, 3))
    assert np.allclose(shrink_linear(pixels, 12, 10, Space.SRGB), wanted, atol=2e-6)


def test_what_lies_between_whole_factors_keeps_the_light_of_the_whole() -> None:
    pixels = np.random.default_rng(1).integers(0, 256, (1501, 2203, 3), np.uint8)
    light = to_linear((pixels / 255).astype(np.float32)).mean(axis=(0, 1))
    proxy = measuring_proxy(pixels, Space.SRGB)
    assert np.allclose(proxy.mean(axis=(0, 1)), light, atol=1e-3)
    seen = to_linear((view(pixels, Space.SRGB, 700) / 255).astype(np.float32))
    assert np.allclose(seen.mean(axis=(0, 1)), light, atol=2e-3)


def test_a_part_of_a_larger_array_is_shrunk_as_a_copy_of_it_is() -> None:
    whole = np.random.default_rng(2).integers(0, 256, (90, 120, 3), np.uint8)
    part = whole[10:70, 20:110]
    assert np.array_equal(shrink_linear(part, 30, 20, Space.SRGB), shrink_linear(part.copy(), 30, 20, Space.SRGB))


@pytest.mark.parametrize("space", Space)
def test_a_view_has_the_codes_of_the_light_it_shows(space: Space) -> None:
    pixels = np.random.default_rng(3).integers(0, 256, (60, 90, 3), np.uint8) // np.array([1, 4, 40], np.uint8)
    light = encode_curve(shrink_linear(pixels, 30, 20, space), SPACES[space].curve)
    seen = view(pixels, space, 30)
    assert seen.shape == (20, 30, 3) and np.abs(seen - 255 * np.clip(light, 0, 1)).max() < 0.55
