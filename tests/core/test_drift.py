"""Drift: a distance in the mathematical sense, with reasons that a person would agree with."""

import cv2
import numpy as np
import pytest
from hypothesis import given, settings

from nuvett.core.drift.drift import Yardstick, distance, form_of, measure_drift, outliers, spread_of
from nuvett.core.look.look import Look
from nuvett.core.measure.sampling import stratified_sample
from nuvett.core.measure.statistics import measure
from nuvett.core.plan.apply import apply_plan
from nuvett.core.planning.lacking import near, told_of, unmatched
from nuvett.core.planning.planning import aim_of_statistics, plan_frame
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear, oklab_to_oklch
from nuvett.core.spaces.rgb import to_linear
from nuvett.core.types import Linear, OKLab
from tests import strategies as ours
from tests.conftest import DEMO, load_rgb


def cloud_of(picture: np.ndarray) -> np.ndarray:
    return linear_to_oklab(stratified_sample(to_linear((picture / 255).astype(np.float32)), count=2048))


@given(ours.seeds, ours.seeds)
@settings(max_examples=15)
def test_drift_is_nothing_to_oneself_and_the_same_both_ways(first: int, second: int) -> None:
    a, b = (linear_to_oklab(to_linear(ours.cloud(seed, 600))) for seed in (first, second))
    assert distance(a, Yardstick.of(a)) < 1e-4
    assert distance(a, Yardstick.of(b)) == pytest.approx(distance(b, Yardstick.of(a)), rel=1e-3, abs=1e-4)
    shuffled = np.random.default_rng(0).permutation(a)
    assert distance(shuffled, Yardstick.of(b)) == pytest.approx(distance(a, Yardstick.of(b)), abs=1e-4)


@pytest.mark.parametrize(
    ("spoil", "kind", "words"),
    [
        (lambda c: c + np.float32([-0.09, 0, 0]), "lightness", "darker"),
        (lambda c: c + np.float32([0.08, 0, 0]), "lightness", "lighter"),
        (lambda c: c + np.float32([0, -0.01, -0.04]), "colour", "cooler"),
        (lambda c: c + np.float32([0, 0.01, 0.04]), "colour", "warmer"),
        (lambda c: c + np.float32([0, -0.035, 0.01]), "colour", "greener"),
        (lambda c: c.mean(axis=0) + (c - c.mean(axis=0)) * np.float32([0.6, 1, 1]), "contrast", "flatter"),
        (lambda c: c * np.float32([1, 0.3, 0.3]), "chroma", "duller"),
        (lambda c: c * np.float32([1, 1.8, 1.8]), "chroma", "richer"),
    ],
)
def test_a_frame_spoiled_in_one_way_is_told_that_way(photo: np.ndarray, spoil, kind: str, words: str) -> None:  # type: ignore[no-untyped-def]
    cloud = cloud_of(photo)
    found = measure_drift(spoil(cloud).astype(np.float32), Yardstick.of(cloud))
    assert found.reasons[0].kind == kind and words in found.words
    assert found.reasons[0].share > 0.8


def test_a_black_and_white_frame_is_told_so_and_called_neither_cooler_nor_duller(photo: np.ndarray) -> None:
    cloud = (cloud_of(photo) * np.float32([1, 2, 2])).astype(np.float32)
    grey = (cloud * np.float32([1, 0, 0]) + np.float32([0.06, 0, 0])).astype(np.float32)
    words = measure_drift(grey, Yardstick.of(cloud)).words
    assert "black-and-white" in words and "lighter" in words
    assert not any(word in words for word in ("cooler", "warmer", "greener", "duller", "palette"))
    both = measure_drift(grey, Yardstick.of(grey - np.float32([0.06, 0, 0]))).words
    assert "lighter" in both and "black-and-white" not in both


def test_a_carried_frame_drifts_less(photo: np.ndarray, still: np.ndarray) -> None:
    linear = stratified_sample(to_linear((photo / 255).astype(np.float32)))
    target = measure(cloud_of(still))
    plan = plan_frame(measure(linear_to_oklab(linear)), aim_of_statistics(target), Look())
    yardstick = Yardstick.of(np.asarray(target.cloud))
    before, after = (
        measure_drift(linear_to_oklab(linear), yardstick),
        measure_drift(apply_plan(plan, linear), yardstick),
    )
    assert after.value < 0.5 * before.value


def test_outliers_stand_out_and_even_series_have_none() -> None:
    assert outliers([2.0, 2.1, 2.2, 1.9, 2.0, 6.0]) == [False] * 5 + [True]
    assert not any(outliers([2.0, 2.01, 2.02, 2.0, 2.1]))
    assert outliers([1.0, 9.0]) == [False, False]


def test_a_series_of_equal_frames_has_no_spread(photo: np.ndarray) -> None:
    cloud = cloud_of(photo)
    form, lighter = form_of(cloud), form_of(cloud + np.float32([0.1, 0, 0]))
    assert spread_of([form]) == 0 == pytest.approx(spread_of([form, form, form]), abs=1e-5)
    assert spread_of([form, lighter]) == pytest.approx(50 * np.abs(lighter - form).mean(), rel=1e-4)


def test_prints_are_told_by_their_toning_and_never_as_cooler(photo: np.ndarray) -> None:
    grey = cloud_of(photo)
    grey[:, 1:] = 0
    sepia, strong, cyan = (OKLab(grey + np.array([0, *tint], dtype=np.float32)) for tint in TONINGS)
    aim = Yardstick.of(sepia)
    words = {name: measure_drift(cloud, aim).words for name, cloud in (("strong", strong), ("cyan", cyan))}
    assert "more strongly toned" in words["strong"] or "toned warmer" in words["strong"]
    assert "toned cooler" in words["cyan"]
    plain = measure_drift(OKLab(grey), aim).words
    assert "less toned" in plain and "cooler" not in plain and "unlike" not in plain
    coloured = Yardstick.of(cloud_of(photo))
    assert "toned" not in measure_drift(cloud_of(photo) + np.float32(0.03), coloured).words


TONINGS = ((0.01, 0.04), (0.02, 0.09), (-0.01, -0.06))


def _seen_in(name: str) -> OKLab:
    picture = cv2.resize(load_rgb(DEMO / "frames" / f"{name}.jpg"), (240, 160), interpolation=cv2.INTER_AREA)
    return linear_to_oklab(to_linear((picture.reshape(-1, 3) / 255).astype(np.float32)))


@pytest.mark.parametrize(
    ("name", "hue"),
    [
        *(("AT-0101", 75), ("AT-0102", 50), ("AT-0106", 45), ("AT-0108", 60), ("AT-0117", 30), ("AT-0124", 250)),
        *(("AT-0121", 60), ("AT-0133", 75), ("AT-0109", 65), ("AT-0107", 190)),
    ],
)
def test_a_colour_painted_out_of_a_frame_is_named_and_nothing_else(name: str, hue: float) -> None:
    whole = _seen_in(name)
    assert not unmatched(whole, whole)
    for gains in ((1.2, 1.15, 1.1), (0.85, 0.9, 0.95)):
        lit = linear_to_oklab(Linear(oklab_to_linear(whole) * np.float32(gains)))
        assert not unmatched(lit, whole), "another light is no missing colour"
    lch = oklab_to_oklch(whole)
    family = (np.abs((lch[:, 2] - hue + 180) % 360 - 180) < 45) & (lch[:, 1] > 0.03)
    painted = whole.copy()
    painted[family, 1:] *= np.float32(0.05)
    found = unmatched(painted, whole)
    assert found and all(one.kind == "lacked" for one in found)
    angles = [np.degrees(np.arctan2(one.colour[2], one.colour[1])) for one in found]
    assert all(abs((angle - hue + 180) % 360 - 180) < 50 for angle in angles)
    own = OKLab(np.array([found[0].colour, (0.5, 0, 0)], dtype=np.float32))
    assert told_of(found, "lacked", own) == (True, False) and told_of(found, "foreign", own) == (False, False)
    assert found[0].share <= family.mean() + 0.02 and "lacks the target’s" in found[0].words
    back = unmatched(whole, painted)
    assert [one.kind for one in back] == ["foreign"] * len(back) and len(back) == len(found)
    assert near(whole, back[0].colour)[family].mean() > near(whole, back[0].colour)[~family].mean()


def test_what_could_become_a_missing_colour_is_said() -> None:
    whole = _seen_in("AT-0107")
    lch = oklab_to_oklch(whole)
    family = (np.abs((lch[:, 2] - 190 + 180) % 360 - 180) < 45) & (lch[:, 1] > 0.03)
    dull, gone = whole.copy(), whole.copy()
    dull[family, 1:] *= np.float32(0.45)
    gone[family, 1:] = 0
    assert "a move by hand from its" in unmatched(dull, whole)[0].advice
    assert unmatched(gone, whole)[0].advice == "nothing in the frame could become it"
