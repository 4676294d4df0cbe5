"""View models: geometry that templates draw, numbers as they are written, words for people."""

import itertools
from datetime import UTC, datetime
from typing import Any

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from nuvett.core.even.even_light import EvenLight
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.look.words import LOOK_VALUES, TRIM_VALUES, describe, value_at
from nuvett.core.measure.statistics import measure, quantiles_of
from nuvett.core.plan.apply import apply_plan
from nuvett.core.planning.lacking import Unmatched
from nuvett.core.planning.pairing import paired
from nuvett.core.planning.planning import aim_of_statistics, plan_frame
from nuvett.core.reading.family import Family
from nuvett.core.reading.palette import find_palette
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear
from nuvett.core.spaces.rgb import parse_hex, to_linear
from nuvett.core.steps.hold import FamilyHold, HoldStep
from nuvett.core.steps.mono import MonoStep
from nuvett.core.steps.moves import MoveStep, Pin
from nuvett.core.steps.tone import ToneStep
from nuvett.core.steps.white import WhiteStep
from nuvett.web.security.guard import host_name
from nuvett.web.views import filters, instruments
from nuvett.web.views.tiles import short_names
from tests import strategies as ours


def cloud(seed: int) -> np.ndarray:
    return linear_to_oklab(to_linear(ours.cloud(seed, 1500)))


@settings(max_examples=15)
@given(ours.seeds, st.integers(2, 12))
def test_palette_bands_fill_the_bar_and_carry_names(seed: int, count: int) -> None:
    bands = instruments.palette_bands(find_palette(cloud(seed), count))
    assert sum(b.width for b in bands) == pytest.approx(100, abs=1e-3)
    assert all(first.x + first.width == pytest.approx(second.x) for first, second in itertools.pairwise(bands))
    assert all(b.name and len(parse_hex(b.hex)) == 3 for b in bands)


def test_frames_are_told_apart_in_little_room() -> None:
    assert short_names(["AT-0101", "AT-0102", "AT-0110b"]) == ["101", "102", "110"]
    assert short_names(["one-101", "two-101", "two-102"]) == ["1", "2", "3"]  # figures that say nothing
    assert short_names(["a", "b7"]) == ["1", "2"] and short_names([]) == []


@settings(max_examples=10)
@given(ours.seeds)
def test_tone_outlines_stay_in_their_box_and_marks_rise(seed: int) -> None:
    side = instruments.tone_side(quantiles_of(cloud(seed)[:, 0]))
    widths, heights = zip(*side.outline, strict=True)
    assert max(widths) == pytest.approx(1) and min(widths) >= 0
    assert min(heights) >= 0 and max(heights) <= 100
    levels = [level for _, level in side.marks]
    assert levels == sorted(levels) and len(levels) == 7


@pytest.mark.parametrize(
    ("a", "b", "right", "up"), [(0.1, 0, 1, 0), (0, 0.1, 0, 1), (-0.1, 0, -1, 0), (0, -0.1, 0, -1)]
)
def test_the_chart_puts_hue_nought_right_and_ninety_up(a: float, b: float, right: int, up: int) -> None:
    lab = np.tile(np.array([[0.6, a, b]], np.float32), (400, 1))
    dot = instruments.chart_cloud(lab)[0]
    assert np.sign(round(dot.x)) == right and np.sign(round(-dot.y)) == up
    assert np.hypot(dot.x, dot.y) <= 100.01


def test_colours_beyond_the_chart_stop_at_its_rim() -> None:
    far = np.tile(np.array([[0.6, 0.3, 0.2]], np.float32), (400, 1))
    dot = instruments.chart_cloud(far)[0]
    assert np.hypot(dot.x, dot.y) == pytest.approx(100, abs=0.1)


@settings(max_examples=10)
@given(ours.seeds, ours.seeds)
def test_ribbons_stay_on_their_bars_and_end_where_the_plan_lands(first: int, second: int) -> None:
    assume(first != second)
    own, aim = measure(cloud(first)), aim_of_statistics(measure(cloud(second)))
    landings = []
    for amount in (40, 80):
        pins = (Pin(source=(0.5, 0.0, 0.0), amount=20),)
        plan = plan_frame(own, aim, Look(moves=MoveStep(amount=amount, pins=pins)))
        found = paired(plan, aim, pins)
        colours = np.array([(c.lightness, c.a, c.b) for c in found.source], np.float32)
        off = np.abs(found.landed - apply_plan(plan, oklab_to_linear(colours)))
        assert np.median(off) < 1e-3  # but for what is eased before the edge of the gamut
        landings.append(found.landed)
    assert np.abs(landings[0] - landings[1]).max() > 1e-3  # the amount is in what is drawn
    none = Look(moves=MoveStep(amount=0))
    assert not instruments.pairing_view(paired(plan_frame(own, aim, none), aim, ())).ribbons
    view = instruments.pairing_view(found)
    assert view.ribbons and not view.one_sided
    richest = max(aim.palette, key=lambda c: np.hypot(c.a, c.b))
    lab = (richest.lightness, richest.a, richest.b)
    gone = Unmatched(kind="lacked", colour=lab, name=richest.name, share=richest.share, advice="")
    for told in (
        instruments.pairing_view(paired(plan, aim, pins, (gone,))),
        instruments.pairing_view(paired(plan_frame(own, aim, none), aim, (), (gone,))),
    ):
        assert told.one_sided and told.target[aim.palette.index(richest)].unmatched
        assert not any(band.unmatched for band in told.frame)
    for ribbon in view.ribbons:
        assert ribbon.top >= -0.01 and ribbon.top + ribbon.top_width <= 100.01
        assert ribbon.bottom >= -0.01 and ribbon.bottom + ribbon.bottom_width <= 100.01
        assert ribbon.words.startswith(("1", "2", "3", "4", "5", "6", "7", "8", "9"))


@pytest.mark.parametrize(
    ("value", "digits", "plain", "signed"),
    [
        (0, 0, "0", "0"),
        (-0.04, 1, "0.0", "0.0"),
        (3.14159, 2, "3.14", "+3.14"),
        (-7, 0, "−7", "−7"),
        (0.5, 1, "0.5", "+0.5"),
    ],
)
def test_numbers_are_written_with_a_true_minus_and_no_negative_nought(
    value: float, digits: int, plain: str, signed: str
) -> None:
    assert filters.number(value, digits) == plain
    assert filters.signed(value, digits) == signed


def test_sizes_times_and_counts_read_well() -> None:
    assert [filters.size(n) for n in (12, 3400, 5_600_000, 7_800_000_000)] == ["12 bytes", "3.4 kB", "5.6 MB", "7.8 GB"]
    assert filters.clock(datetime(2026, 9, 18, 9, 5, tzinfo=UTC)) == "18 Sep 2026, 09:05" and filters.clock(None) == ""
    assert filters.plural(1, "frame") == "1 frame" and filters.plural(0, "frame") == "0 frames"
    assert filters.plural(2, "series", "series") == "2 series"


@pytest.mark.parametrize(
    ("host", "name"),
    [("localhost", "localhost"), ("localhost:80", "localhost"), ("[::1]:80", "[::1]"), ("", ""), ("[::1", "[")],
)
def test_hosts_are_told_from_their_ports(host: str, name: str) -> None:
    assert host_name(host) == name


def test_every_value_knows_its_range_and_its_usual_value_lies_in_it() -> None:
    for values, document in ((LOOK_VALUES, Look()), (TRIM_VALUES, Trim())):
        for path, words in values.items():
            assert words.low < words.high and words.step > 0 and words.label
            assert value_at(document, path) == words.usual
            assert words.usual is None or words.low <= words.usual <= words.high


def test_histories_say_what_changed() -> None:
    look = Look()
    changes = {
        "White point the target’s to 95.0 L*": {"tone": ToneStep(white=95)},
        "Tone off": {"tone": ToneStep(on=False)},
        "Strength of the look 100 to 40 %": {"strength": 40.0},
        "Holds off and 1 more": {"hold": HoldStep(on=False, hue=4)},
    }
    for words, change in changes.items():
        assert describe(look, look.model_copy(update=change)) == words
    hold = FamilyHold(family=Family(colour=(0.5, -0.1, 0.0)))
    held = look.with_step(HoldStep(families=(hold,)))
    tighter = look.with_step(HoldStep(families=(hold.model_copy(update={"hue": 2.0}),)))
    assert describe(held, tighter) == "Hold of jade 180°"
    assert describe(Trim(), Trim(white=WhiteStep(warmth=-4))) == "Warmth 0 to −4 %"
    brought = Trim(mono=MonoStep(on=True))
    assert describe(Trim(), brought) == "Black-and-white brought in"
    assert describe(brought, Trim()) == "Black-and-white taken out"


@pytest.mark.parametrize(
    ("even", "words"),
    [
        ({"confidence": 0.2, "rests": "key"}, "Left as it came"),
        ({"confidence": 0.1, "exposure": 0.3, "rests": "key", "key": 0.9}, "+0.30 EV by the key of its set-up"),
        (
            {"exposure": -0.4, "warmth": 3, "rests": "points", "shared": 3, "key": 0.3, "white_rests": "clouds"},
            "−0.40 EV by things shared with 3 frames and the key of its set-up; warmer 3 % by its colours as a whole",
        ),
        (
            {"exposure": -0.5, "warmth": 8, "tint": -3, "rests": "points", "shared": 1},
            "−0.50 EV, warmer 8 %, greener 3 % by things shared with 1 frame",
        ),
        ({"exposure": 0.01, "rests": "record"}, "Even already; by the camera's record"),
        ({"exposure": 0.2, "rests": "clouds"}, "+0.20 EV by its colours as a whole"),
        ({}, "Even already"),
    ],
)
def test_even_light_is_told_in_words(even: dict[str, Any], words: str) -> None:
    assert EvenLight(**even).words == words
