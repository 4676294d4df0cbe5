"""Ways in which a look arrives: what each does to a frame, in what order, and which one is proposed."""

from functools import cache
from typing import get_args

import numpy as np
import pytest

from nuvett.core.look.look import Look, take_parts
from nuvett.core.look.trim import Trim
from nuvett.core.look.ways import WAYS, OfSetup, Way
from nuvett.core.look.words import describe, in_words
from nuvett.core.measure.statistics import Statistics, measure
from nuvett.core.plan.apply import apply_plan
from nuvett.core.plan.by_hand import GreyOperation
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.plan.operation import Stage
from nuvett.core.planning.nearer import nearest, propose, ways_of
from nuvett.core.planning.planning import aim_of, plan_frame
from nuvett.core.reading.reading import Reading, Target, Weighed, blend
from nuvett.core.reading.regions import Sampling
from nuvett.core.spaces.oklab import oklab_to_linear
from nuvett.core.steps.curve import CurveStep
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.steps.mono import MonoStep
from nuvett.core.steps.step import Aim
from nuvett.core.steps.tone import ToneStep
from nuvett.core.steps.white import WhiteStep
from nuvett.core.types import Linear, OKLab
from tests.strategies import cloud

BY_HAND = Look.of(WhiteStep(warmth=30), ExposureStep(exposure=0.7))


@cache
def colours() -> OKLab:
    return OKLab(cloud(2, 1500) * np.float32((0.7, 0.5, 0.5)) + np.float32((0.1, 0, 0)))


@cache
def here() -> Statistics:
    return measure(colours())


@cache
def aim() -> Aim:
    """A hero that was finished by the steps, shot in another light."""
    hero = OKLab(colours() * np.float32((0.9, 1, 1)) + np.float32((-0.06, 0.015, -0.03)))
    finished = plan_frame(measure(hero), None, BY_HAND)
    statistics = measure(apply_plan(finished, Linear(oklab_to_linear(hero))))
    reading = Reading(sampling=Sampling(), share=1, palette=(), statistics=statistics)
    return aim_of(Target(palette=reading.palette, statistics=statistics))


def plan(look: Look, way: Way, target: Aim | None = None, trim: Trim | None = None) -> FramePlan:
    return plan_frame(here(), target or aim(), look.model_copy(update={"way": way}), trim=trim)


def made(of: FramePlan) -> OKLab:
    return apply_plan(of, Linear(oklab_to_linear(colours())))


def left(of: FramePlan) -> float:
    """Distance of means to the target."""
    goal = np.asarray(aim().statistics.cloud).mean(axis=0)
    return float(np.linalg.norm(made(of).mean(axis=0) - goal))


def test_the_same_steps_are_what_the_look_does_without_any_target() -> None:
    without = plan_frame(here(), None, BY_HAND)
    assert plan(BY_HAND, "steps").key == without.key
    assert not [o for o in plan(BY_HAND, "steps").group("look").operations if o.stage is Stage.FITTED]


def test_the_same_result_makes_no_step_by_hand_but_greys() -> None:
    result = plan(BY_HAND, "result")
    plain = plan(Look(), "fit")
    assert np.abs(made(result) - made(plain)).max() < 1e-5
    grey = plan(BY_HAND.with_step(MonoStep(on=True)), "result")
    assert grey.find(GreyOperation) is not None and np.abs(made(grey)[:, 1:]).max() < 1e-3


def test_both_makes_the_steps_first_and_fits_what_is_left() -> None:
    both, steps, fit = (plan(BY_HAND, way) for way in ("both", "steps", "fit"))
    assert [group.name for group in both.groups] == ["light", "hand", "look"]
    by_hand = tuple(o for o in steps.group("look").operations if o.stage != Stage.FINISHED)
    assert both.groups[1].operations == by_hand
    assert Stage.BY_HAND not in {o.stage for o in both.groups[2].operations} and len(both.finish) == 1
    assert left(both) < 0.8 * left(steps) and left(both) < 0.8 * left(fit), "after a fit the steps go past the hero"


@pytest.mark.parametrize("way", [way for way in get_args(Way) if way != "fit"])
def test_half_the_strength_lies_between_none_and_all_of_every_way(way: Way) -> None:
    none, half, whole = (made(plan(BY_HAND.model_copy(update={"strength": s}), way)) for s in (0.0, 50.0, 100.0))
    far, first, second = (float(np.abs(a - b).mean()) for a, b in ((whole, none), (half, none), (whole, half)))
    assert far > 0.01 and 0.3 * far < first < 0.75 * far and 0.25 * far < second < 0.75 * far
    weak = made(plan(BY_HAND, way, trim=Trim.of(strength=50)))
    assert np.abs(weak - half).max() < 1e-4, "a trim takes as little of the steps as of the fit"


def test_without_anything_by_hand_all_ways_are_one() -> None:
    usual = Look()
    assert ways_of(usual) == ("fit",) and plan(usual, "both").key == plan(usual, "fit").key
    assert ways_of(BY_HAND) == get_args(Way) == tuple(WAYS)


def test_greys_are_made_once_and_last() -> None:
    both = plan(BY_HAND.with_step(MonoStep(on=True)), "both")
    found = [o for group in both.groups for o in group.operations if isinstance(o, GreyOperation)]
    assert len(found) == 1 and np.abs(made(both)[:, 1:]).max() < 1e-3


def test_a_curve_of_the_look_is_found_wherever_it_stands() -> None:
    look = BY_HAND.with_step(CurveStep(master=((0, 0), (40, 60), (100, 100))))
    kinds = {o.kind for o in plan(look, "both").operations_of("look")}
    assert kinds == {o.kind for o in plan(look, "fit").operations_of("look")}


def test_a_way_is_proposed_by_light_and_by_what_is_left() -> None:
    left_over: dict[Way, float] = {"fit": 0.5, "steps": 3.0, "result": 1.5, "both": 1.55}
    assert propose(left_over, in_hero_light=True)[0] == "steps"
    assert propose(left_over, in_hero_light=False)[0] == "both", "what is alike goes to both"
    assert propose(left_over | {"both": 1.8}, in_hero_light=False)[0] == "result"
    assert propose({"fit": 0.1, "steps": 0.5, "result": 2}, in_hero_light=False)[0] == "steps"


def test_set_ups_have_ways_and_readings_of_their_own() -> None:
    look = BY_HAND.with_setup(OfSetup(setup="a", way="steps")).with_setup(OfSetup(setup="b", aim="second"))
    assert look.in_setup("a").way == "steps" and look.in_setup("b").way == look.in_setup("c").way == "fit"
    assert look.with_setup(OfSetup(setup="a")).setups == (OfSetup(setup="b", aim="second"),)
    assert not look.in_setup("a").setups and BY_HAND.in_setup("a") is BY_HAND
    assert describe(BY_HAND, look) == "A set-up by the same steps and 1 more"
    assert describe(look, BY_HAND) == "A set-up arrives as the series does and 1 more"
    assert take_parts(Look(), look, frozenset({"all"})).setups == (), "set-ups belong to their series"
    said = dict(in_words(look.model_copy(update={"way": "both"})))
    assert said["Arrives by"] == WAYS["both"] and "Arrives by" not in dict(in_words(look))


def test_a_set_up_aims_at_one_of_several_readings_alone() -> None:
    dark, light = (measure(OKLab(colours() * np.float32(scale))) for scale in (0.5, 1.1))
    readings = [Reading(sampling=Sampling(), share=1, palette=(), statistics=own) for own in (dark, light)]
    blended = blend([Weighed(reading=r, key=k, name=k, tone=1, colour=1) for r, k in zip(readings, "ab", strict=True)])
    assert [one.key for one in blended.each] == ["a", "b"]
    assert blended.alone("a").statistics is dark and blended.alone("c") is blended
    assert blend([Weighed(reading=readings[0], key="a", tone=1, colour=1)]).each == ()
    shut = blend([Weighed(reading=r, key=k, tone=w, colour=w) for r, k, w in zip(readings, "ab", (1, 0), strict=True)])
    assert shut.alone("b").statistics is light, "one that weighs nothing can still be aimed at"
    assert nearest(OKLab(colours() * np.float32(0.55)), [OKLab(np.asarray(r.statistics.cloud)) for r in readings]) == 0
    tone = Look.of(ToneStep(amount=100))
    goals = [made(plan_frame(here(), aim_of(blended.alone(key)), tone))[:, 0].mean() for key in ("a", "", "b")]
    assert goals[0] < goals[1] < goals[2]
