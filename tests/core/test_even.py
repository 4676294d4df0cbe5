"""Even light: gains found, split, joined and applied; set-ups found."""

from datetime import datetime, timedelta

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from nuvett.core.even.light import apply_gains, join_gains, split_gains
from nuvett.core.even.overlay import light_cloud, overlay
from nuvett.core.even.setups import find_setups
from nuvett.core.reading.sampling import stratified_sample
from nuvett.core.series import even_series
from nuvett.core.spaces.rgb import to_linear
from tests import strategies as ours


@given(st.floats(-3, 3), st.floats(-40, 40), st.floats(-30, 30))
def test_gains_split_and_join_without_loss(exposure: float, warmth: float, tint: float) -> None:
    found = split_gains(join_gains(exposure, warmth, tint))
    assert np.allclose(found, (exposure, warmth, tint), atol=2e-3)


@settings(max_examples=12)
@given(ours.gains)
def test_levelling_a_gain_returns_that_gain(photo: np.ndarray, gain: tuple[float, float, float]) -> None:
    linear = stratified_sample(to_linear((photo / 255).astype(np.float32))) * np.float32(0.5)
    mean, red, blue = gain
    factors = 2.0 ** np.array([mean + red, mean, mean + blue])
    found = overlay(light_cloud((linear * factors).astype(np.float32)), light_cloud(linear))
    assert np.abs(np.log2(np.array(found.gains) * factors)).max() < 0.05
    assert found.confidence > 0.8


def test_a_frame_with_nothing_in_common_is_left_nearly_alone_and_says_so() -> None:
    random = np.random.default_rng(5)
    red = (np.array([0.5, 0.02, 0.02]) * random.uniform(0.9, 1, (4000, 1))).astype(np.float32)
    blue = (np.array([0.02, 0.03, 0.4]) * random.uniform(0.9, 1, (4000, 1))).astype(np.float32)
    found = overlay(light_cloud(red), light_cloud(blue))
    assert found.confidence < 0.2
    assert np.abs(np.log2(found.gains)).max() < 0.1


@given(ours.colours, ours.gains)
def test_gains_roll_off_and_flatten_nothing(values: np.ndarray, gain: tuple[float, float, float]) -> None:
    factors = (2.0 ** np.array(gain)).astype(np.float32)
    ramp = np.repeat(np.linspace(0, 0.9, 200, dtype=np.float32)[:, None], 3, axis=1)
    out = apply_gains(ramp, factors)
    assert (np.diff(out, axis=0) > 0).all()
    assert out.max() <= max(1.0, float(factors.min())) + 1e-6
    dark = values * 0.02
    assert np.allclose(apply_gains(dark, factors), dark * factors, rtol=0.02, atol=1e-6)


def test_the_hero_stays_and_its_set_up_follows_it(photo: np.ndarray) -> None:
    linear = stratified_sample(to_linear((photo / 255).astype(np.float32))) * np.float32(0.6)
    brighter = (linear * np.float32(1.3)).astype(np.float32)
    found = even_series([linear, brighter, brighter], [0, 0, 1], hero=1)
    assert found[1].gains == (1.0, 1.0, 1.0)
    assert abs(found[0].exposure - np.log2(1.3)) < 0.06
    assert found[2].gains == (1.0, 1.0, 1.0)  # alone in its set-up


def test_set_ups_are_found_by_pauses_and_frames_without_time_stay_in_company() -> None:
    start = datetime(2026, 9, 18, 9, 0)
    minutes: list[int | None] = [0, 3, 6, None, 9, 70, 72, 75, 140]
    taken = [None if m is None else start + timedelta(minutes=m) for m in minutes]
    assert find_setups(taken) == [0, 0, 0, 0, 0, 1, 1, 1, 2]
    day, lamp, odd = (np.array(v, np.float32) for v in ([0.1, -0.2], [0.8, -1.1], [0.75, -1.0]))
    assert find_setups([None] * 7, [day, day, odd, day, lamp, lamp, lamp]) == [0, 0, 0, 0, 1, 1, 1]
    assert find_setups([]) == [] and find_setups([None, None]) == [0, 0]
