"""Washes with stops: laid where they lie, reversed, one over the other, within their range, and dragged in order."""

import itertools

import numpy as np
import pytest
from pydantic import ValidationError

from nuvett.core.errors import InvalidChangeError
from nuvett.core.fit.wash import MAX_STOPS, MODES, WashLayer, WashStop, washed
from nuvett.core.look.handles import drag, reset
from nuvett.core.look.look import Look
from nuvett.core.spaces.cielab import neutral_oklab
from nuvett.core.steps.wash import WashStep

RED, BLUE = (0.5, 0.1, 0.06), (0.7, -0.03, -0.08)
STOPS = (WashStop(at=20, colour=RED), WashStop(at=80, colour=BLUE))


def greys() -> np.ndarray:
    light = np.array([neutral_oklab(v) for v in range(0, 101, 5)], dtype=np.float32)
    return np.stack([light, np.zeros_like(light), np.zeros_like(light)], axis=1)


def layer(**values: object) -> WashLayer:
    return WashLayer(**{"amount": 100, "mode": "normal", "stops": STOPS} | values)  # type: ignore[arg-type]


def test_a_wash_lays_its_colours_where_its_stops_lie_and_the_other_way_round_when_reversed() -> None:
    made, turned = washed(greys(), layer()), washed(greys(), layer(reversed=True))
    for place, colour in ((2, RED), (4, RED), (16, BLUE), (20, BLUE)):  # beyond the ends the last colour goes on
        assert made[place] == pytest.approx(colour, abs=2e-3)
        assert turned[20 - place] == pytest.approx(colour, abs=2e-3)
    assert made[10] == pytest.approx(np.mean([RED, BLUE], axis=0), abs=2e-3)
    half = washed(greys(), layer(amount=50))
    assert half == pytest.approx((made + greys()) / 2, abs=1e-4)
    for idle in ({"on": False}, {"amount": 0}, {"low": 60, "high": 40}):
        assert np.array_equal(washed(greys(), layer(**idle)), greys())


def test_a_wash_keeps_within_its_range_and_stops_at_one_place_meet_at_an_edge() -> None:
    away = np.abs(washed(greys(), layer(low=40, high=70)) - greys()).max(axis=1)
    assert away[:7].max() == 0 and away[15:].max() == 0 and away[10:13].min() > 0.02
    edge = layer(stops=(WashStop(at=50, colour=RED), WashStop(at=50, colour=BLUE)))
    made = washed(greys(), edge)
    assert made[8] == pytest.approx(RED, abs=2e-3) and made[12] == pytest.approx(BLUE, abs=2e-3)
    assert np.isfinite(washed(greys() * 3 - 1, edge)).all()


def test_the_order_of_washes_counts_and_every_mode_is_finite() -> None:
    first, second = layer(mode="multiply"), layer(mode="screen", reversed=True)
    one = washed(washed(greys(), first), second)
    other = washed(washed(greys(), second), first)
    assert np.abs(one - other).max() > 0.05
    for mode in MODES:
        assert np.isfinite(washed(greys(), layer(mode=mode))).all(), mode


def test_stops_are_brought_in_as_hex_or_colours_and_stand_in_order() -> None:
    brought = WashLayer.model_validate({"stops": [{"colour": [0.9, 0, 0]}, {"colour": "#ff0000", "at": 12}]})
    assert [stop.at for stop in brought.stops] == [12, pytest.approx(88.4, abs=0.5)]
    assert brought.stops[0].colour[1] > 0.2
    for wrong in ({"stops": [{"colour": RED}]}, {"stops": [{"colour": "red"}, {"colour": RED}]}):
        with pytest.raises(ValidationError):
            WashLayer.model_validate(wrong)


def test_a_stop_is_dragged_between_its_neighbours_added_and_taken_out() -> None:
    look = Look(wash=WashStep(on=True, amount=0, layers=(layer(),)))
    assert not look.wash.is_idle and not look.wash.needs_target
    moved = drag(look, "stop.0.0", (95, 0)).wash.layers[0]
    assert moved.stops[0].at == 79.5, "no stop passes another"
    more = drag(look, "stop.0.2", (50, 0))
    assert [stop.at for stop in more.wash.layers[0].stops] == [20, 50, 80]
    assert more.wash.layers[0].stops[1].colour == pytest.approx(np.mean([RED, BLUE], axis=0), abs=1e-3)
    assert reset(more, "stop.0.1").wash.layers[0] == look.wash.layers[0]
    full = look
    for _ in range(MAX_STOPS - 2):
        full = drag(full, f"stop.0.{len(full.wash.layers[0].stops)}", (50, 0))
    for asked, handle in ((full, f"stop.0.{MAX_STOPS}"), (look, "stop.1.0"), (look, "stop.0.3")):
        with pytest.raises(InvalidChangeError):
            drag(asked, handle, (50, 0))
    with pytest.raises(InvalidChangeError, match="two stops"):
        reset(look, "stop.0.0")


def test_the_history_tells_washes_more_less_changed_and_in_another_order() -> None:
    one, two = layer(), layer(mode="multiply")
    off = one.model_copy(update={"on": False})
    steps = [WashStep(layers=layers) for layers in ((one,), (one, two), (two, one), (two, off))]
    said = [before.changes(after) for before, after in itertools.pairwise(steps)]
    assert said == [["A wash more"], ["Washes in another order"], ["A wash changed"]]
    assert steps[1].changes(steps[0]) == ["A wash less"] and "2 over it" in steps[1].sentence
