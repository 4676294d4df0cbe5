"""Plans come out as they did under this number of the computation; and a trim upon a kept plan is the plan with it."""

import json
from pathlib import Path

import numpy as np
import pytest

from nuvett.core.area.area import Area
from nuvett.core.area.tone import TonePart
from nuvett.core.computation import COMPUTATION
from nuvett.core.even.even_light import EvenLight
from nuvett.core.look.local import Local
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.measure.sampling import stratified_sample
from nuvett.core.measure.statistics import measure
from nuvett.core.plan.apply import apply_plan
from nuvett.core.planning.planning import Fitting, aim_of, evened, look_plan, plan_frame, trimmed
from nuvett.core.planning.usual import usual_look
from nuvett.core.reading.reading import Target, Weighed, blend, read
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.steps.step import Step
from nuvett.core.types import Linear
from nuvett.imaging.decode import decode
from nuvett.imaging.faces import faces_seen, find_faces
from nuvett.imaging.opened import Limits
from nuvett.imaging.proxy import measuring_proxy
from tests.conftest import DEMO
from tests.examples import EXAMPLES

KEPT = Path(__file__).resolve().parent.parent / "renders" / "computation.json"
LIGHT = EvenLight(gains=(1.1, 1.05, 0.98), camera=0.3)
FRAMES = ("AT-0102", "AT-0115", "AT-0130")
STILLS = ("still_1_teal_amber", "still_4_silver")


def proxy_of(path: Path) -> Linear:
    picture = decode(path, Limits())
    return measuring_proxy(picture.pixels, picture.domain)


@pytest.fixture(scope="module")
def targets() -> dict[str, Target]:
    paths = {name: DEMO / "stills" / f"{name}.jpg" for name in STILLS}
    return {name: blend([Weighed(reading=read(proxy_of(path)), tone=1, colour=1)]) for name, path in paths.items()}


@pytest.fixture(scope="module")
def proxies() -> dict[str, Linear]:
    return {name: proxy_of(DEMO / "frames" / f"{name}.jpg") for name in FRAMES}


def fitting_of(proxy: Linear, target: Target, look: Look) -> Fitting:
    statistics = measure(linear_to_oklab(evened(stratified_sample(proxy), LIGHT, look)))
    return Fitting(statistics, aim_of(target), look, LIGHT, faces_seen(find_faces(proxy)), 7)


def test_the_same_pictures_and_looks_come_to_the_same_colours_or_the_computation_gets_another_number(
    targets: dict[str, Target], proxies: dict[str, Linear]
) -> None:
    """When this fails and the change is wanted: raise COMPUTATION, delete the file, run it once, keep what it wrote."""
    found = {}
    for still, target in targets.items():
        for frame, proxy in proxies.items():
            plan = look_plan(fitting_of(proxy, target, usual_look(target)))
            colours = Linear(np.ascontiguousarray(stratified_sample(proxy)[::400]))
            found[f"{still} {frame}"] = np.round(apply_plan(plan, colours), 4).tolist()
    if not KEPT.exists():
        KEPT.write_text(json.dumps({"computation": COMPUTATION, "colours": found}) + "\n")
        pytest.fail("What came out was written down; keep it with the new number.")
    kept = json.loads(KEPT.read_text())
    assert kept["computation"] == COMPUTATION
    for name, colours in found.items():
        assert np.abs(np.array(colours) - np.array(kept["colours"][name])).max() < 0.004, name


AREA = Area(parts=(TonePart(),))


@pytest.mark.parametrize("strength", [100, 40])
@pytest.mark.parametrize("step", [s for s in EXAMPLES if s.in_trims], ids=lambda step: step.name)
def test_a_trim_upon_what_was_kept_of_a_look_is_the_plan_of_both(
    targets: dict[str, Target], proxies: dict[str, Linear], step: Step, strength: float
) -> None:
    own = Local(key="a", area=AREA).with_step(step)
    look = Look(strength=80, areas=(own, own.model_copy(update={"key": "b", "strength": 50})))
    trims = [
        Trim(strength=strength).with_step(step),
        Trim(strength=strength, areas=(own.model_copy(update={"key": "c"}),), without=("b",)),
    ]
    target, proxy = targets["still_1_teal_amber"], proxies["AT-0102"]
    fitting = fitting_of(proxy, target, look)
    kept = look_plan(fitting)
    for trim in trims:
        whole = plan_frame(fitting.frame, fitting.aim, look, fitting.light, trim, fitting.faces, fitting.seed)
        assert trimmed(kept, look, trim, lambda: fitting).key == whole.key
    assert trimmed(kept, look, Trim(), lambda: pytest.fail("nothing has to be fitted")).key == kept.key
