"""Faces are found where they are, and the skin hold then follows them."""

import numpy as np
import pytest
from skimage import data

from nuvett.core.skin import skin_centres, skin_membership
from nuvett.core.spaces.oklab import linear_to_oklab, oklch_to_oklab
from nuvett.core.spaces.rgb import Space
from nuvett.core.types import Linear
from nuvett.imaging.faces import find_faces
from nuvett.imaging.proxy import measuring_proxy
from tests.conftest import DEMO, load_rgb


@pytest.fixture(scope="module")
def portrait() -> Linear:
    return measuring_proxy(data.astronaut(), Space.SRGB)


def test_a_face_is_found_where_it_is_and_none_in_a_cup_or_in_noise(portrait: Linear) -> None:
    (face,) = find_faces(portrait)
    assert face.x < 0.44 < face.x + face.width and face.y < 0.24 < face.y + face.height
    assert 0.1 < face.width < 0.3
    assert find_faces(measuring_proxy(data.coffee(), Space.SRGB)) == []
    noise = np.random.default_rng(3).uniform(0, 1, (300, 400, 3)).astype(np.float32)
    assert find_faces(noise) == []


def test_a_face_draws_the_skin_family_closer_about_its_own_colour(portrait: Linear) -> None:
    (face,) = find_faces(portrait)
    centres = skin_centres(linear_to_oklab(np.array([face.colour], np.float32)))
    assert len(centres) == 1
    own = oklch_to_oklab(np.array([[0.6, centres[0][1], np.degrees(centres[0][2])]], np.float32))
    brick = oklch_to_oklab(np.array([[0.6, 0.08, 30.0]], np.float32))
    assert skin_membership(own, centres)[0] == 1
    assert skin_membership(brick, centres)[0] < 0.5 * skin_membership(brick)[0]


def test_what_cannot_be_skin_is_not_taken_for_a_face() -> None:
    green = oklch_to_oklab(np.array([[0.6, 0.12, 145.0]], np.float32))
    assert skin_centres(green) == ()
    assert np.array_equal(skin_membership(green, ()), skin_membership(green))


def test_faces_of_the_demo_are_found_and_its_pots_are_not_taken_for_any() -> None:
    def faces(name: str) -> int:
        return len(find_faces(measuring_proxy(load_rgb(DEMO / "frames" / f"{name}.jpg"), Space.SRGB)))

    assert [faces(name) for name in ("AT-0102", "AT-0106", "AT-0117", "AT-0135")] == [1] * 4
    assert [faces(name) for name in ("AT-0109", "AT-0121", "AT-0129", "AT-0134", "AT-0136")] == [0] * 5
