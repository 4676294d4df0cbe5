"""More than full: further than full, and no further than the limits that act at full."""

import numpy as np
import pytest

from nuvett.core.area.faces import FaceSeen
from nuvett.core.fit.tone import GENTLEST, within_slopes
from nuvett.core.look.beyond import asked_for
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.measure.statistics import measure
from nuvett.core.plan.apply import apply_plan
from nuvett.core.plan.fitted import SpreadOperation, ToneOperation
from nuvett.core.planning.planning import aim_of_statistics, plan_frame
from nuvett.core.spaces.cielab import lightness_of_oklab
from nuvett.core.spaces.gamut import map_to_gamut
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_oklch
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.steps.moves import MoveStep
from nuvett.core.steps.spread import SpreadStep
from nuvett.core.steps.step import Step
from nuvett.core.steps.tone import ToneStep
from nuvett.core.steps.white import WhiteStep
from nuvett.core.steps.zones import ZoneStep
from nuvett.core.types import Linear, OKLab
from tests.core.step_ways import aim, frame, lab_of

STEPS: tuple[Step, ...] = (ToneStep(), ZoneStep(), SpreadStep(), MoveStep())
LINEAR = Linear((frame().reshape(-1, 3)[::7] / 255).astype(np.float32) ** np.float32(2.2))
OWN = measure(linear_to_oklab(LINEAR))
FACE = (FaceSeen(box=(0.4, 0.2, 0.1, 0.1), colour=(0.35, 0.2, 0.12)),)


def made(look: Look, trim: Trim | None = None, faces: tuple[FaceSeen, ...] = ()) -> OKLab:
    plan = plan_frame(OWN, aim(), look, trim=trim, faces=faces)  # type: ignore[arg-type]
    return apply_plan(plan, LINEAR)


def apart(a: OKLab, b: OKLab) -> float:
    return float(np.abs(a - b).mean())


@pytest.mark.parametrize("step", STEPS, ids=lambda s: s.name)
def test_half_more_than_full_goes_on_in_the_same_direction(step: Step) -> None:
    bare = Look.of(*(kind(on=False) for kind in Look.kinds), vivid=0)
    none, full, beyond = (made(bare.with_step(step.model_copy(update={"amount": v}))) for v in (0, 100, 150))
    assert apart(beyond, none) > 1.1 * apart(full, none)
    along = ((full - none) * (beyond - full)).sum() / max(float(((full - none) ** 2).sum()), 1e-9)
    assert 0.1 < along < 0.75


@pytest.mark.parametrize("way", ["fit", "both", "steps"])
def test_a_strength_beyond_full_asks_more_of_every_step_and_a_trim_takes_less_of_it(way: str) -> None:
    look = Look.of(WhiteStep(warmth=20), ExposureStep(exposure=0.3)).model_copy(update={"way": way})
    none, full, beyond = (made(look.model_copy(update={"strength": s})) for s in (0.0, 100.0, 150.0))
    assert apart(beyond, none) > 1.15 * apart(full, none)
    half = made(look.model_copy(update={"strength": 150.0}), Trim.of(strength=50))
    assert 0.3 < apart(half, none) / apart(beyond, none) < 0.7
    asked = asked_for(look.model_copy(update={"strength": 120.0}))
    assert asked.strength == 100 and asked.tone.amount == pytest.approx(78) and asked.hold == look.hold
    assert asked_for(look) is look and asked_for(look.model_copy(update={"strength": 150.0})).white.amount == 150


def test_contrast_does_not_rise_beyond_its_limit_nor_is_detail_lost() -> None:
    full = ToneStep(amount=100, steepest=1.8)
    for amount in (120, 150):
        plan = plan_frame(OWN, aim(), Look.of(full.model_copy(update={"amount": amount})))  # type: ignore[arg-type]
        tone = plan.find(ToneOperation)
        assert tone is not None
        slopes = np.diff(np.asarray(tone.curve)) * 128
        assert slopes.max() < 1.81 and slopes.min() > 0.9 * GENTLEST * 0.5 and tone.curve.max() <= 1
    steep = within_slopes(np.linspace(0, 1, 129, dtype=np.float32) ** 3, 2.0)
    assert np.diff(steep).max() * 128 < 2.01 and steep.min() >= 0 and np.diff(steep).min() > 0


def test_no_colour_is_turned_inside_out_by_a_spread_beyond_full() -> None:
    grey = aim_of_statistics(measure(OKLab(linear_to_oklab(LINEAR) * np.float32((1, 0.02, 0.02)))))
    plan = plan_frame(OWN, grey, Look.of(SpreadStep(amount=150)))
    spread = plan.find(SpreadOperation)
    assert spread is not None
    assert (np.linalg.det(np.asarray(spread.matrix).reshape(-1, 2, 2)) > 0).all()


def test_what_is_held_white_and_kept_stays_so_beyond_full() -> None:
    lab = lab_of(frame())[::7]
    white = lightness_of_oklab(lab[:, 0]) > 98
    beyond = Look(strength=150.0, colour=150.0)
    after = made(beyond)
    assert white.sum() > 5 and lightness_of_oklab(after[white, 0]).min() > 95
    skin = linear_to_oklab(Linear(np.array([FACE[0].colour], dtype=np.float32)))
    near = np.linalg.norm(lab[:, 1:] - skin[:, 1:], axis=1) < 0.01
    held = made(beyond, faces=FACE)
    turned = oklab_to_oklch(held[near])[:, 2] - oklab_to_oklch(lab[near])[:, 2]
    assert near.sum() > 3 and np.abs((turned + 180) % 360 - 180).max() < 16, "8 degrees, and softly beyond"
    lost = [
        np.linalg.norm(linear_to_oklab(Linear(map_to_gamut(one))) - one, axis=1).mean() for one in (after, made(Look()))
    ]
    assert lost[0] < lost[1] + 0.004, "colours are eased before the gamut, as at full"
