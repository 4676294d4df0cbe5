"""Part to part: an area brought to a named part of another picture, by an amount, and nothing where there is none."""

from functools import cache

import numpy as np
import pytest

from nuvett.core.area.area import Area
from nuvett.core.area.round import RoundPart
from nuvett.core.look.local import Local
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.measure.statistics import Statistics, measure
from nuvett.core.plan.apply import in_layers, through
from nuvett.core.plan.fitted import ToneOperation
from nuvett.core.planning.part_to_part import brought_to, statistics_inside
from nuvett.core.planning.planning import Fitting, aim_of, look_plan, trimmed
from nuvett.core.reading.reading import Single, Target
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear
from nuvett.core.spaces.rgb import to_linear
from nuvett.core.types import Encoded01, Linear, Mask01, OKLab
from tests.strategies import cloud

SKY = OKLab(np.array([0.72, -0.03, -0.06], dtype=np.float32))
AREA = Area(parts=(RoundPart(),))
BARE = Look.of(*(kind(on=False) for kind in Look.kinds), vivid=0)


def spread_about(colour: OKLab, seed: int, by: float = 0.03) -> OKLab:
    random = np.random.default_rng(seed)
    return OKLab((colour + random.normal(0, by, (1500, 3)) * np.array([1, 0.4, 0.4])).astype(np.float32))


@cache
def part() -> Statistics:
    return measure(spread_about(SKY, 1, 0.02))


@cache
def colours() -> tuple[Linear, Mask01]:
    """A frame whose first half is a wall, and weights of an area that is there."""
    wall = spread_about(OKLab(np.array([0.5, 0.02, 0.05], dtype=np.float32)), 2)
    rest = OKLab(cloud(3, 1500) * np.float32((0.5, 0.2, 0.2)) + np.float32((0.2, 0, 0)))
    weights = np.concatenate([np.ones(1500), np.zeros(1500)]).astype(np.float32)
    return Linear(oklab_to_linear(OKLab(np.concatenate([wall, rest])))), weights


def target(key: str = "sky") -> Target:
    return Target(palette=(), statistics=part(), parts=(Single(key=key, palette=(), statistics=part()),))


def fitting(look: Look, known: str = "sky", there: bool = True) -> Fitting:
    linear, weights = colours()
    own = measure(linear_to_oklab(linear))
    return Fitting(
        own, aim_of(target(known)), look, inside=lambda _: statistics_inside(linear, weights) if there else None
    )


def made(of: Fitting, trim: Trim | None = None) -> OKLab:
    linear, weights = colours()
    plan = trimmed(look_plan(of), of.look, trim or Trim(), lambda: of)
    shown: Encoded01 = in_layers(plan, linear, (weights,) * len(plan.layers))
    return linear_to_oklab(to_linear(shown))


@pytest.mark.parametrize(("toward", "low", "high"), [(100, 0, 0.012), (50, 0.4, 0.6), (150, 0.3, 0.6)])
def test_an_area_arrives_at_its_part_and_by_half_half_way(toward: float, low: float, high: float) -> None:
    came = made(fitting(BARE))
    after = made(fitting(BARE.model_copy(update={"areas": (Local(area=AREA, aim="sky", toward=toward),)})))
    goal = np.median(np.asarray(part().cloud), axis=0)
    left = np.median(after[:1500], axis=0) - goal
    way = np.median(came[:1500], axis=0) - goal
    share = float(np.linalg.norm(left)) if toward == 100 else float(np.linalg.norm(left) / np.linalg.norm(way))
    assert low <= share <= high
    assert np.abs(after[1500:] - came[1500:]).max() < 2e-3, "what lies around stays"
    if toward == 150:
        assert float(left @ way) < 0, "beyond the part, not short of it"


def test_an_area_comes_to_its_part_after_the_look_and_with_its_own_steps_upon_it() -> None:
    plain = BARE.model_copy(update={"areas": (Local(area=AREA, aim="sky"),)})
    lifted = plain.with_step(plain.exposure.model_copy(update={"on": True, "exposure": 0.7}))
    goal = np.median(np.asarray(part().cloud), axis=0)
    for look in (plain, lifted):
        assert np.linalg.norm(np.median(made(fitting(look))[:1500], axis=0) - goal) < 0.015
    own = Local.model_validate({"area": AREA.model_dump(), "aim": "sky", "exposure": {"exposure": 0.5}})
    lighter = made(fitting(BARE.model_copy(update={"areas": (own,)})))
    assert np.median(lighter[:1500, 0]) > goal[0] + 0.02
    trimmed_by = made(fitting(BARE), Trim(areas=(Local(area=AREA, aim="sky"),)))  # type: ignore[call-arg]
    assert np.linalg.norm(np.median(trimmed_by[:1500], axis=0) - goal) < 0.015


def test_a_frame_without_the_area_or_a_part_that_is_gone_changes_nothing() -> None:
    look = BARE.model_copy(update={"areas": (Local(area=AREA, aim="sky"),)})
    for of in (fitting(look, there=False), fitting(look, known="wall"), fitting(BARE)):
        assert not [o for layer in look_plan(of).layers for o in layer.operations]
    linear, weights = colours()
    assert statistics_inside(linear, weights * 0) is None
    assert statistics_inside(linear, (np.arange(3000) < 10).astype(np.float32)) is None
    assert Local(area=AREA).is_idle and not Local(area=AREA, aim="sky").is_idle
    assert Local(area=AREA, aim="sky", toward=0).is_idle


def test_tone_of_an_area_keeps_black_white_and_detail() -> None:
    own = measure(spread_about(OKLab(np.array([0.4, 0, 0.02], dtype=np.float32)), 4))
    (tone,) = [o for o in brought_to(own, part(), 1.5) if isinstance(o, ToneOperation)]
    curve = np.asarray(tone.curve)
    assert curve[0] < 0.01 and curve[-1] > 0.99 and (np.diff(curve) >= 0).all()
    inside = through([tone], spread_about(OKLab(np.array([0.4, 0, 0.02], dtype=np.float32)), 5))
    assert inside[:, 0].std() > 0.5 * 0.03
