"""Even light: gains found, split, joined and applied; set-ups found."""

import json
from datetime import datetime, timedelta

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nuvett.core.even import together
from nuvett.core.even.axes import log_axes
from nuvett.core.even.clouds import Camera
from nuvett.core.even.key import asked_by_key
from nuvett.core.even.light import apply_gains, join_gains, split_gains
from nuvett.core.even.setups import find_setups
from nuvett.core.even.shared import Seen
from nuvett.core.even.together import even_setup
from nuvett.core.even.witnesses import Hearing, heard
from nuvett.core.measure.sampling import stratified_sample
from nuvett.core.planning.series import even_series
from nuvett.core.registration.features import find_features
from nuvett.core.spaces.cielab import difference
from nuvett.core.spaces.rgb import Space, to_linear
from nuvett.imaging.proxy import measuring_proxy
from tests import strategies as ours
from tests.conftest import DEMO, load_rgb

MANIFEST = json.loads((DEMO / "manifest.json").read_text())


@given(st.floats(-3, 3), st.floats(-40, 40), st.floats(-30, 30))
def test_gains_split_and_join_without_loss(exposure: float, warmth: float, tint: float) -> None:
    found = split_gains(join_gains(exposure, warmth, tint))
    assert np.allclose(found, (exposure, warmth, tint), atol=2e-3)


def seen(linear: np.ndarray, exposure: float | None = None) -> Seen:
    return Seen(stratified_sample(linear), find_features(linear), exposure)


def scene(name: str, left: float = 0, right: float = 1) -> np.ndarray:
    """Linear light (h, w, 3) of a part of a demo frame, kept below clipping."""
    pixels = load_rgb(DEMO / "frames" / f"{name}.jpg")
    part = pixels[:, int(left * pixels.shape[1]) : int(right * pixels.shape[1])]
    return measuring_proxy(np.ascontiguousarray(part), Space.SRGB) * np.float32(0.55)


@pytest.mark.slow
@settings(max_examples=6)
@given(ours.gains)
def test_levelling_a_gain_returns_that_gain(gain: tuple[float, float, float]) -> None:
    whole, crop = scene("AT-0104"), scene("AT-0104", 0.2, 0.9)
    mean, red, blue = gain
    factors = (2.0 ** np.array([mean + red, mean, mean + blue])).astype(np.float32)
    found = even_setup([seen(whole), seen(np.clip(crop * factors, 0, 1))], "the whole", 0)[1]
    assert np.abs(np.log2(np.array(found.gains) * factors)).max() < 0.06
    assert found.confidence > 0.9 and found.rests == "points" and found.shared == 1
    assert found.camera < 0.55  # a pure gain shows no camera's curve; a small one does not tell


def test_a_gain_through_a_cameras_curve_is_found_and_undone_through_it() -> None:
    whole = scene("AT-0104") / np.float32(0.55)
    gains = join_gains(-0.7, 12)
    shot = np.clip(apply_gains(whole, gains, 1.0), 0, 1)
    found = even_setup([seen(whole), seen(shot)], "the whole", 0)[1]
    assert found.camera > 0.8
    mended, plainly = (apply_gains(shot, np.array(found.gains, np.float32), c) for c in (found.camera, 0.0))
    assert difference(mended, whole).mean() < 0.5 < 0.8 < difference(plainly, whole).mean()


def test_half_a_cameras_curve_lies_between_none_and_the_whole() -> None:
    ramp = np.repeat(np.linspace(0.01, 0.95, 300, dtype=np.float32)[:, None], 3, axis=1)
    for gains in (join_gains(0.8), join_gains(-0.8)):
        none, half, whole = (apply_gains(ramp, gains, share) for share in (0, 0.5, 1))
        assert np.allclose(half, (none + whole) / 2, atol=1e-6)
        assert (np.diff(whole, axis=0) > 0).all() and whole.max() <= 1
        dark, light = np.log2(whole[5] / ramp[5])[0], np.log2(whole[250] / ramp[250])[0]
        assert abs(dark) > 0.8 > abs(light) and dark * light > 0


def test_frames_that_share_nothing_keep_their_white_and_say_that_only_their_key_is_known() -> None:
    random = np.random.default_rng(5)
    red = (np.array([0.5, 0.02, 0.02]) * random.uniform(0.9, 1, (200, 300, 1))).astype(np.float32)
    blue = (np.array([0.02, 0.03, 0.4]) * random.uniform(0.9, 1, (200, 300, 1))).astype(np.float32)
    for hero in (None, 0):
        found = even_setup([seen(red), seen(blue)], "the base", hero)[1]
        assert found.is_unsure and found.words.endswith(" by the key of its set-up")
        assert np.ptp(np.log2(found.gains)) < 0.02 and 0.1 < log_axes(found.gains)[0] < 0.8
        assert log_axes(found.at(0.5))[0] == pytest.approx(log_axes(found.gains)[0] / 2)


@pytest.mark.slow
def test_the_cameras_record_counts_where_two_frames_show_the_same_view_and_nowhere_else() -> None:
    names = ("AT-0114", "AT-0115", "AT-0116")  # unrelated subjects of one set-up
    exposures = {e["file"][7:14]: e["exposure_ev"] for e in MANIFEST["frames"]}
    scenes = [scene(name) for name in names]
    without = even_setup([seen(s) for s in scenes], "the middle")
    with_it = even_setup([seen(s, exposures[n]) for s, n in zip(scenes, names, strict=True)], "the middle")
    assert [light.gains for light in with_it] == [light.gains for light in without]
    hearing = Hearing([seen(scenes[0], 3.0), seen(scenes[0], 2.0)], [], Camera(0.5))
    assert not [w for w in heard(hearing) if w.kind == "record"], "nothing that they share was found"
    flash = even_setup([seen(scenes[0], 3.0), seen(scenes[0] * np.float32(0.8), 1.0)], "the first", 0)[1]
    assert abs(np.log2(flash.gains[1] * 0.8)) < 0.1 and flash.rests == "points"


def test_frames_are_brought_most_of_the_way_to_one_key_but_never_far_nor_into_white() -> None:
    grey = [np.full((500, 3), level, np.float32) for level in (0.05, 0.1, 0.2)]
    asked = asked_by_key(grey, {})
    assert asked[1] == 0 and 0.5 < asked[0] < 0.7 and asked[2] == pytest.approx(-asked[0])
    assert asked_by_key([grey[0], grey[2]], {1: -1.0})[0] == pytest.approx(asked[0], abs=1e-6), "to what is pinned"
    far = asked_by_key([np.full((500, 3), 0.01, np.float32), grey[2], grey[2]], {})
    assert 0.7 < far[0] < 0.8
    window = np.concatenate([np.full((450, 3), 0.03, np.float32), np.full((50, 3), 0.95, np.float32)])
    assert asked_by_key([window, grey[2], grey[2]], {})[0] == pytest.approx(0.3), "its lights are white already"


def test_nothing_wild_comes_of_frames_without_features() -> None:
    fog = np.full((200, 300, 3), 0.4, np.float32) + np.random.default_rng(1).normal(0, 0.004, (200, 300, 3))
    card = np.full((200, 300, 3), 0.18, np.float32)
    black = np.zeros((200, 300, 3), np.float32)
    lights = even_setup([seen(f.astype(np.float32)) for f in (fog, card, black, black, card)], "the middle")
    assert all(np.isfinite(light.gains).all() and np.abs(np.log2(light.gains)).max() < 0.8 for light in lights)
    assert np.abs(np.log2(lights[2].gains)).max() < 0.3, "what is black has no key"
    assert lights[1].gains == pytest.approx(lights[4].gains, abs=1e-3)
    assert even_setup([seen(black)], "the middle")[0].gains == (1.0, 1.0, 1.0)
    twice = even_setup([seen(scene("AT-0104"))] * 2, "the middle")
    assert np.allclose([light.gains for light in twice], 1, atol=0.01)


@pytest.mark.slow
def test_large_set_ups_are_evened_by_some_of_their_frames_and_any_order_is_alike(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(together, "MAX_TOGETHER", 6)
    base = seen(scene("AT-0104"))
    steps = [round(0.4 * np.sin(i), 3) for i in range(9)]
    levels = {step: seen(scene("AT-0104") * np.float32(2**step)) for step in steps}
    found = even_setup([base, *(levels[step] for step in steps)], "the hero", 0)
    off = [log_axes(light.gains)[0] + step for light, step in zip(found[1:], steps, strict=True)]
    assert np.abs(off).max() < 0.08
    turned = even_setup([levels[steps[1]], base, levels[steps[0]]], "the hero", 1)
    plain = even_setup([base, levels[steps[0]], levels[steps[1]]], "the hero", 0)
    assert turned[0].gains == pytest.approx(plain[2].gains, rel=0.02)


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
    linear = to_linear((photo / 255).astype(np.float32)) * np.float32(0.6)
    brighter = seen(linear * np.float32(1.3))
    found = even_series([seen(linear), brighter, brighter], [0, 0, 1], hero=1)
    assert found[1].gains == (1.0, 1.0, 1.0)
    assert abs(found[0].exposure - np.log2(1.3)) < 0.06
    assert found[2].gains == (1.0, 1.0, 1.0)  # alone in its set-up


def test_set_ups_are_found_by_pauses_and_frames_without_time_stay_in_company() -> None:
    start = datetime(2026, 9, 18, 9, 0)
    minutes: list[int | None] = [0, 3, 6, None, 9, 70, 72, 75, 140]
    taken = [None if m is None else start + timedelta(minutes=m) for m in minutes]
    assert find_setups(taken) == [0, 0, 0, 0, 0, 1, 1, 1, 2]
    nan = np.nan
    day, lamp, odd = (np.array(v, np.float32) for v in ([0.1, -0.2, nan], [0.8, -1.1, nan], [0.75, -1.0, nan]))
    assert find_setups([None] * 7, [day, day, odd, day, lamp, lamp, lamp]) == [0, 0, 0, 0, 1, 1, 1]
    sun, shade = (np.array([0.1, -0.2, level], np.float32) for level in (-3.0, -5.6))
    assert find_setups([None] * 6, [sun, sun, shade, sun, shade, shade]) == [0, 0, 0, 0, 1, 1]
    assert find_setups([]) == [] and find_setups([None, None]) == [0, 0]
