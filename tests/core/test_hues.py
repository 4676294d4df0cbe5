"""Hue ranges, primaries and casts: greys stay, hues keep their order, neighbours add up, and what is picked is met."""

import itertools

import numpy as np
import pytest

from nuvett.core.errors import InvalidChangeError
from nuvett.core.fit.casts import MAX_CAST, cast_shares, made_neutral, without_casts
from nuvett.core.fit.chroma import saturated
from nuvett.core.fit.hue_families import hue_families
from nuvett.core.fit.hues import MAX_BANDS, HueBand, ranged, reached
from nuvett.core.fit.primaries import MAX_RICHER, MAX_TURN, MIN_RICHER, primaries_matrix
from nuvett.core.look.colour_handles import band_landing, primary_landing
from nuvett.core.look.handles import drag, reset
from nuvett.core.look.look import Look
from nuvett.core.look.pointing import POINTINGS
from nuvett.core.planning.richer import about_colour, richer_than, richest
from nuvett.core.spaces.cielab import ciede2000, linear_to_cielab
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear, oklab_to_oklch, oklch_to_oklab
from nuvett.core.spaces.rgb import Space, to_xyz_matrix
from nuvett.core.steps.casts import CastStep
from nuvett.core.steps.hues import HueStep

HUES = np.arange(0, 360, 0.25, dtype=np.float32)


def ring(chroma: float, lightness: float = 0.6) -> np.ndarray:
    return oklch_to_oklab(np.stack([np.full_like(HUES, lightness), np.full_like(HUES, chroma), HUES], axis=1))


def random_bands(rng: np.random.Generator) -> tuple[HueBand, ...]:
    return tuple(
        HueBand(
            hue=rng.uniform(0, 360),
            before=rng.uniform(0, 120),
            after=rng.uniform(0, 120),
            soft=rng.uniform(10, 120),
            turn=rng.uniform(-60, 60),
            chroma=rng.uniform(-60, 100),
            lightness=rng.uniform(-30, 30),
        )
        for _ in range(rng.integers(1, MAX_BANDS + 1))
    )


@pytest.mark.parametrize("seed", range(40))
def test_hues_keep_their_order_whatever_ranges_ask_at_every_chroma(seed: int) -> None:
    bands = random_bands(np.random.default_rng(seed))
    for chroma in (0.01, 0.03, 0.1, 0.2):
        turned = np.unwrap(np.radians(oklab_to_oklch(ranged(ring(chroma), bands))[:, 2]), axis=0)
        assert np.diff(turned).min() > 0


@pytest.mark.parametrize("seed", range(10))
def test_greys_and_what_is_nearly_grey_stay(seed: int) -> None:
    bands = random_bands(np.random.default_rng(seed))
    greys = np.linspace(0.05, 1, 40, dtype=np.float32)[:, None] * np.array([1, 0, 0], dtype=np.float32)
    assert np.array_equal(ranged(greys, bands), greys)
    nearly = ring(0.0015)
    before, after = (linear_to_cielab(oklab_to_linear(lab)) for lab in (nearly, ranged(nearly, bands)))
    assert ciede2000(before, after).max() < 0.3


def test_a_centre_takes_all_of_its_range_and_the_other_side_of_the_wheel_none_of_it() -> None:
    band = HueBand(hue=250, before=10, after=10, soft=10, turn=60, chroma=50, lightness=10)
    there = oklch_to_oklab(np.array([[0.5, 0.15, 250], [0.5, 0.15, 70]], dtype=np.float32))
    made = oklab_to_oklch(ranged(there, (band,)))
    assert made[0] == pytest.approx([0.5 + 10 / 116, 0.225, 310], rel=0.02)
    assert made[1] == pytest.approx([0.5, 0.15, 70], rel=1e-3)
    half = ranged(there, (band.model_copy(update={"chroma": 25.0, "turn": 30.0}),))
    assert oklab_to_oklch(half)[0, 1:] == pytest.approx([0.1875, 280], rel=0.02)
    assert np.array_equal(ranged(there, (band.model_copy(update={"on": False}),)), there)


def test_ranges_that_meet_add_up_to_one_and_ranges_that_overlap_wholly_share() -> None:
    meeting = [HueBand(hue=hue, before=20, after=20, soft=20, chroma=50) for hue in (100, 140)]
    between = (HUES > 95) & (HUES < 145)
    grown = oklab_to_oklch(ranged(ring(0.2), meeting))[between, 1] / 0.2
    assert grown.min() > 1.495 and grown.max() < 1.505
    same = HueBand(hue=120, chroma=60)
    alone, many = (ranged(ring(0.1), bands) for bands in ((same,), (same,) * MAX_BANDS))
    centre = int(120 / 0.25)
    assert np.abs(alone - many)[centre].max() < 1e-3 and np.abs(many[:, 1:]).max() < 0.165
    shares = sum(reached(ring(0.2), (same,) * 4, index) for index in range(4))
    assert shares.max() <= 1.001 and shares[int(120 / 0.25)] > 0.95


def test_the_noise_of_a_pale_sky_does_not_grow_by_a_range_whose_edge_lies_on_it() -> None:
    rng = np.random.default_rng(5)
    sky = np.tile(oklch_to_oklab(np.array([[0.8, 0.025, 250]], dtype=np.float32)), (4000, 1))
    noisy = (sky + rng.normal(0, [0.002, 0.004, 0.004], sky.shape)).astype(np.float32)
    band = HueBand(hue=280, before=30, after=30, soft=10, turn=40, chroma=40, lightness=-10)
    made, before = ranged(noisy, (band,)).std(axis=0), noisy.std(axis=0)
    assert made[0] < 2 * before[0] and np.hypot(*made[1:]) < 2 * np.hypot(*before[1:])


def test_a_ceiling_leaves_what_is_below_and_is_never_passed() -> None:
    chroma = np.linspace(0, 0.5, 200, dtype=np.float32)
    colours = np.stack([np.full_like(chroma, 0.5), chroma, np.zeros_like(chroma)], axis=1)
    held = saturated(colours, 0, 0, 0.12)[:, 1]
    assert np.array_equal(held[chroma < 0.09], chroma[chroma < 0.09]) and held.max() < 0.12
    assert np.diff(held).min() > 0
    made = oklab_to_oklch(ranged(ring(0.25), (HueBand(hue=30, most=12),)))[:, 1]
    assert made[int(30 / 0.25)] < 0.12 and made[int(210 / 0.25)] == pytest.approx(0.25, abs=1e-3)


def test_primaries_at_every_corner_keep_greys_and_the_way_round() -> None:
    found = []
    for turns in itertools.product((-MAX_TURN, 0, MAX_TURN), repeat=3):
        for richer in itertools.product((MIN_RICHER / 100, 0, MAX_RICHER / 100), repeat=3):
            matrix = primaries_matrix(np.array(turns), np.array(richer))
            assert np.abs(matrix.sum(axis=1) - 1).max() < 1e-5
            luminance = (to_xyz_matrix(Space.SRGB) @ matrix)[1]
            found.append((np.linalg.det(matrix), luminance.min()))
    assert np.min(found, axis=0)[0] > 0 and np.min(found, axis=0)[1] > 0


@pytest.mark.parametrize("index", range(3))
def test_a_primary_turns_its_own_colours_the_way_that_hues_rise(index: int) -> None:
    own = linear_to_oklab(np.eye(3, dtype=np.float32)[index : index + 1] * 0.5 + 0.2)
    for sign in (-1, 1):
        turns = np.zeros(3)
        turns[index] = sign * 10
        made = linear_to_oklab((oklab_to_linear(own) @ primaries_matrix(turns, np.zeros(3)).T).astype(np.float32))
        turned = (oklab_to_oklch(made)[0, 2] - oklab_to_oklch(own)[0, 2] + 180) % 360 - 180
        assert 3 < sign * turned < 20


def test_a_cast_is_taken_from_its_zone_and_what_is_pointed_at_becomes_neutral() -> None:
    lightness = np.linspace(0, 1, 101, dtype=np.float32)
    shares = cast_shares(lightness)
    assert shares.min() >= 0 and shares.sum(axis=0).max() <= 1.0001
    assert shares[:, 0].sum() == 0 and shares[:, -1].sum() < 1e-6
    assert shares[0, 30] > 0.6 and shares[1, 60] > 0.9 and shares[2, 92] > 0.9
    for picked in ([0.25, 0.02, -0.01], [0.6, -0.03, 0.02], [0.9, 0.015, 0.03]):
        colour = np.array(picked, dtype=np.float32)
        shifts = made_neutral(colour, ((0.01, 0.0), (0.0, 0.0), (0.0, 0.0)))
        assert np.abs(without_casts(colour[None], shifts)[0, 1:]).max() < 1e-4
    far = made_neutral(np.array([0.6, 0.3, 0.0], dtype=np.float32), ((0, 0),) * 3)
    assert far[1][0] == -MAX_CAST


def test_families_are_those_hues_that_there_are_and_their_ranges_meet() -> None:
    rng = np.random.default_rng(3)
    hues = np.concatenate([rng.normal(60, 6, 3000), rng.normal(140, 6, 200), rng.normal(255, 6, 400)])
    lab = oklch_to_oklab(np.stack([np.full_like(hues, 0.6), np.full_like(hues, 0.1), hues], axis=1).astype(np.float32))
    greys = np.tile(np.array([[0.6, 0.002, 0.001]], dtype=np.float32), (4000, 1))
    found = hue_families(np.concatenate([lab, greys]))
    assert [band.hue for band in found] == pytest.approx([60, 140, 255], abs=6)
    assert all(12 <= band.before <= 40 and 12 <= band.after <= 40 for band in found)
    near = hue_families(np.concatenate([lab, oklch_to_oklab(np.array([[0.6, 0.1, 100]], np.float32)).repeat(2000, 0)]))
    assert near[0].hue + near[0].after == pytest.approx(near[1].hue - near[1].before, abs=6)
    assert hue_families(greys) == ()


def test_handles_on_the_chart_mean_what_is_computed() -> None:
    look = drag(Look(), "band.new", (0.1, 0.0))
    look = drag(drag(look, "band.0.before", (0.1, -0.1)), "band.0.after", (0.0, 0.1))
    band = look.hues.bands[0]
    assert (band.hue, band.before, band.after) == (0, 45, 90) and look.hues.is_idle
    wanted = oklch_to_oklab(np.array([0.65, 0.15, 20], dtype=np.float32))
    look = drag(look, "band.0.to", (float(wanted[1]), float(wanted[2])))
    assert band_landing(look.hues.bands, 0) == pytest.approx(wanted, abs=2e-3) and not look.hues.is_idle
    assert reset(look, "band.0.to").hues.is_idle and reset(look, "band.0.after").hues.bands[0].after == 25
    green = (-0.06, 0.07)
    landed = primary_landing(drag(look, "primary.green", green).primaries, "green")
    assert landed[1:] == pytest.approx(green, abs=6e-3)
    casts = drag(look, "cast.whites", (0.02, -0.9)).casts
    assert (casts.whites_red, casts.whites_yellow) == (2, -10) and reset(Look(casts=casts), "cast.whites").casts.is_idle
    for gone in ("band.1.hue", "band.4.to", "primary.grey"):
        with pytest.raises(InvalidChangeError):
            drag(look, gone, (0, 0))


def test_what_a_colour_is_picked_for_is_made_of_it_until_there_are_as_many_as_may_be() -> None:
    blue, came = (0.4, -0.02, -0.12), (0.5, 0.0, -0.1)
    move = POINTINGS["move"].add(Look(), blue, came).moves.own[0]
    assert (move.source, move.came) == (blue, came)
    full = look = Look()
    for _ in range(MAX_BANDS):
        full = POINTINGS["hue"].add(full, blue, came)
    assert full.hues.bands[0].hue == pytest.approx(260.5, abs=0.1)
    with pytest.raises(InvalidChangeError, match="at most 12"):
        POINTINGS["hue"].add(full, blue, came)
    with pytest.raises(InvalidChangeError, match="grey"):
        POINTINGS["hue"].add(look, (0.5, 0.003, 0.0), came)
    casts = POINTINGS["neutral"].add(look, (0.92, 0.01, 0.02), came).casts
    assert (casts.whites_red, casts.whites_yellow) == pytest.approx((-1, -2), abs=0.1)


def test_ranges_and_casts_say_what_they_do() -> None:
    step = HueStep(bands=(HueBand(hue=195, turn=8, chroma=-20), HueBand(hue=30, most=12), HueBand(hue=100)))
    assert step.sentence == "teal turned +8°, poorer by 20 %; red chroma at most 12"
    without = step.model_copy(update={"bands": step.bands[:2]})
    assert step.changes(without) == ["No range of yellow any more"] and without.changes(step) == ["Range of yellow"]
    assert CastStep(whites_red=1).sentence == "whites {whites_red} toward red, {whites_yellow} toward yellow"


def test_what_is_richer_than_anything_in_the_target_is_told_with_the_range_that_holds_it() -> None:
    rng = np.random.default_rng(2)
    target = oklch_to_oklab(
        np.stack([rng.uniform(0.3, 0.8, 4000), rng.uniform(0, 0.1, 4000), rng.uniform(0, 360, 4000)], 1).astype("f4")
    )
    frame = target.copy()
    assert richer_than(frame, target) is None
    frame[:200] = oklch_to_oklab(np.array([[0.5, 0.2, 255]], dtype=np.float32))
    note = richer_than(frame, target)
    assert (
        note is not None and note.words == "5 % richer than anything in the target: blue 255°" and note.band is not None
    )
    assert about_colour(frame, note.colour).sum() == 200 and note.band.most == pytest.approx(
        100 * richest(target), abs=0.3
    )
    held = ranged(frame, (note.band,))
    assert richer_than(held, target) is None
    greys = target * np.array([1, 0.1, 0.1], dtype=np.float32)
    assert richer_than(frame, greys) is None, "a target without colour is another matter"
    frame[:20] = frame[-20:]
    frame[20:200] = target[20:200]
    assert richer_than(frame, target) is None
