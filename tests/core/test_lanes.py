"""What is done to colours one by one in compiled form, held against numpy in double precision, and however cut."""

from unittest.mock import patch

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nuvett.core import lanes
from nuvett.core.even.light import apply_gains
from nuvett.core.fit import wash
from nuvett.core.fit.blend import BlendMode
from nuvett.core.fit.casts import without_casts
from nuvett.core.fit.chroma import saturated
from nuvett.core.fit.curves import STRAIGHT, curved
from nuvett.core.fit.grey import GreyHue, greyed
from nuvett.core.fit.holds import HoldLimits, family_ellipses, hold_colours
from nuvett.core.fit.hues import HueBand, ranged
from nuvett.core.fit.keep import keep_softly
from nuvett.core.fit.moves import Move, apply_moves
from nuvett.core.measure.statistics import measure_zones
from nuvett.core.plan.fitted import ByLightness, SpreadOperation, TintOperation, ToneOperation
from nuvett.core.reading.family import Family
from nuvett.core.skin import skin, skin_centres
from nuvett.core.spaces.gamut import ease_outward, encoded_in, map_to_gamut
from nuvett.core.spaces.oklab import LINEAR_TO_LMS, linear_to_oklab, oklab_to_linear
from nuvett.core.spaces.rgb import DELIVERED, Space, from_linear
from nuvett.core.types import Floats, Linear, OKLab
from tests import strategies as ours
from tests.core import by_numpy

_NEAR = 3e-6  # OKLab or light; single precision leaves about half of it
COUNTS = st.sampled_from([1, 7, 255, 256, 257, 700])


def light(seed: int, count: int) -> Linear:
    """Linear light, some of it outside the cube, some at its ends."""
    random = np.random.default_rng(seed)
    made = random.uniform(-0.1, 1.2, (count, 3))
    made[:: max(1, count // 9)] = random.choice([0.0, 1.0, 0.95, 1e-7], (len(made[:: max(1, count // 9)]), 3))
    return Linear(made.astype(np.float32))


def labs(seed: int, count: int) -> OKLab:
    """OKLab colours in and about the gamut, greys, black and white among them."""
    random = np.random.default_rng(seed)
    chroma, hue = random.uniform(0, 0.4, count) * random.integers(0, 2, count), random.uniform(-np.pi, np.pi, count)
    made = np.stack([random.uniform(-0.05, 1.05, count), chroma * np.cos(hue), chroma * np.sin(hue)], axis=1)
    made[: min(count, 2)] = ((1, 0, 0), (0, 0, 0))[: min(count, 2)]
    return OKLab(made.astype(np.float32))


def of_roots(linear: Floats) -> Floats:
    """What rounding light (N, 3) moves cube roots of cone responses by, (N, 1): most where one hardly responds."""
    least, rounding = np.abs(linear @ LINEAR_TO_LMS.T).min(axis=1, keepdims=True), 2e-7
    return np.minimum(rounding / np.maximum(3 * np.cbrt(least) ** 2, 1e-12), np.cbrt(rounding))


@given(ours.seeds, COUNTS)
def test_colours_pass_between_light_and_oklab(seed: int, count: int) -> None:
    linear, lab = light(seed, count), labs(seed, count)
    assert (np.abs(linear_to_oklab(linear) - by_numpy.to_lab(linear)) < 1e-6 + of_roots(linear)).all()
    wanted = by_numpy.to_linear(lab)
    assert (np.abs(oklab_to_linear(lab) - wanted) < _NEAR * np.maximum(1, np.abs(wanted))).all()


@given(ours.seeds, COUNTS, st.sampled_from(DELIVERED))
def test_colours_come_into_a_gamut_and_are_encoded_there(seed: int, count: int, space: Space) -> None:
    lab = labs(seed, count)
    mapped, plain = map_to_gamut(lab, space), by_numpy.within(lab, space)
    # What lies at the boundary to within rounding may be taken for either side of it.
    assert np.quantile(np.abs(mapped - plain).max(axis=1), 0.98) < 2e-5
    assert np.abs(mapped - plain).max() < 2e-3
    into_srgb = Linear(np.linalg.solve(_into(space), mapped.T).T.astype(np.float32))
    assert np.abs(encoded_in(lab, space) - np.clip(from_linear(into_srgb, space), 0, 1)).max() < 2e-3


def _into(space: Space) -> Floats:
    return by_numpy.matrix_between(Space.SRGB, space)


@given(ours.seeds, COUNTS, st.sampled_from(DELIVERED))
def test_colours_are_eased_before_a_boundary(seed: int, count: int, space: Space) -> None:
    before, after = labs(seed, count), labs(seed + 1, count)
    assert np.abs(ease_outward(before, after, space) - by_numpy.eased(before, after, space)).max() < 2e-5


@given(ours.seeds, COUNTS, st.tuples(*[st.floats(0.25, 4)] * 3), st.sampled_from([0.0, 0.5, 1.0]))
def test_gains_roll_off_and_pass_through_the_camera(
    seed: int, count: int, gains: tuple[float, float, float], share: float
) -> None:
    linear, by = light(seed, count), np.array(gains, dtype=np.float32)
    assert np.allclose(apply_gains(linear, by, share), by_numpy.gained(linear, by, share), rtol=2e-5, atol=_NEAR)


@given(ours.seeds, COUNTS, st.integers(1, 6))
def test_ranges_of_hues_turn_and_are_held_below_their_ceilings(seed: int, count: int, number: int) -> None:
    random = np.random.default_rng(seed)
    bands = tuple(
        HueBand(
            hue=random.uniform(0, 360),
            turn=random.uniform(-60, 60),
            chroma=random.uniform(-100, 150),
            lightness=random.uniform(-40, 40),
            most=random.choice([None, 4.0, 20.0]),
        )
        for _ in range(number)
    )
    lab = labs(seed + 1, count)
    assert np.abs(ranged(lab, bands) - by_numpy.ranged(lab, bands)).max() < 2e-5


@pytest.mark.parametrize("mode", wash.MODES)
@given(ours.seeds, COUNTS, st.booleans())
def test_washes_are_laid_over_as_the_specification_says(mode: BlendMode, seed: int, count: int, turned: bool) -> None:
    random = np.random.default_rng(seed)
    stops = [(at, tuple(random.uniform((0, -0.2, -0.2), (1, 0.2, 0.2)))) for at in random.uniform(0, 100, 4)]
    low, high = random.choice([0.0, 30.0]), random.choice([70.0, 100.0])
    one = wash.WashLayer(
        mode=mode,
        amount=60,
        reversed=turned,
        low=low,
        high=high,
        stops=tuple(wash.WashStop(at=at, colour=colour) for at, colour in stops),
    )
    lab, palette = labs(seed + 1, count), tuple(colour for _, colour in stops)
    lab = OKLab(lab[~by_numpy.beside_jumps(lab, mode)])
    by_stops, share = by_numpy.colours_of_wash(lab, one)
    washes = (
        (lambda: wash.washed(lab, one), by_stops, share),
        (lambda: wash.washed_by_palette(lab, palette, mode), by_numpy.colours_of_palette(lab, palette), 1.0),
    )
    for work, laid, part in washes:
        blended = by_numpy.laid_over(lab, laid, mode)
        wanted = by_numpy.to_linear(lab + np.reshape(part, (-1, 1)) * (by_numpy.to_lab(blended) - lab))
        # A blend that divides enlarges what rounding leaves.
        bound = (4e-5 + 2e-4 * np.abs(wanted) + 4 * of_roots(blended)) * (1 if mode in wash.COMPILED else 5)
        for compiled in (wash.COMPILED, ()):
            with patch.object(wash, "COMPILED", compiled):
                away = np.abs(oklab_to_linear(work()) - wanted)
            assert (away < bound).all()


@given(ours.seeds, COUNTS, st.booleans())
def test_curves_go_through_their_points_and_keep_what_lies_outside(seed: int, count: int, by_channel: bool) -> None:
    random, lab = np.random.default_rng(seed), labs(seed + 1, count)
    master, *channels = (
        ((0.0, low), (40.0, middle), (100.0, high))
        for low, middle, high in zip(*random.uniform((0, 30, 80), (20, 70, 100), (4, 3)).T, strict=True)
    )
    used = (channels[0], STRAIGHT, channels[2]) if by_channel else (STRAIGHT,) * 3
    made, wanted = curved(lab, master, 6, used), by_numpy.curved(lab, master, 6, used)
    assert np.abs(oklab_to_linear(made) - by_numpy.to_linear(wanted)).max() < 2e-5


@given(ours.seeds, COUNTS, st.sampled_from([-1.0, -0.4, 0.0, 0.7]), st.sampled_from([None, 0.03, 0.2]))
def test_casts_saturation_and_greys_do_what_numpy_does(seed: int, count: int, by: float, most: float | None) -> None:
    random, lab = np.random.default_rng(seed), labs(seed + 1, count)
    shifts = [tuple(row) for row in random.uniform(-0.1, 0.1, (3, 2))]
    assert np.abs(without_casts(lab, shifts) - by_numpy.with_casts(lab, shifts)).max() < _NEAR
    assert np.abs(saturated(lab, by, 0.6, most) - by_numpy.saturated(lab, by, 0.6, most)).max() < _NEAR
    greys = tuple(
        GreyHue(on=n != 1, hue=random.uniform(0, 360), lighter=200 * by, before=20, after=70) for n in range(3)
    )
    toning = tuple(tuple(row) for row in random.uniform(-0.1, 0.1, (17, 2)))
    for tones in ((), toning):
        assert np.abs(greyed(lab, greys, tones) - by_numpy.greyed(lab, greys, tones)).max() < 1e-5


@given(ours.seeds, COUNTS, st.integers(1, 12))
def test_moves_share_by_weight(seed: int, count: int, number: int) -> None:
    random = np.random.default_rng(seed)
    made = tuple(
        Move(source=tuple(source), by=tuple(by), reach=reach, weight=random.uniform(0.01, 1))
        for source, by, reach in zip(
            labs(seed, number).tolist(),
            random.normal(0, 0.1, (number, 3)).tolist(),
            random.uniform(0.03, 0.3, number).tolist(),
            strict=True,
        )
    )
    lab = labs(seed + 1, count)
    assert np.abs(apply_moves(lab, made) - by_numpy.moved(lab, made)).max() < _NEAR


@given(ours.seeds, COUNTS, st.sampled_from([0.0, 0.35, 0.7]), st.sampled_from([0.2, 0.6, 1.0]))
def test_things_keep_of_their_own_colour(seed: int, count: int, vivid: float, whites: float) -> None:
    before, after = labs(seed, count), labs(seed + 1, count)
    assert np.abs(keep_softly(before, after, vivid, whites) - by_numpy.kept(before, after, vivid, whites)).max() < 2e-5


@given(ours.seeds, COUNTS, st.sampled_from(["skin", "faces", "picked"]), st.integers(0, 60))
def test_families_are_held(seed: int, count: int, kind: str, limit: int) -> None:
    faces = OKLab(np.array([[0.6, 0.05, 0.06], [0.5, 0.04, 0.055]], dtype=np.float32))
    family = {
        "skin": skin(),
        "faces": skin(skin_centres(faces)),
        "picked": family_ellipses(Family(colour=(0.5, -0.06, 0.1), tolerance=60)),
    }[kind]
    random = np.random.default_rng(seed)
    lightness, chroma, hue = family.centres[0]
    about = np.array([lightness, (chroma or 0.05) * np.cos(hue), (chroma or 0.05) * np.sin(hue)])
    before = labs(seed, count)
    before[::2] = about + random.normal(0, 0.04, before[::2].shape)
    after = OKLab((before + random.normal(0, 0.1, before.shape)).astype(np.float32))
    limits = HoldLimits(hue=limit, chroma=limit, lightness=limit)
    made = hold_colours(before, after, family, limits)
    assert np.abs(made - by_numpy.held(before, after, family, limits)).max() < 3e-5
    assert count < 250 or np.abs(made - after).max() > 1e-2


@given(ours.seeds, COUNTS)
def test_functions_of_lightness_are_the_same_as_one_after_the_other(seed: int, count: int) -> None:
    random = np.random.default_rng(seed)
    grid = np.linspace(0, 1, 129)
    operations = (
        ToneOperation(curve=(grid**1.4).tolist()),
        TintOperation(before=np.zeros((17, 2)), after=random.normal(0, 0.03, (17, 2))),
        SpreadOperation(about=random.normal(0, 0.01, (17, 2)), matrix=[[1.1, 0.1, -0.2, 0.8]] * 17, amount=0.5),
    )
    lab, came = labs(seed, count), labs(seed, count)
    plain = lab
    for operation in operations:
        plain = operation.apply(plain, came, Space.SRGB)
    assert np.abs(ByLightness(operations).apply(lab, came, Space.SRGB) - plain).max() < 2e-4


@given(ours.seeds, st.sampled_from([300, 2047, 4100]), st.floats(0.02, 0.3))
def test_zones_are_measured(seed: int, count: int, spread: float) -> None:
    """Light in a part of the scale alone too, so that some zones have no colours of their own."""
    lab = labs(seed, count) * np.float32([spread, 0.3, 0.3]) + np.float32([seed % 7 / 10, 0.01, 0.02])
    for made, plain in zip(measure_zones(OKLab(lab)), by_numpy.measured_zones(lab), strict=True):
        assert np.abs(made - plain).max() < 2e-5


def test_sums_by_zones_are_refused_where_their_lists_do_not_fit() -> None:
    three, zones, middles = np.zeros((3, 5), np.float32), np.zeros(2, np.float32), np.zeros((2, 2), np.float32)
    with pytest.raises(ValueError, match="a middle for each zone"):
        lanes.zone_sums(three, zones, middles[:1], np.zeros(4, np.float32))
    with pytest.raises(ValueError, match="of one length"):
        lanes.broad_sums(three[0], three[:, :4].copy(), zones, 1)
    with pytest.raises(ValueError, match="weights are needed for each colour"):
        lanes.shifted(three[0], three[1], np.zeros((2, 4), np.float32), middles, 1, 1, 0)


@given(ours.seeds, st.integers(0, 700), st.integers(0, 700))
def test_colours_come_out_the_same_however_a_list_is_cut(seed: int, one: int, other: int) -> None:
    low, high = min(one, other), max(one, other)
    before, after, linear = labs(seed, 700), labs(seed + 1, 700), light(seed, 700)
    move = Move(source=(0.5, 0.1, 0), by=(0.1, 0, 0.1), reach=0.2)
    laid = wash.WashLayer(stops=(wash.WashStop(at=10, colour=(0.2, 0.1, 0)), wash.WashStop(at=80, colour=(0.8, 0, 0))))
    works = (
        lambda part: linear_to_oklab(Linear(linear[part])),
        lambda part: oklab_to_linear(OKLab(before[part])),
        lambda part: map_to_gamut(OKLab(before[part])),
        lambda part: encoded_in(OKLab(before[part]), Space.P3),
        lambda part: ease_outward(OKLab(before[part]), OKLab(after[part])),
        lambda part: apply_gains(Linear(linear[part]), np.array([1.3, 1, 0.6], dtype=np.float32), 0.7),
        lambda part: apply_moves(OKLab(before[part]), (move,)),
        lambda part: ranged(OKLab(before[part]), (HueBand(turn=20, most=9),)),
        lambda part: wash.washed(OKLab(before[part]), laid),
        lambda part: curved(OKLab(before[part]), ((0, 5), (100, 90)), 4, (((0, 0), (50, 60), (100, 95)),) * 3),
        lambda part: without_casts(OKLab(before[part]), ((0.02, 0), (0, 0.01), (0.01, 0.03))),
        lambda part: saturated(OKLab(before[part]), 0.3, -0.5, 0.1),
        lambda part: greyed(OKLab(before[part]), (GreyHue(hue=40, lighter=50),), ((0, 0.01), (0.02, 0))),
        lambda part: keep_softly(OKLab(before[part]), OKLab(after[part]), 0.7, 0.4),
        lambda part: hold_colours(OKLab(before[part]), OKLab(after[part]), skin(), HoldLimits()),
    )
    for work in works:
        assert np.array_equal(work(slice(low, high)), work(slice(None))[low:high])


def test_other_than_planes_of_one_length_are_refused() -> None:
    two, three = np.zeros((2, 5), np.float32), np.zeros((3, 5), np.float32)
    how = np.zeros(40, np.float32)
    with pytest.raises(ValueError, match="planes of three channels"):
        lanes.to_lab(two, how)
    with pytest.raises(ValueError, match="of one length"):
        lanes.kept(three, np.zeros((3, 4), np.float32), how)
