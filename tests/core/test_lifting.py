"""From a trim into a look: parts with reasons, what they become there, and what is left of the trim."""

import numpy as np
import pytest

from nuvett.core.area.area import Area
from nuvett.core.area.brush import BrushPart, Stroke
from nuvett.core.area.round import RoundPart
from nuvett.core.errors import DocumentError
from nuvett.core.geometry.geometry import Geometry
from nuvett.core.look.lifting import liftable, lifted, under
from nuvett.core.look.local import MAX_AREAS, Local
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.measure.statistics import measure, quantiles_of
from nuvett.core.plan.apply import apply_plan
from nuvett.core.planning.planning import plan_frame
from nuvett.core.spaces.oklab import oklab_to_linear
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.steps.registry import REGISTRY
from nuvett.core.steps.step import Step
from nuvett.core.steps.tone import ToneStep
from nuvett.core.steps.white import WhiteStep
from nuvett.core.types import Linear, OKLab
from tests.examples import EXAMPLES
from tests.strategies import cloud

BARE = Look.of(*(kind(on=False) for kind in REGISTRY), vivid=0)
ROUND = Local(area=Area(parts=(RoundPart(),)), exposure=ExposureStep(exposure=1))  # type: ignore[call-arg]
BRUSHED = Local(  # type: ignore[call-arg]
    area=Area(parts=(BrushPart(strokes=(Stroke(points=((0.2, 0.3, 1.0), (0.7, 0.6, 0.6))),)),)),
    exposure=ExposureStep(exposure=1),
)


def made(look: Look, trim: Trim) -> OKLab:
    lab = OKLab(cloud(4, 600) * np.float32((0.5, 0.15, 0.15)) + np.float32((0.2, 0, 0)))
    return apply_plan(plan_frame(measure(lab), None, look, trim=trim), Linear(oklab_to_linear(lab)))


@pytest.mark.parametrize("step", [s for s in EXAMPLES if s.in_trims], ids=lambda s: s.name)
def test_every_step_of_a_trim_goes_into_a_look_that_has_none_and_does_the_same_there(step: Step) -> None:
    trim = Trim.of(step)
    (part,) = liftable(BARE, trim)
    assert part.can and part.ticked and part.name == step.name and not part.reason
    look, left = lifted(BARE, trim, [step.name])
    assert left.is_none and getattr(look, step.name) == step
    if step.name not in ("hold", "finish", "table"):
        assert np.median(np.abs(made(look, left) - made(BARE, trim))) < 0.004, "but for easing at the gamut"


def test_numbers_that_add_up_are_added_and_halves_of_them_by_half() -> None:
    look = BARE.with_step(ExposureStep(exposure=0.3, contrast=10)).with_step(WhiteStep(warmth=5))
    trim = Trim.of(ExposureStep(exposure=0.4, contrast=-30), WhiteStep(warmth=58, tint=3))
    reasons = {part.name: (part.ticked, part.reason) for part in liftable(look, trim)}
    assert reasons == dict.fromkeys(("white", "exposure"), (True, "added to what the look has"))
    after, left = lifted(look, trim, ["exposure", "white"])
    assert (after.exposure.exposure, after.exposure.contrast) == (0.7, -20) and left.is_none
    assert after.white.warmth == 60 and after.white.tint == 3, "within its range"
    pivoted = Trim.of(ExposureStep(exposure=0.4, contrast=-30, pivot=20))
    (part,) = liftable(look, pivoted)
    assert not part.ticked and "would replace" in part.reason
    assert lifted(look, pivoted, ["exposure"])[0].exposure == pivoted.exposure


def test_an_exposure_that_makes_up_for_a_dark_frame_stays_unless_it_is_asked_for() -> None:
    trim = Trim.of(ExposureStep(exposure=0.6))
    (part,) = liftable(Look(), trim, below=0.6)
    assert part.can and not part.ticked and part.reason == "this frame lies 0.6 EV under its set-up"
    (over,) = liftable(Look(), Trim.of(ExposureStep(exposure=-0.6)), below=-0.4)
    assert "over its set-up" in over.reason
    assert liftable(Look(), trim, below=-0.6)[0].ticked and liftable(Look(), trim, below=0.1)[0].ticked
    frames = [
        quantiles_of(np.linspace(0, 1, 200, dtype=np.float32) * np.float32(v)) for v in (0.8, 0.8, 0.8 / 2 ** (1 / 3))
    ]
    assert under(frames[2], frames[:2]) == pytest.approx(1, abs=0.02) and under(frames[0], []) == 0


def test_what_belongs_to_its_frame_stays_with_a_reason() -> None:
    trim = Trim.of(ToneStep(amount=0), geometry=Geometry(straighten=2), areas=(ROUND, BRUSHED), strength=80)
    parts = {part.name: part for part in liftable(Look(), trim)}
    assert list(parts) == ["area.0", "area.1", "geometry", "strength"], "an idle step is no part"
    assert [part.can for part in parts.values()] == [True, False, False, False]
    assert all(part.reason for part in parts.values() if not part.can)
    look, left = lifted(Look(), trim, ["area.0"], key="k")
    assert [own.key for own in look.areas] == ["k0"] and left.areas == (BRUSHED,) and left.strength == 80
    for wrong in (["area.1"], ["geometry"], ["gloss"], []):
        with pytest.raises(DocumentError):
            lifted(Look(), trim, wrong)
    full = Look(areas=(ROUND,) * MAX_AREAS)
    with pytest.raises(DocumentError, match="at most"):
        lifted(full, trim, ["area.0"])
