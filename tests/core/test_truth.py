"""What an editor would not forgive: torn skies, grey whites, foreign hues, toned prints taken for colour."""

import numpy as np
import pytest

from nuvett.core.drift.drift import Yardstick, measure_drift
from nuvett.core.even.shared import Seen
from nuvett.core.even.together import even_setup
from nuvett.core.fit.colour import zone_tints
from nuvett.core.fit.grey import GreyHue
from nuvett.core.fit.keep import keep_softly
from nuvett.core.fit.tone import TONE_GRID, has_faded_blacks, has_faded_whites, keep_ends, tonality
from nuvett.core.look.look import Look
from nuvett.core.measure.sampling import placed_sample, stratified_sample
from nuvett.core.measure.statistics import PROBABILITIES, ZONE_LIGHTNESS, measure
from nuvett.core.plan.apply import apply_plan
from nuvett.core.plan.by_hand import GreyOperation
from nuvett.core.planning.framed import Seeing
from nuvett.core.planning.planning import aim_of, aim_of_statistics, plan_frame
from nuvett.core.planning.series import drift_of
from nuvett.core.planning.usual import is_monochrome, usual_look
from nuvett.core.planning.warnings import notes_on
from nuvett.core.reading.reading import Target, Weighed, blend, read
from nuvett.core.registration.features import find_features
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear
from nuvett.core.spaces.rgb import Space
from nuvett.core.steps.moves import MoveStep
from nuvett.core.types import Floats, Linear, OKLab
from nuvett.imaging.proxy import measuring_proxy
from tests import strategies as ours
from tests.conftest import DEMO, load_rgb

STILLS = sorted((DEMO / "stills").glob("*.jpg"))


def lab(*colours: tuple[float, float, float]) -> OKLab:
    return OKLab(np.array(colours, dtype=np.float32))


def hue(ab: Floats) -> float:
    return float(np.degrees(np.arctan2(ab[1], ab[0])) % 360)


@pytest.mark.parametrize("toward", [(0.06, 0.05), (0.0, 0.1), (-0.05, 0.0)])
def test_soft_colours_of_a_sky_part_no_further_than_they_lay(toward: tuple[float, float]) -> None:
    chroma = np.linspace(0.01, 0.13, 400, dtype=np.float32)
    sky = OKLab(np.stack([np.full(400, 0.6, np.float32), -0.1 * chroma, -chroma], axis=1))
    tinted = OKLab(sky + np.array([0, *toward], dtype=np.float32) * np.float32(0.8))
    made = keep_softly(sky, tinted, 0.7, 0.2)
    steps = np.linalg.norm(np.diff(made, axis=0), axis=1) / np.linalg.norm(np.diff(sky, axis=0), axis=1)
    assert steps.max() < 2.2
    half = keep_softly(sky, OKLab((sky + tinted) / 2), 0.7, 0.2)
    assert np.linalg.norm(half - sky, axis=1).mean() < 0.8 * np.linalg.norm(made - sky, axis=1).mean()


def test_strong_things_keep_their_hue_and_a_share_of_their_chroma() -> None:
    red, duller = lab((0.55, 0.18, 0.09)), lab((0.55, 0.05, 0.09))
    kept, free = keep_softly(red, duller, 0.7, 1)[0], keep_softly(red, duller, 0, 1)[0]
    assert np.hypot(*kept[1:]) > 0.62 * np.hypot(0.18, 0.09) > np.hypot(*free[1:])
    assert abs(hue(kept[1:]) - hue(red[0, 1:])) < 26 < abs(hue(free[1:]) - hue(red[0, 1:]))


def test_white_takes_no_tint_unless_it_is_asked_to() -> None:
    greys = lab((1.0, 0, 0), (0.7, 0, 0), (0.3, 0, 0))
    tinted = OKLab(greys + np.array([0, 0.02, 0.05], dtype=np.float32))
    chroma = {whites: np.hypot(*keep_softly(greys, tinted, 0.7, whites)[:, 1:].T) for whites in (0.2, 0.6, 1)}
    assert chroma[0.2][0] < 0.002 and chroma[1][0] == pytest.approx(np.hypot(0.02, 0.05), rel=1e-3)
    assert chroma[0.2][1] < chroma[0.6][1] < chroma[1][1] and chroma[0.2][2] > 0.9 * chroma[1][2]


def test_a_colour_sent_across_grey_becomes_no_hue_of_neither() -> None:
    sky = lab((0.93, -0.02, -0.03))
    across, along = (OKLab(sky + np.array([0, *by], dtype=np.float32)) for by in ((-0.01, 0.05), (-0.004, -0.006)))
    mint, deeper = (keep_softly(sky, after, 0, 1)[0, 1:] for after in (across, along))
    assert np.hypot(*mint) < 0.8 * np.hypot(*across[0, 1:]), "greyer where the hue is neither blue nor warm"
    assert np.allclose(deeper, along[0, 1:], atol=1e-4), "and as it was where it is its own"


def test_a_targets_tints_change_slowly_with_lightness_and_fade_towards_black() -> None:
    jump = np.where(ZONE_LIGHTNESS[:, None] < 0.5, (-0.05, -0.04), (0.05, 0.09)).astype(np.float32)
    grey = measure(ours.cloud(3, 3000))
    plain = grey.model_copy(update={"zone_tint": np.zeros((17, 2), dtype=np.float32)})
    own, there = zone_tints(plain, grey.model_copy(update={"zone_tint": jump}), TONE_GRID)
    added = there - own
    steps = np.linalg.norm(np.diff(added, axis=0), axis=1) * 16
    assert steps[5:].max() < 0.26 < np.linalg.norm(np.diff(jump, axis=0), axis=1).max() * 16
    assert np.abs(added[0]).max() == 0 and np.linalg.norm(added[3]) < np.linalg.norm(added[6])
    assert np.linalg.norm(added[-1]) > 0.05


def ramp(low: float, high: float) -> Floats:
    return np.interp(PROBABILITIES, [0, 1], [low, high]).astype(np.float32)


def test_a_target_that_lies_far_off_is_followed_only_so_far_either_way() -> None:
    day = ramp(0.3, 1.0)
    near, night = ramp(0.22, 0.95), ramp(0.0, 0.35)
    assert np.array_equal(tonality(day, near), near)
    followed = tonality(day, night)
    middle = float(np.median(followed) - np.median(day))
    assert -0.23 < middle < -0.15 and followed[0] == night[0] and (np.diff(followed) >= 0).all()
    brighter = tonality(night, day)
    assert 0.15 < float(np.median(brighter) - np.median(night)) < 0.23 and brighter[-1] == day[-1]
    less = tonality(day, ramp(0.1, 0.5))
    assert middle < float(np.median(less) - np.median(day)) < -0.1


def test_whites_and_blacks_stay_unless_the_target_is_followed() -> None:
    flat = np.asarray(0.2 + 0.5 * TONE_GRID, dtype=np.float32)
    free, whites, both = (keep_ends(flat, *shares) for shares in ((1, 1), (0, 1), (0, 0)))
    assert np.array_equal(free, flat)
    assert whites[-1] > 0.98 and whites[0] == pytest.approx(0.2) and both[0] < 0.02
    half = keep_ends(flat, 0.5, 1)
    assert half[-1] == pytest.approx((free[-1] + whites[-1]) / 2, abs=0.01)
    assert (np.diff(both) >= 0).all() and np.diff(both).max() * 128 < 2.8
    lifted = np.asarray(np.minimum(TONE_GRID * 1.2, 1), dtype=np.float32)
    assert np.array_equal(keep_ends(lifted, 0, 1), lifted), "what is lighter already is left"


def test_white_stays_where_tone_put_it_though_the_greys_below_go_to_a_palette_at_night() -> None:
    day = np.concatenate([np.linspace(0.3, 0.9, 3800), np.full(200, 0.995)]).astype(np.float32)
    night = linear_to_oklab(Linear(stratified_sample(measuring_proxy(load_rgb(STILLS[2]), Space.SRGB)) * 0.06))
    greys = OKLab(np.stack([day, 0 * day + 0.003, 0 * day + 0.003], axis=1))
    ends = {}
    for amount in (0.0, 35.0, 70.0):
        look = Look().with_step(MoveStep(amount=amount))
        plan = plan_frame(measure(greys), aim_of_statistics(measure(night)), look)
        ends[amount] = apply_plan(plan, Linear(oklab_to_linear(greys)))[:, 0]
    white, light = day > 0.99, (day > 0.7) & (day < 0.75)
    for amount, least in ((35.0, 0.96), (70.0, 0.93)):  # CIE L* 95 and 92
        assert ends[amount][white].min() > least
        assert float((ends[0.0] - ends[amount])[light].mean()) > 0.002 * amount, "the greys are moved all the same"


def test_only_a_faded_end_of_a_target_is_an_end_of_its_own() -> None:
    faded = np.interp(PROBABILITIES, [0, 0.1, 0.9, 1], [0.38, 0.4, 0.86, 0.87]).astype(np.float32)
    assert has_faded_whites(faded) and has_faded_blacks(faded)
    for other in (ramp(0, 1), ramp(0.0, 0.4), ramp(0.45, 0.95)):
        assert not has_faded_whites(other)
    assert not has_faded_blacks(ramp(0, 1))


def target_of(linear: Linear) -> Target:
    return blend([Weighed(reading=read(linear), tone=1, colour=1)])


TONINGS = {
    "neutral": lambda w: (0 * w, 0 * w),
    "sepia": lambda w: (0.015 * np.sin(np.pi * w), 0.05 * np.sin(np.pi * w)),
    "cyanotype": lambda w: (-0.02 * np.sin(np.pi * w), -0.09 * np.sin(np.pi * w)),
    "selenium": lambda w: (0.02 * (1 - w), -0.02 * (1 - w)),
    "split": lambda w: (0.04 * w - 0.02, 0.11 * w - 0.05),
}


@pytest.mark.parametrize("toning", TONINGS)
def test_toned_prints_are_without_colour_and_colour_stills_are_not(toning: str) -> None:
    for path in STILLS:
        linear = measuring_proxy(load_rgb(path), Space.SRGB)
        grey = linear_to_oklab(Linear(linear.reshape(-1, 3)))
        a, b = TONINGS[toning](np.clip(grey[:, 0], 0, 1))
        print_of = oklab_to_linear(OKLab(np.stack([grey[:, 0], a, b], axis=1).astype(np.float32)))
        made = target_of(Linear(np.clip(print_of, 0, 1).reshape(linear.shape)))
        assert is_monochrome(made) and usual_look(made).mono.on
        assert is_monochrome(target_of(linear)) == ("silver" in path.name), path.name


def test_black_and_white_weighs_the_colours_of_the_frame_and_not_of_the_cast() -> None:
    came = lab((0.8, -0.02, 0.15), (0.8, -0.1, 0.08))
    cast = lab((0.6, 0.06, 0.09), (0.6, 0.055, 0.085))
    yellow = (GreyHue(hue=98, lighter=60, before=25, after=25),)
    own, plain = (GreyOperation(hues=yellow, own=own).apply(cast, came, Space.SRGB)[:, 0] for own in (True, False))
    assert own[0] - own[1] > 0.06 > 0.02 > abs(plain[0] - plain[1])


def test_drift_says_what_no_change_of_light_or_cast_could_take_away() -> None:
    cloud = linear_to_oklab(stratified_sample(measuring_proxy(load_rgb(STILLS[0]), Space.SRGB)))[:2000]
    shifted = OKLab(cloud * np.array([0.8, 1.3, 1.3], dtype=np.float32) + np.array([0.1, 0.02, 0.03], np.float32))
    reached = measure_drift(shifted, Yardstick.of(OKLab(cloud)))
    assert reached.shown is not None and reached.shown < 0.15 * reached.value
    other = linear_to_oklab(stratified_sample(measuring_proxy(load_rgb(STILLS[1]), Space.SRGB)))[:2000]
    alike = OKLab(other + (cloud.mean(axis=0) - other.mean(axis=0)))
    found = measure_drift(alike, Yardstick.of(OKLab(cloud)))
    assert found.shown is not None and found.shown > 0.3 * found.value


def poor(kind: str) -> Linear:
    """Pictures (120, 160, 3) that say little: nothing but one thing everywhere."""
    random = np.random.default_rng(4)
    plain = {"black": (0, 0, 0), "white": (1, 1, 1), "one colour": (0.3, 0.1, 0.05)}
    if kind == "noise":
        return Linear(random.random((120, 160, 3)).astype(np.float32))
    return Linear(np.full((120, 160, 3), plain[kind], dtype=np.float32))


@pytest.mark.parametrize("kind", ["black", "white", "one colour", "noise"])
def test_pictures_that_say_little_are_evened_planned_and_measured_all_the_same(kind: str) -> None:
    picture = poor(kind)
    still = measuring_proxy(load_rgb(STILLS[0]), Space.SRGB)
    frames = [Seen(stratified_sample(one), find_features(one)) for one in (picture, still, picture)]
    lights = even_setup(frames, "the middle")
    assert all(np.isfinite(light.gains).all() and light.words for light in lights)
    assert even_setup(frames[:1], "the middle")[0].gains == (1.0, 1.0, 1.0), "a set-up of one frame stays"
    if kind in ("black", "white"):
        assert np.abs(np.log2(lights[0].gains)).max() < 0.3, "and what has no key is left"
    sample = placed_sample(picture)
    own = measure(linear_to_oklab(sample.colours))
    for target in (target_of(still), target_of(picture)):
        plan = plan_frame(own, aim_of(target), usual_look(target), lights[0])
        made = oklab_to_linear(apply_plan(plan, sample.colours))
        assert np.isfinite(made).all()
        assert np.isfinite(drift_of(plan, sample, Seeing(), Yardstick.of(OKLab(target.statistics.cloud))).value)
        notes_on(plan, sample, Seeing())
    onto = plan_frame(measure(linear_to_oklab(placed_sample(still).colours)), aim_of(target_of(picture)), Look())
    assert np.isfinite(apply_plan(onto, placed_sample(still).colours)).all()
