"""The page that says where to add a step is followed to the letter: its own step is added, and works everywhere."""

import importlib.util
import re
import sys
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest

from nuvett.core.look.look import Look, WholeLook
from nuvett.core.look.trim import WholeTrim
from nuvett.core.look.with_steps import with_steps
from nuvett.core.look.words import describe, in_words
from nuvett.core.measure.statistics import measure
from nuvett.core.plan.apply import apply_plan
from nuvett.core.plan.documents import read_plan
from nuvett.core.planning.planning import aim_of_statistics, plan_frame
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import to_linear
from nuvett.core.steps.registry import REGISTRY, step_numbers
from nuvett.core.steps.step import Step
from nuvett.web.context import make_templates
from nuvett.web.views.sheet import sheet_of
from tests import strategies as ours
from tests.conftest import PROJECT


@pytest.fixture
def fade(tmp_path: Path) -> Iterator[type[Step]]:
    """The step of the page, written to a file and imported as any module is."""
    (code,) = re.findall(r"```python\n(.*?)```", (PROJECT / "docs" / "adding.md").read_text(), re.S)
    (tmp_path / "fade.py").write_text(code)
    spec = importlib.util.spec_from_file_location("fade", tmp_path / "fade.py")
    assert spec is not None and spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    sys.modules["fade"] = module
    spec.loader.exec_module(module)
    yield module.FadeStep
    del sys.modules["fade"]


def test_a_step_added_by_following_the_page_is_planned_said_shown_and_kept(fade: type[Step]) -> None:
    registry = (*REGISTRY, fade)
    looks, trims = with_steps(WholeLook, registry), with_steps(WholeTrim, registry, only_brought_in=True)
    linear = to_linear(ours.cloud(4, 900))
    own = measure(linear_to_oklab(linear))
    aim = aim_of_statistics(measure(linear_to_oklab(to_linear(ours.cloud(5, 900)))))
    none, some, more = (looks.model_validate({"fade": {"amount": amount}}) for amount in (0, 40, 80))
    chroma = []
    for look in (none, some, more):
        plan = plan_frame(own, aim, look)
        assert read_plan(plan.model_dump(mode="json")).key == plan.key
        chroma.append(np.hypot(*apply_plan(plan, linear)[:, 1:].T).mean())
    assert chroma[0] > chroma[1] > chroma[2]
    assert np.array_equal(
        apply_plan(plan_frame(own, aim, none), linear), apply_plan(plan_frame(own, aim, Look()), linear)
    )
    assert describe(none, some) == "Fading 0 to 40 %"
    assert ("Fading", "draws colours 40 % of the way to grey") in in_words(some)
    assert "Fading" not in dict(in_words(none))
    assert step_numbers(registry)["fade.amount"].label == "Fading"
    schema = looks.model_json_schema()["$defs"]["FadeStep"]["properties"]["amount"]
    assert (schema["maximum"], schema["number"]["unit"]) == (100, "%")
    assert looks.model_validate(Look().model_dump()).fade.amount == 0, "looks from before it are read"
    sheet = make_templates().get_template("parts/sheet.html")
    shown = sheet.render(**sheet_of(some), washes=[], tables=[])
    assert "<b>Fading</b> draws colours" in shown and 'data-name="fade.amount"' in shown and ">40 %<" in shown
    assert 'data-bring="fade"' in sheet.render(**sheet_of(none), washes=[], tables=[])
    assert 'data-bring="fade"' in sheet.render(**sheet_of(trims()), washes=[], tables=[])
    trimmed = plan_frame(own, aim, none, trim=trims.model_validate({"fade": {"amount": 80}}))
    assert np.hypot(*apply_plan(trimmed, linear)[:, 1:].T).mean() < chroma[1]
