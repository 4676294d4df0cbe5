"""What trims have in common: when it is said, how much it is, and that taking it into the look changes no picture."""

import numpy as np
import pytest

from nuvett.core.errors import DocumentError
from nuvett.core.look.common import Common, shared_by, with_common
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim, take_trim_parts
from nuvett.core.look.words import describe
from nuvett.core.measure.statistics import measure
from nuvett.core.plan.compile import direct
from nuvett.core.planning.planning import aim_of_statistics, plan_frame
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.steps.saturation import SaturationStep
from nuvett.core.steps.tone import ToneStep
from nuvett.core.steps.white import WhiteStep
from nuvett.core.table.table import grid
from nuvett.core.types import Encoded01, OKLab


def warmer(by: float, **more: float) -> Trim:
    return Trim.of(WhiteStep(warmth=by, **more))


def test_it_is_said_for_three_of_a_set_up_or_five_of_a_series_that_point_the_same_way() -> None:
    trims = [warmer(3), warmer(5), warmer(4), Trim(), warmer(-4), Trim()]
    (found,) = shared_by(trims, [0, 0, 0, 0, 1, 1])
    assert (found.name, found.value, found.frames, found.setup) == ("warmth", 4, (0, 1, 2), 0)
    assert found.words == "more warmth, by 3 to 5 %"
    assert shared_by(trims[:2] + [Trim()] * 4, [0] * 6) == []
    assert shared_by([warmer(4)] * 4, [0, 0, 1, 1]) == []
    (whole,) = shared_by([warmer(-4)] * 5, [0, 0, 1, 1, 2])
    assert whole.setup is None and whole.value == -4 and whole.words == "less warmth, by 4 %"
    weak = [Trim.of(WhiteStep(warmth=4, amount=50))] * 3
    off = [Trim.of(WhiteStep(warmth=4, on=False))] * 3
    assert shared_by(weak, [0] * 3) == shared_by(off, [0] * 3) == []


def test_what_most_frames_share_is_said_first_by_the_median_in_steps_of_its_number() -> None:
    both = [Trim.of(WhiteStep(warmth=4), ExposureStep(exposure=e)) for e in (0.22, 0.33, 0.36)]
    found = shared_by([*both, Trim.of(WhiteStep(warmth=6)), Trim()], [0] * 5)
    assert [(one.name, len(one.frames)) for one in found] == [("warmth", 4), ("exposure", 3)]
    assert found[1].value == 0.35 and found[1].low == 0.22 and found[1].high == 0.36
    assert Common().is_none and not Common(warmth=1).is_none
    assert shared_by([Trim.of(ExposureStep(exposure=0.01))] * 3, [0] * 3)[0].value == 0.01  # less than a step, not none


def test_what_is_taken_into_the_look_and_off_the_trims_leaves_pictures_as_they_are() -> None:
    own = measure(OKLab(np.random.default_rng(1).uniform(0.1, 0.9, (1000, 3)).astype(np.float32) * (1, 0.2, 0.2)))
    aim = aim_of_statistics(own)
    look = Look(tone=ToneStep(amount=40))
    trim = Trim.of(WhiteStep(warmth=14, tint=3), ExposureStep(exposure=0.4, contrast=20), SaturationStep(saturation=-8))
    common = Common(warmth=10, exposure=0.3, contrast=25, saturation=-8)
    taken = with_common(trim, common, -1)
    assert (taken.white.warmth, taken.exposure.exposure, taken.exposure.contrast) == (4, 0.1, -5)
    assert taken.saturation is None  # what is emptied goes
    colours = Encoded01(grid(9).reshape(-1, 3))
    before = direct(plan_frame(own, aim, look, trim=trim), colours)
    after = direct(plan_frame(own, aim, look.model_copy(update={"common": common}), trim=taken), colours)
    assert np.abs(before - after).max() < 1e-5
    half = direct(plan_frame(own, aim, look.model_copy(update={"common": Common(warmth=5)})), colours)
    plain = direct(plan_frame(own, aim, look), colours)
    assert 0.002 < np.abs(half - plain).mean() < 0.05
    assert describe(look, look.model_copy(update={"common": common})).startswith("Exposure in common 0.00 to 0.30 EV")


def test_parts_of_a_trim_are_taken_by_name() -> None:
    source = Trim.of(WhiteStep(warmth=4), ExposureStep(exposure=1), strength=50)
    some = take_trim_parts(Trim.of(SaturationStep(saturation=9)), source, frozenset({"white", "saturation"}))
    assert (some.white.warmth, some.saturation, some.exposure, some.strength) == (4, None, None, 100)
    with pytest.raises(DocumentError, match="no part called sky"):
        take_trim_parts(Trim(), source, frozenset({"sky"}))
