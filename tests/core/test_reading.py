"""Readings: what is sampled, palettes, families, and the blend into a target."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nuvett.core.errors import TargetError, TooFewPixelsError
from nuvett.core.measure.sampling import stratified_sample
from nuvett.core.measure.statistics import PROBABILITIES, measure
from nuvett.core.reading.column import density
from nuvett.core.reading.family import Family, membership
from nuvett.core.reading.palette import find_palette, nearest_colour
from nuvett.core.reading.reading import Reading, Weighed, blend, opposing_words, read, zone_colours
from nuvett.core.reading.regions import Patch, Sampling
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import parse_hex, to_linear
from nuvett.core.types import OKLab
from tests import strategies as ours


def reading_of(picture: np.ndarray, sampling: Sampling | None = None) -> Reading:
    return read(to_linear((picture / 255).astype(np.float32)), sampling)


@settings(max_examples=15)
@given(ours.seeds, st.integers(2, 12))
def test_palette_shares_add_up_and_run_from_dark_to_light(seed: int, count: int) -> None:
    palette = find_palette(linear_to_oklab(to_linear(ours.cloud(seed))), count)
    assert 1 <= len(palette) <= count
    assert sum(c.share for c in palette) == pytest.approx(1, abs=1e-5)
    assert [c.lightness for c in palette] == sorted(c.lightness for c in palette)


def test_a_small_vivid_accent_keeps_its_place_in_the_palette() -> None:
    picture = np.full((200, 200, 3), 120, np.uint8)
    picture[:, 100:] = 180
    picture[:20, :20] = (220, 30, 40)  # one percent of the area
    assert any(c.lch[1] > 0.15 for c in reading_of(picture).palette)


def test_a_picture_of_one_colour_gives_a_palette_of_one() -> None:
    assert len(reading_of(np.full((40, 40, 3), 90, np.uint8)).palette) == 1


def test_where_pixels_lie_does_not_matter(still: np.ndarray) -> None:
    shuffled = np.random.default_rng(1).permutation(still.reshape(-1, 3)).reshape(still.shape)
    first, second = reading_of(still), reading_of(shuffled)
    assert np.allclose(first.statistics.lightness, second.statistics.lightness, atol=5e-3)
    assert [c.share for c in first.palette] == pytest.approx([c.share for c in second.palette], abs=0.03)


def test_a_patch_is_read_like_a_picture_of_its_own(still: np.ndarray) -> None:
    part = reading_of(still, Sampling(patches=(Patch.rectangle(0.5, 0.0, 0.5, 1.0),)))
    alone = reading_of(still[:, 150:])
    assert np.allclose(part.statistics.lightness, alone.statistics.lightness, atol=1e-4)
    assert part.share == pytest.approx(0.5)


@pytest.mark.parametrize("patch", [(-0.1, 0, 0.5, 0.5), (0.6, 0, 0.5, 0.5), (0, 0, 0, 0.5), (1.2, 0, 0.1, 0.1)])
def test_a_patch_outside_the_picture_is_refused(patch: tuple[float, float, float, float]) -> None:
    with pytest.raises(ValueError, match=r"outside|too small"):
        Patch.rectangle(*patch)


def test_too_few_pixels_are_refused_with_what_to_do(still: np.ndarray) -> None:
    with pytest.raises(TooFewPixelsError, match="larger patch"):
        reading_of(still, Sampling(patches=(Patch.rectangle(0, 0, 0.05, 0.05),)))
    nowhere = Family(colour=(0.5, -0.3, 0.3), tolerance=0)
    with pytest.raises(TooFewPixelsError):
        reading_of(still, Sampling(families=(nowhere,)))


def test_a_family_takes_near_colours_and_leaves_others() -> None:
    lab = linear_to_oklab(to_linear(np.stack([parse_hex(c) for c in ("#c98b4a", "#b57a3e", "#2a5f8f", "#808080")])))
    family = Family(colour=tuple(float(v) for v in lab[0]), tolerance=30)  # type: ignore[arg-type]
    found = membership(lab, family)
    assert found[0] == 1 and found[1] > 0.8 and found[2] == 0 and found[3] < 0.1


@given(ours.seeds)
@settings(max_examples=15)
def test_a_wider_tolerance_never_takes_less(seed: int) -> None:
    lab = linear_to_oklab(to_linear(ours.cloud(seed, 300)))
    colour = tuple(float(v) for v in lab[7])
    shares = [membership(lab, Family(colour=colour, tolerance=t)).sum() for t in (0, 20, 50, 100)]  # type: ignore[arg-type]
    assert shares == sorted(shares)


def test_blended_tone_is_the_mean_of_quantile_functions(still: np.ndarray, photo: np.ndarray) -> None:
    first, second = reading_of(still), reading_of(photo)
    target = blend([Weighed(reading=first, tone=3, colour=1), Weighed(reading=second, tone=1, colour=1)])
    expected = 0.75 * first.statistics.lightness + 0.25 * second.statistics.lightness
    assert np.allclose(target.statistics.lightness, expected, atol=1e-5)


def test_a_weight_of_nothing_leaves_a_reading_out(still: np.ndarray, photo: np.ndarray) -> None:
    first, second = reading_of(still), reading_of(photo)
    target = blend([Weighed(reading=first, tone=1, colour=1), Weighed(reading=second, tone=0, colour=0)])
    assert target.statistics == blend([Weighed(reading=first, tone=1, colour=1)]).statistics
    with pytest.raises(TargetError):
        blend([Weighed(reading=first, tone=0, colour=0)])


def test_tone_of_one_reference_and_colour_of_another(still: np.ndarray, photo: np.ndarray) -> None:
    first, second = reading_of(still), reading_of(photo)
    target = blend([Weighed(reading=first, tone=1, colour=0), Weighed(reading=second, tone=0, colour=1)])
    assert np.allclose(target.statistics.lightness, first.statistics.lightness, atol=1e-5)
    mean = np.asarray(target.statistics.cloud)[:, 1:].mean(axis=0)
    assert np.allclose(mean, np.asarray(second.statistics.cloud)[:, 1:].mean(axis=0), atol=0.01)


def test_readings_survive_json_exactly(still: np.ndarray) -> None:
    reading = reading_of(still)
    again = Reading.model_validate_json(reading.model_dump_json())
    assert again.model_dump_json() == reading.model_dump_json()
    assert set(zone_colours(again.statistics)) == {"shadow", "midtone", "highlight"}
    assert density(again.statistics.lightness).sum() == pytest.approx(1, abs=1e-5)


@given(ours.seeds)
@settings(max_examples=15)
def test_quantiles_of_the_sample_are_those_of_all_pixels(seed: int) -> None:
    linear = to_linear(ours.cloud(seed, 20_000))
    sampled = measure(linear_to_oklab(stratified_sample(linear, count=2048)))
    lightness, wanted, found = linear_to_oklab(linear)[:, 0], PROBABILITIES[4:-4], sampled.lightness[4:-4]
    # Where hardly any colours lie, a quantile is told by the share of pixels below it.
    below = np.searchsorted(np.sort(lightness), found) / len(lightness)
    near = (np.abs(found - np.quantile(lightness, wanted)) < 0.01) | (np.abs(below - wanted) < 0.004)
    assert near.all()


@pytest.mark.parametrize("share", [0.004, 0.008])
def test_the_one_vivid_leaf_has_a_place_in_the_palette(share: float) -> None:
    random = np.random.default_rng(6)
    woods = [(0.25, -0.03, 0.04), (0.4, -0.05, 0.07), (0.55, -0.06, 0.09), (0.5, 0.02, 0.06), (0.7, -0.03, 0.1)]
    woods += [(0.85, -0.01, 0.02), (0.3, 0.0, 0.01), (0.62, 0.0, 0.03)]
    colours = np.array(woods)[random.integers(0, len(woods), 8000)] + random.normal(0, 0.02, (8000, 3))
    leaf = np.array([0.55, 0.17, 0.09])
    some = int(8000 * share)
    colours[:some] = leaf + random.normal(0, 0.01, (some, 3))
    palette = find_palette(OKLab(colours.astype(np.float32)), accents=True)
    nearest, away = nearest_colour(palette, OKLab(leaf.astype(np.float32)))
    assert away < 0.04 and nearest.share < 0.02 and len(palette) == 6
    plain = find_palette(OKLab(colours[some:].astype(np.float32)))
    assert find_palette(OKLab(colours[some:].astype(np.float32)), accents=True) == plain, "no accent is made up"


def test_stills_that_work_against_each_other_are_told() -> None:
    light = np.random.default_rng(3).uniform(0.1, 1, (120, 160, 1))
    amber, blue = (read((light * tint).astype(np.float32)) for tint in ((0.8, 0.45, 0.15), (0.2, 0.45, 0.8)))

    def told(colour: float, other: Reading) -> str:
        weighed = [Weighed(reading=amber, tone=1, colour=1), Weighed(reading=other, tone=1, colour=colour)]
        return opposing_words(weighed, blend(weighed))

    assert "work against each other" in told(1, blue)
    assert told(0, blue) == told(1, amber) == told(0.1, blue) == ""
