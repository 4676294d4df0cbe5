"""Plans that were kept before draw the pixels that they drew then; looks and trims are read as they were meant.

tests/renders holds documents of earlier schemas, the small frame they were drawn on, and what became of it: drawn by
the version that wrote those documents, and never renewed by this one. A look comes to other plans when the computation
changes; what it comes to under the computation of now lies in a folder by that number.
"""

import json
from pathlib import Path

import cv2
import numpy as np
import pytest

from nuvett.core.computation import COMPUTATION
from nuvett.core.drawing.drawing import Drawing, compile_stages
from nuvett.core.even.even_light import EvenLight
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.measure.sampling import stratified_sample
from nuvett.core.measure.statistics import measure
from nuvett.core.plan.documents import read_plan
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.planning import aim_of, evened, plan_frame
from nuvett.core.reading.reading import Weighed, blend, read
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.imaging.decode import decode
from nuvett.imaging.faces import faces_seen, find_faces
from nuvett.imaging.opened import Limits
from nuvett.imaging.proxy import measuring_proxy

KEPT = Path(__file__).resolve().parent.parent / "renders"
PROJECT = KEPT.parent.parent
DOCUMENTS = json.loads((KEPT / "kept.json").read_text())
LIGHT = EvenLight(gains=(1.18, 1.1, 0.97), camera=0.4)


def proxy_of(path: Path) -> np.ndarray:
    picture = decode(path, Limits())
    return measuring_proxy(picture.pixels, picture.domain)


@pytest.fixture(scope="module")
def aim() -> object:
    return aim_of(
        blend([Weighed(reading=read(proxy_of(PROJECT / "demo/stills/still_1_teal_amber.jpg")), tone=1, colour=1)])
    )


@pytest.fixture(scope="module")
def proxy() -> np.ndarray:
    return proxy_of(PROJECT / "demo/frames/AT-0110.jpg")


def png(name: str) -> np.ndarray:
    return cv2.cvtColor(cv2.imread(str(KEPT / f"{name}.png")), cv2.COLOR_BGR2RGB)


def drawn(plan: FramePlan) -> np.ndarray:
    frame = png("frame")
    return Drawing(compile_stages(plan), (frame.shape[1], frame.shape[0]), frame).picture(frame)


def check_same(plan: FramePlan, name: str) -> None:
    apart = np.abs(drawn(plan).astype(int) - png(name).astype(int))
    assert apart.max() <= 1, f"{name} differs by {apart.max()} codes"
    assert apart.mean() < 0.05


@pytest.mark.parametrize("name", DOCUMENTS)
def test_plans_that_were_kept_draw_the_same_pixels(name: str) -> None:
    check_same(read_plan(DOCUMENTS[name]["plan"]), name)


@pytest.mark.parametrize("name", DOCUMENTS)
def test_looks_and_trims_that_were_kept_are_read_as_they_were_meant(name: str, aim: object, proxy: np.ndarray) -> None:
    """When the computation has another number: run it once, look at what it wrote, and keep that."""
    look, trim = Look.model_validate(DOCUMENTS[name]["look"]), Trim.model_validate(DOCUMENTS[name]["trim"] or {})
    statistics = measure(linear_to_oklab(evened(stratified_sample(proxy), LIGHT, look)))
    plan = plan_frame(statistics, aim, look, LIGHT, trim, faces_seen(find_faces(proxy)), seed=7)
    there = KEPT / f"computation-{COMPUTATION}" / f"{name}.png"
    if not there.exists():
        there.parent.mkdir(exist_ok=True)
        cv2.imwrite(str(there), cv2.cvtColor(drawn(plan), cv2.COLOR_RGB2BGR))
        pytest.fail("What came out was written down; look at it and keep it with the new number.")
    check_same(plan, f"computation-{COMPUTATION}/{name}")
