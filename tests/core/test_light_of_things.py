"""Even light by things that a person pointed at: their colours' ratios are heard beside all other witnesses."""

from collections.abc import Mapping

import numpy as np
import pytest

from nuvett.core.even.axes import log_axes
from nuvett.core.even.shared import Seen
from nuvett.core.even.together import even_against, even_setup
from nuvett.core.registration.features import Features
from nuvett.core.types import Linear

RNG = np.random.default_rng(21)
BLUE, RED = (0.08, 0.12, 0.4), (0.35, 0.09, 0.06)
Things = Mapping[str, tuple[float, float, float]]


def seen(things: Things, key: float = 0.2) -> Seen:
    """A frame of noise about a middle lightness, with things pointed at in it."""
    noise = Linear(RNG.uniform(0.2, 1.8, (600, 3)).astype(np.float32) * np.float32(key))
    return Seen(noise, Features.none(), None, things)


def lit(colour: tuple[float, float, float], ev: float, warm: float = 0.0) -> tuple[float, float, float]:
    red, green, blue = colour
    return red * 2 ** (ev + warm), green * 2**ev, blue * 2 ** (ev - warm)


def needed(frames: list[Seen], hero: int | None = 0) -> np.ndarray:
    return np.array([log_axes(light.gains) for light in even_setup(frames, "the hero", hero)])


@pytest.mark.parametrize("ev", [-0.8, -0.4, 0.4])
def test_a_frame_is_brought_to_where_what_was_pointed_at_is_as_light_as_on_the_hero(ev: float) -> None:
    things = {"jug": lit(BLUE, ev), "bowl": lit(RED, ev)}
    found = needed([seen({"jug": BLUE, "bowl": RED}), seen(things)])
    assert found[0] == pytest.approx([0, 0, 0], abs=1e-6)
    assert np.sign(found[1][0]) == -np.sign(ev) and abs(found[1][0]) > 0.5 * abs(ev)
    alone = needed([seen({"jug": BLUE, "bowl": RED}), seen({"lid": lit(BLUE, ev)})])
    assert abs(alone[1][0]) < 0.2 * abs(ev), "what is seen in one frame says nothing of two"


def test_white_follows_what_was_pointed_at_and_the_reason_is_said() -> None:
    frames = [seen({"jug": BLUE, "bowl": RED}), seen({"jug": lit(BLUE, 0, 0.15), "bowl": lit(RED, 0, 0.15)})]
    light = even_setup(frames, "the hero", 0)[1]
    red_green, blue_green = log_axes(light.gains)[1:]
    assert red_green < -0.05 and blue_green > 0.05
    darker = even_setup([frames[0], seen({"jug": lit(BLUE, -0.6), "bowl": lit(RED, -0.6)})], "the hero", 0)[1]
    assert darker.rests == "things" and "by what you pointed at in it" in darker.words


def test_most_things_decide_where_one_stands_in_shade() -> None:
    hero = dict.fromkeys("abcd", BLUE)
    shaded = {name: lit(BLUE, -0.4) for name in "abc"} | {"d": lit(BLUE, -2.5)}
    without = {name: lit(BLUE, -0.4) for name in "abc"}
    both = [needed([seen(hero), seen(things)])[1][0] for things in (shaded, without)]
    assert both[0] == pytest.approx(both[1], abs=0.12)


def test_a_later_frame_is_held_against_those_before_by_things_too() -> None:
    anchors = [(seen({"jug": BLUE}), even_setup([seen({})], "the hero")[0]) for _ in range(4)]
    dark = even_against(seen({"jug": lit(BLUE, -0.7)}), anchors, "the hero")
    plain = even_against(seen({}), anchors, "the hero")
    assert log_axes(dark.gains)[0] > log_axes(plain.gains)[0] + 0.3
    black = even_against(seen({"jug": (0.0, 0.0, 0.0)}), anchors, "the hero")
    assert np.isfinite(black.gains).all(), "a thing that is black in one frame does no harm"
