"""What instruments draw of a plan is what the plan does: landings, zone aims, borders of holds, tone columns."""

import numpy as np
import pytest

from nuvett.core.fit.holds import family_ellipses, hold_bounds, hold_colours
from nuvett.core.fit.moves import OwnMove, landings, move_by_hand
from nuvett.core.look.look import Look
from nuvett.core.measure.statistics import PROBABILITIES, measure
from nuvett.core.plan.fitted import TintOperation
from nuvett.core.planning.planning import aim_of_statistics, plan_frame
from nuvett.core.reading.column import tone_column
from nuvett.core.reading.family import Family
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_oklch
from nuvett.core.spaces.rgb import to_linear
from nuvett.core.steps.hold import FamilyHold
from nuvett.core.steps.zones import ZoneStep, zone_aims, zone_amounts, zone_shares
from tests import strategies as ours


def test_moves_land_where_the_pixels_do_even_when_another_reaches_them() -> None:
    first = OwnMove(source=(0.6, 0.10, 0.05), hue=40, chroma=20, lightness=6, reach=8)
    second = OwnMove(source=(0.6, 0.12, 0.02), hue=-30, chroma=-20, lightness=-6, reach=8)
    alone = landings((first,), "both")[0]
    assert alone[0] == pytest.approx(0.6 + 6 / 116, abs=1e-5)
    turned = oklab_to_oklch(np.stack([np.array(first.source, np.float32), alone]))
    assert turned[1, 2] - turned[0, 2] == pytest.approx(40, abs=0.1)
    both = landings((first, second), "both")
    pixels = np.array([first.source, second.source], dtype=np.float32)
    assert np.allclose(both, move_by_hand(pixels, (first, second)), atol=1e-6)
    assert np.abs(both[0] - alone).max() > 0.01
    tone_only = landings((first,), "tone")[0]
    assert tone_only[0] == pytest.approx(alone[0], abs=1e-3) and np.allclose(tone_only[1:], first.source[1:], atol=1e-3)


def test_zone_aims_are_what_the_plan_goes_to_whatever_the_amount() -> None:
    own, target = (measure(linear_to_oklab(to_linear(ours.cloud(seed, 1500)))) for seed in (1, 2))
    aim = aim_of_statistics(target)
    aims = []
    for amount in (50.0, 100.0):
        zones = ZoneStep(amount=amount, shadow_hue=300, shadow_chroma=8)
        plan = plan_frame(own, aim, Look(zones=zones))
        tint = plan.find(TintOperation)
        aims.append(tint.aims)
        reached = np.asarray(tint.after)[0] - np.asarray(tint.before)[0]
        away = np.array(tint.aims[0]) - np.asarray(tint.before)[0]
        assert np.allclose(reached, away * zone_amounts(zones)[0], atol=1e-5)
    assert np.allclose(aims[0], aims[1])
    shadow = np.array(aims[0][0])
    assert np.hypot(*shadow) == pytest.approx(0.08, abs=1e-6)
    assert np.degrees(np.arctan2(shadow[1], shadow[0])) == pytest.approx(-60, abs=1e-3)


def test_a_zone_aims_at_the_targets_tint_where_the_frame_has_most_of_it() -> None:
    found = np.stack([np.linspace(0, 0.16, 17), np.linspace(0.05, -0.05, 17)], axis=1).astype(np.float32)
    alone = np.zeros(17, np.float32)
    alone[2] = 1
    dark = zone_aims(ZoneStep(), found, alone)[0]
    assert dark == pytest.approx(found[2], abs=0.004)
    alone[2], alone[4] = 0.5, 0.5
    both = zone_aims(ZoneStep(), found, alone)[0]
    share = zone_shares(ZoneStep())[0]
    mean = (share[2] * found[2] + share[4] * found[4]) / (share[2] + share[4])
    assert both == pytest.approx(mean, abs=0.006)
    nothing = zone_aims(ZoneStep(), found, np.zeros(17, np.float32))[0]
    assert nothing == pytest.approx(share @ found / share.sum(), abs=1e-4)  # no evidence: all of the zone counts alike


def test_no_colour_passes_the_border_of_its_hold() -> None:
    hold = FamilyHold(family=Family(colour=(0.6, 0.1, 0.05)), hue=10, chroma=20, lightness=5)
    border = np.column_stack([np.full(24, 0.6, np.float32), hold_bounds(hold)])
    _, chroma, hue = oklab_to_oklch(border).T
    before = np.array([hold.family.colour], dtype=np.float32)
    for turn in (-1.5, -0.3, 0.3, 1.5):
        after = move_by_hand(before, (OwnMove(source=hold.family.colour, hue=np.degrees(turn), chroma=60),))
        held = oklab_to_oklch(hold_colours(before, after, family_ellipses(hold.family), hold))[0]
        assert chroma.min() - 1e-4 <= held[1] <= chroma.max() + 1e-4
        assert hue.min() - 0.01 <= held[2] <= hue.max() + 0.01


def test_a_tone_column_is_widest_where_most_pixels_lie_and_marks_their_shares() -> None:
    column = tone_column(np.interp(PROBABILITIES, [0, 0.25, 0.75, 1], [0.1, 0.6, 0.7, 0.9]).astype(np.float32))
    assert 52 < column.lightness[column.width.argmax()] < 66 and column.width.max() == pytest.approx(1)
    assert list(column.marks) == sorted(column.marks)
    assert column.marks[0.5] == pytest.approx(116 * 0.65 - 16, abs=0.1)
