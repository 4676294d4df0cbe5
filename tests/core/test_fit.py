"""The fit: laws that hold whatever the picture, and that it arrives at the target."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nuvett.core.drift.drift import Yardstick, distance
from nuvett.core.errors import DocumentError
from nuvett.core.even.even_light import EvenLight
from nuvett.core.fit.colour import NARROWEST, WIDEST, gaussian_map
from nuvett.core.fit.holds import family_ellipses, hold_colours
from nuvett.core.fit.keep import keep_own_colour
from nuvett.core.fit.moves import sinkhorn
from nuvett.core.fit.tone import GENTLEST, TONE_GRID, aim_ends, fit_tone
from nuvett.core.look.handles import drag
from nuvett.core.look.look import Look, parse_look
from nuvett.core.look.trim import Trim
from nuvett.core.look.words import describe
from nuvett.core.measure.pooling import mix, pull_weights
from nuvett.core.measure.sampling import Sample, colour_order, placed_sample, stratified_sample
from nuvett.core.measure.statistics import Statistics, interpolate_zones, measure
from nuvett.core.plan.apply import apply_plan
from nuvett.core.plan.fitted import KeepOperation, ToneOperation
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.planning import aim_of_statistics, plan_frame
from nuvett.core.planning.series import Measured, Pools
from nuvett.core.planning.suggest import suggest_pull
from nuvett.core.planning.usual import usual_look
from nuvett.core.reading.family import Family
from nuvett.core.reading.reading import Weighed, blend, read
from nuvett.core.skin import skin, skin_membership
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear
from nuvett.core.spaces.rgb import to_linear
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.steps.hold import FamilyHold, HoldStep
from nuvett.core.steps.mono import MonoStep
from nuvett.core.steps.moves import MoveStep
from nuvett.core.steps.saturation import SaturationStep
from nuvett.core.steps.spread import SpreadStep
from nuvett.core.steps.tone import ToneStep
from nuvett.core.steps.zones import ZoneStep
from tests import strategies as ours

FULL = Look(
    vivid=0,
    tone=ToneStep(amount=100, steepest=2.6),
    zones=ZoneStep(amount=100, whites=100),
    spread=SpreadStep(amount=100),
    moves=MoveStep(amount=100),
)


def sample_of(picture: np.ndarray) -> np.ndarray:
    return stratified_sample(to_linear((picture / 255).astype(np.float32)))


def placed(picture: np.ndarray) -> Sample:
    return placed_sample(to_linear((picture / 255).astype(np.float32)))


def statistics_of(linear: np.ndarray) -> Statistics:
    return measure(linear_to_oklab(linear))


@given(ours.quantiles, ours.quantiles, st.floats(1, 4))
def test_tone_rises_everywhere_and_no_steeper_than_allowed(
    source: np.ndarray, target: np.ndarray, steepest: float
) -> None:
    curve = fit_tone(source, target, steepest)
    slopes = np.diff(curve) * (len(curve) - 1)
    assert (slopes >= 0).all()
    assert slopes.max() <= steepest + 0.02
    assert curve.min() >= 0 and curve.max() <= 1.0001


@given(ours.quantiles)
def test_tone_toward_oneself_changes_nothing(source: np.ndarray) -> None:
    assert np.abs(fit_tone(source, source) - TONE_GRID).max() < 2e-3


def test_black_and_white_aims_are_met(photo: np.ndarray, still: np.ndarray) -> None:
    target = aim_ends(statistics_of(sample_of(still)).lightness, 0.25, 0.9)
    curve = fit_tone(statistics_of(sample_of(photo)).lightness, target, 2.6)
    low, high = np.quantile(np.interp(linear_to_oklab(sample_of(photo))[:, 0], TONE_GRID, curve), [0.005, 0.995])
    assert low == pytest.approx(0.25, abs=0.04) and high == pytest.approx(0.9, abs=0.04)


@given(ours.seeds)
@settings(max_examples=10)
def test_transfer_to_oneself_is_the_identity(seed: int) -> None:
    linear = stratified_sample(to_linear(ours.cloud(seed)))
    own = statistics_of(linear)
    plan = plan_frame(own, aim_of_statistics(own), FULL)
    assert np.abs(apply_plan(plan, linear) - linear_to_oklab(linear)).max() < 5e-3


@given(ours.looks)
@settings(max_examples=15)
def test_strength_nothing_is_the_evened_input(photo: np.ndarray, still: np.ndarray, look: Look) -> None:
    linear = sample_of(photo)
    none = look.model_copy(update={"strength": 0.0})
    plan = plan_frame(statistics_of(linear), aim_of_statistics(statistics_of(sample_of(still))), none)
    assert np.array_equal(apply_plan(plan, linear), linear_to_oklab(linear))


def test_the_fit_arrives_near_the_target_and_keeps_order(photo: np.ndarray, still: np.ndarray) -> None:
    linear, target = sample_of(photo), statistics_of(sample_of(still))
    plan = plan_frame(statistics_of(linear), aim_of_statistics(target), FULL)
    yardstick = Yardstick.of(np.asarray(target.cloud))
    before, after = (distance(c, yardstick) for c in (linear_to_oklab(linear), apply_plan(plan, linear)))
    assert after < 0.3 * before
    grey = to_linear(np.repeat(np.linspace(0, 1, 256, dtype=np.float32)[:, None], 3, axis=1))
    axis = apply_plan(plan, grey)
    assert (np.diff(axis[:, 0]) > -1e-3).all()
    assert np.abs(np.diff(axis[8:], axis=0)).max() < 0.03  # the neutral axis stays smooth


def test_a_grey_reference_gives_a_clean_black_and_white(photo: np.ndarray, still: np.ndarray) -> None:
    grey = np.repeat(still.mean(axis=2, keepdims=True), 3, axis=2)
    linear = sample_of(photo)
    plan = plan_frame(statistics_of(linear), aim_of_statistics(statistics_of(sample_of(grey))), FULL)
    lab = apply_plan(plan, linear)
    before = linear_to_oklab(linear)
    assert np.hypot(lab[:, 1], lab[:, 2]).mean() < 0.5 * np.hypot(before[:, 1], before[:, 2]).mean()


def test_a_reference_of_one_flat_colour_does_nothing_wild(photo: np.ndarray) -> None:
    flat = np.full((60, 60, 3), (200, 90, 40), np.uint8)
    linear = sample_of(photo)
    plan = plan_frame(statistics_of(linear), aim_of_statistics(statistics_of(sample_of(flat))), FULL)
    lab = apply_plan(plan, linear)
    assert np.isfinite(lab).all()
    assert np.abs(lab[:, 1:]).max() < 0.35 and lab[:, 0].min() > -0.05 and lab[:, 0].max() < 1.1
    tone = plan.find(ToneOperation).curve
    assert (np.diff(tone) > 0).all() and np.diff(tone).min() * 128 > GENTLEST - 0.02


@given(ours.seeds)
def test_the_gaussian_map_is_symmetric_limited_and_exact_between_like_spreads(seed: int) -> None:
    random = np.random.default_rng(seed)
    a, b = (np.cov(random.normal(size=(2, 30)) * random.uniform(0.02, 0.2, (2, 1))) for _ in range(2))
    found = gaussian_map(a, b)
    assert np.allclose(found, found.T, atol=1e-5)
    values = np.linalg.eigvalsh(found)
    assert values.min() >= NARROWEST - 1e-5 and values.max() <= WIDEST + 1e-5
    assert np.allclose(gaussian_map(a, a), np.eye(2), atol=1e-5)
    assert np.allclose(gaussian_map(a, a * 1.44), np.eye(2) * 1.2, atol=1e-4)


@given(ours.seeds)
def test_transport_plans_keep_their_margins(seed: int) -> None:
    random = np.random.default_rng(seed)
    rows, columns = (random.dirichlet(np.ones(7)) * 0.9 + 0.1 / 7 for _ in range(2))
    plan = sinkhorn(random.uniform(0, 0.05, (7, 7)), rows, columns)
    assert np.allclose(plan.sum(axis=1), rows, atol=1e-6)
    assert np.allclose(plan.sum(axis=0), columns, atol=0.03)


@given(st.floats(0, 1))
def test_pull_weights_add_up(pull: float) -> None:
    assert sum(pull_weights(pull)) == pytest.approx(1)


def test_pulling_mixes_quantile_functions(photo: np.ndarray, still: np.ndarray) -> None:
    first, second = statistics_of(sample_of(photo)), statistics_of(sample_of(still))
    mixed = mix([(first, 0.25), (second, 0.75)])
    assert np.allclose(mixed.lightness, 0.25 * first.lightness + 0.75 * second.lightness, atol=1e-6)
    assert mix([(first, 1.0), (second, 0.0)]) is first


def test_held_skin_moves_no_further_than_its_limits(photo: np.ndarray, still: np.ndarray) -> None:
    linear, target = sample_of(photo), statistics_of(sample_of(still))
    hold = HoldStep(on=True, where="everywhere", hue=6, chroma=20, lightness=10)
    plan = plan_frame(statistics_of(linear), aim_of_statistics(target), Look(tone=ToneStep(amount=30), hold=hold))
    before, after = linear_to_oklab(linear), apply_plan(plan, linear)

    def planned(**steps: object) -> np.ndarray:
        look = Look(tone=ToneStep(amount=30), **{"hold": hold, **steps})
        return apply_plan(plan_frame(statistics_of(linear), aim_of_statistics(target), look), linear)

    free = planned(hold=HoldStep(on=False))
    # What is taken back at most, so that a hold ends without an edge, is more than most of these colours need.
    skin = (skin_membership(before) == 1) & (np.linalg.norm(free - after, axis=1) < 0.03) & (before[:, 0] > 0.4)
    assert skin.sum() > 50
    turn = np.degrees(np.arctan2(after[:, 2], after[:, 1]) - np.arctan2(before[:, 2], before[:, 1]))
    turn = np.abs((turn + 180) % 360 - 180)[skin]
    change = np.hypot(after[:, 1], after[:, 2]) / np.maximum(np.hypot(before[:, 1], before[:, 2]), 1e-6)
    assert np.quantile(turn, 0.95) <= 7 and np.quantile(np.abs(change[skin] - 1), 0.95) <= 0.25
    assert np.abs(after[skin, 0] - before[skin, 0]).max() * 116 <= 12
    nobody = planned(hold=hold.model_copy(update={"where": "faces"}))
    assert np.array_equal(nobody, free)  # no face, no hold
    # Black-and-white is neutral, whatever is held.
    assert np.abs(planned(mono=MonoStep(on=True))[:, 1:]).max() < 1e-6
    assert np.hypot(*planned(mono=MonoStep(on=True, amount=50))[:, 1:].T).mean() > 0.01


@given(st.floats(0, 2 * np.pi), st.floats(0, 0.2), st.floats(-0.25, 0.25))
def test_a_hold_leaves_no_edge_not_even_in_faint_colours_sent_to_the_opposite_hue(
    hue: float, away: float, lighter: float
) -> None:
    turn = np.linspace(0, 2 * np.pi, 2000, dtype=np.float32)
    for chroma in (0.005, 0.03, 0.08):
        ring = np.stack([np.full_like(turn, 0.55), chroma * np.cos(turn), chroma * np.sin(turn)], axis=1)
        sent = ring + np.array([lighter, away * np.cos(hue), away * np.sin(hue)], dtype=np.float32)
        held = hold_colours(ring, sent, skin(), HoldStep(on=True))
        steps, asked = (np.linalg.norm(np.diff(c.astype(np.float64), axis=0), axis=1) for c in (held, ring))
        assert (steps / asked).max() < 7


def test_a_held_family_moves_no_further_and_others_go_on(photo: np.ndarray, still: np.ndarray) -> None:
    linear, target = sample_of(photo), statistics_of(sample_of(still))
    before = linear_to_oklab(linear)
    blue = before[np.argmin(before[:, 2])]
    family = Family(colour=(float(blue[0]), float(blue[1]), float(blue[2])), tolerance=20)
    free = plan_frame(statistics_of(linear), aim_of_statistics(target), FULL)
    kept = FamilyHold(family=family, hue=4, chroma=10, lightness=5)
    held = plan_frame(
        statistics_of(linear), aim_of_statistics(target), FULL.with_step(HoldStep(where="nowhere", families=(kept,)))
    )
    near = family_ellipses(family).near(before)
    inside, outside = near.share() > 0.999, near.radius > 5
    moved = np.hypot(*(apply_plan(held, linear) - before)[inside, 1:].T)
    assert inside.any() and moved.max() < 0.2 * np.hypot(before[inside, 1], before[inside, 2]).max()
    assert np.array_equal(apply_plan(held, linear)[outside], apply_plan(free, linear)[outside])


def test_a_trim_acts_after_the_look_and_none_is_none(photo: np.ndarray, still: np.ndarray) -> None:
    linear, aim = sample_of(photo), aim_of_statistics(statistics_of(sample_of(still)))
    own = statistics_of(linear)
    plain, trimmed = (
        plan_frame(own, aim, FULL),
        plan_frame(own, aim, FULL, trim=Trim(exposure=ExposureStep(exposure=0.5))),
    )
    assert plain.group("look").model_dump_json() == trimmed.group("look").model_dump_json()
    assert (apply_plan(trimmed, linear)[:, 0] >= apply_plan(plain, linear)[:, 0] - 1e-4).all()
    grey = apply_plan(plan_frame(own, aim, FULL, trim=Trim(saturation=SaturationStep(saturation=-100))), linear)
    assert np.abs(grey[:, 1:]).max() < 1e-4


def test_plans_survive_json_exactly_and_are_named_by_content(photo: np.ndarray, still: np.ndarray) -> None:
    own = statistics_of(sample_of(photo))
    plan = plan_frame(own, aim_of_statistics(statistics_of(sample_of(still))), FULL)
    again = FramePlan.model_validate_json(plan.model_dump_json())
    assert again.key == plan.key
    assert np.array_equal(apply_plan(again, sample_of(photo)), apply_plan(plan, sample_of(photo)))


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "damaged"),
        ("{", "damaged"),
        ('{"schema_version": 9}', "schema 9"),
        ('{"strength": 400}', "strength"),
        ('{"tone": {"amount": "much"}}', "tone.amount"),
        ('{"gloss": 1}', "gloss"),
    ],
)
def test_broken_look_documents_are_refused_in_words(text: str, words: str) -> None:
    with pytest.raises(DocumentError, match=words):
        parse_look(text)


def test_changes_are_described_in_words() -> None:
    look = Look()
    assert describe(look, look.model_copy(update={"tone": ToneStep(amount=68)})) == "Tone 65 to 68 %"
    assert describe(look, look.model_copy(update={"hold": HoldStep(on=False)})) == "Holds off"
    amber = FamilyHold(family=Family(colour=(0.7, 0.03, 0.13)))
    held = look.with_step(HoldStep(families=(amber,)))
    assert describe(look, held) == "Hold amber 77°" and describe(held, look) == "No longer hold amber 77°"
    assert describe(look, look) == "No change"


def test_a_pull_is_suggested_with_its_reason(photo: np.ndarray, still: np.ndarray) -> None:
    random = np.random.default_rng(2)
    samples = [placed((photo * scale).astype(np.uint8)) for scale in random.uniform(0.35, 1, 5)]
    frames = [Measured(s, EvenLight(), 0) for s in samples]
    look, aim = Look(), aim_of_statistics(statistics_of(sample_of(still)))
    found = suggest_pull(dict(enumerate(frames)), Pools.of(frames, look), aim, look)
    drifts = [t.drift for t in found.trials]
    assert drifts[-1] < drifts[0] and found.trials[0].bending == pytest.approx(0, abs=1e-4)
    assert found.pull > 0 and f"{found.pull} %" in found.words
    alike = [Measured(samples[0], EvenLight(), 0)] * 3
    same = suggest_pull(dict(enumerate(alike)), Pools.of(alike, look), aim, look)
    assert same.pull == 0 and "only 0.0 nearer" in same.words


def test_a_large_coloured_thing_is_not_taken_for_a_cast() -> None:
    random = np.random.default_rng(3)
    wall = np.column_stack(
        [random.uniform(0.3, 0.8, 5000), random.normal(0.005, 0.006, 5000), random.normal(0, 0.006, 5000)]
    )
    bowl = np.column_stack(
        [random.uniform(0.45, 0.65, 2400), random.normal(0.17, 0.01, 2400), random.normal(0.09, 0.01, 2400)]
    )
    lab = np.concatenate([wall, bowl]).astype(np.float32)
    own = measure(lab[colour_order(lab)])
    middle = interpolate_zones(own.zone_tint, np.array([0.55], np.float32))[0]
    assert np.hypot(*middle) < 0.03 < np.hypot(*lab[(lab[:, 0] > 0.5) & (lab[:, 0] < 0.6), 1:].mean(axis=0))


def test_strong_colours_keep_their_share_of_chroma_and_their_hue_by_as_much_as_asked() -> None:
    red = np.array([[0.55, 0.16, 0.08], [0.5, 0.002, 0.001]], np.float32)
    sent = np.array([[0.55, -0.02, 0.06], [0.5, -0.03, 0.02]], np.float32)

    def kept(vivid: float) -> tuple[float, float]:
        out = keep_own_colour(red, sent, vivid, 1)
        assert np.allclose(out[1], sent[1])  # greys go where they are sent
        turn = np.degrees(np.arctan2(out[0, 2], out[0, 1]) - np.arctan2(red[0, 2], red[0, 1]))
        return float(np.hypot(*out[0, 1:]) / np.hypot(*red[0, 1:])), float(abs(turn))

    assert np.array_equal(keep_own_colour(red, sent, 0, 1), sent)
    half, whole = kept(0.35), kept(0.7)
    assert 0.34 < half[0] < 0.45 and 0.69 < whole[0] < 0.8
    assert half[1] < 26 and whole[1] < 26
    assert np.allclose(keep_own_colour(red, red, 0.7, 1), red, atol=2e-3)


def test_whites_take_only_their_part_of_a_tint() -> None:
    ramp = np.array([[0.2, 0, 0], [0.75, 0, 0], [0.97, 0, 0]], np.float32)
    tinted = ramp + np.array([0, 0.02, 0.03], np.float32)
    out = keep_own_colour(ramp, tinted, 0, 0.2)
    taken = out[:, 2] / 0.03
    assert taken[0] == pytest.approx(1) and 0.4 < taken[1] < 0.8 and taken[2] == pytest.approx(0.2, abs=0.02)
    half = keep_own_colour(ramp, tinted, 0, 0.6)
    assert half[2, 2] / 0.03 == pytest.approx(0.6, abs=0.02)
    own = statistics_of(to_linear(ours.cloud(3)))
    looks = Look(), drag(Look(), "zone.highlight", (0.0, 0.08))
    usual, chosen = (plan_frame(own, aim_of_statistics(own), look).find(KeepOperation) for look in looks)
    assert usual.whites < chosen.whites == 1


def test_a_still_without_colour_asks_for_black_and_white_toned_like_it(photo: np.ndarray, still: np.ndarray) -> None:
    silver = (still.mean(axis=2, keepdims=True) * np.array([1.0, 0.985, 0.95])).astype(np.uint8)
    looks = [
        usual_look(blend([Weighed(reading=read(to_linear((p / 255).astype(np.float32))), tone=1, colour=1)]))
        for p in (still, silver)
    ]
    assert not looks[0].mono.on and looks[1].mono.on and looks[1].mono.toned == 100
    target = statistics_of(sample_of(silver))
    linear = sample_of(photo)
    for toned, low, high in ((0, 0, 1e-5), (50, 0.002, 0.006), (100, 0.004, 0.012)):
        look = looks[1].model_copy(update={"mono": looks[1].mono.model_copy(update={"toned": float(toned)})})
        lab = apply_plan(plan_frame(statistics_of(linear), aim_of_statistics(target), look), linear)
        assert low <= np.hypot(lab[:, 1], lab[:, 2]).mean() <= high


def test_the_crossover_moves_the_targets_own_tints(photo: np.ndarray, still: np.ndarray) -> None:
    linear = sample_of(photo)
    own, aim = statistics_of(linear), aim_of_statistics(statistics_of(sample_of(still)))

    def tint(crossover: float, part: str = "both") -> float:
        """Blue to yellow of a middle grey: this still is teal in the dark and amber in the light."""
        zones = ZoneStep(amount=100, whites=100, crossover=crossover, part=part)  # type: ignore[arg-type]
        plan = plan_frame(own, aim, Look(vivid=0, zones=zones, moves=MoveStep(on=False), spread=SpreadStep(on=False)))
        grey = oklab_to_linear(np.array([[0.6, 0, 0]], np.float32))
        return float(apply_plan(plan, grey)[0, 2])

    assert tint(20) > tint(35) > tint(50) > tint(80)
    assert tint(20, "tone") == pytest.approx(tint(80, "tone"), abs=1e-6)
