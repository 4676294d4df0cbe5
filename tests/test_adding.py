"""The page that says where to add things is followed to the letter: what it adds works everywhere."""

from pathlib import Path
from types import ModuleType

import numpy as np
import pytest
from pydantic import Field

from nuvett.core.area.area import Area
from nuvett.core.area.kinds import AREA_KINDS, any_of
from nuvett.core.area.scene import Scene
from nuvett.core.area.weights import weigh
from nuvett.core.area.words import area_changes, area_words
from nuvett.core.even import witnesses
from nuvett.core.even.clouds import Camera
from nuvett.core.even.shared import Seen, shared_points
from nuvett.core.even.solve import solve
from nuvett.core.even.witnesses import WITNESSES, Hearing, heard
from nuvett.core.look.look import Look, WholeLook
from nuvett.core.look.trim import Trim, WholeTrim
from nuvett.core.look.with_steps import with_steps
from nuvett.core.look.words import describe, in_words
from nuvett.core.measure.statistics import measure
from nuvett.core.plan.apply import apply_plan
from nuvett.core.plan.documents import read_plan
from nuvett.core.planning.planning import aim_of_statistics, plan_frame
from nuvett.core.registration.features import Features
from nuvett.core.spaces import curves, rgb
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import to_linear
from nuvett.core.steps.registry import REGISTRY, step_numbers
from nuvett.core.types import Encoded01, OKLab
from nuvett.imaging.icc import build_profile, space_of
from nuvett.web.context import make_templates
from nuvett.web.views.sheet import sheet_of
from tests import strategies as ours
from tests.recipes import beside, imported


def test_a_step_added_by_following_the_page_is_planned_said_shown_and_kept(tmp_path: Path) -> None:
    fade = imported("A step", tmp_path).FadeStep
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


def test_a_kind_of_area_added_by_following_the_page_weighs_is_said_and_offered(tmp_path: Path) -> None:
    border = imported("A kind of area", tmp_path).BorderPart
    kinds = (*AREA_KINDS, border)

    class Wider(Area):
        parts: tuple[any_of(kinds), ...] = Field(default=())  # type: ignore[valid-type]

    size = (120, 80)
    grey = np.full((*size[::-1], 3), (0.6, 0, 0), dtype=np.float32)
    scene = Scene(size, lambda: grey[..., 0], lambda: OKLab(grey))
    document = {"parts": [{"kind": "border", "reach": 25}, {"kind": "straight", "join": "taken"}]}
    area = Wider.model_validate(document)
    assert Wider.model_validate(area.model_dump(mode="json")) == area
    made = weigh(Wider(parts=(border(reach=25),)), scene).values
    assert made[40, 60] == 0 and made[1, 60] > 0.99 and abs(made[15, 60] - 0.5) < 0.06
    assert area_words(area) == "the border without a gradient area"
    assert area_changes(Wider(parts=(border(),)), Wider(parts=(border(reach=30),))) == [
        "Reach inward, of the long edge 20 to 30 %"
    ]
    sheet = make_templates().get_template("parts/sheet.html")
    for document_of in (Look(), Trim()):
        assert 'data-add-area="border"' in sheet.render(**sheet_of(document_of, area_kinds=kinds), washes=[], tables=[])


def test_a_colour_space_added_by_following_the_page_has_matrices_and_a_profile(monkeypatch: pytest.MonkeyPatch) -> None:
    with_a_member_more = ModuleType("more")
    vars(with_a_member_more)["Space"] = str
    entry = beside("A colour space", rgb, with_a_member_more)["ENTRY"]
    assert isinstance(entry, rgb.RGBSpace) and entry.curve == curves.Curve(2.4)
    monkeypatch.setitem(rgb.SPACES, entry.name, entry)
    colours = Encoded01(np.random.default_rng(2).uniform(0.1, 0.9, (200, 3)).astype(np.float32))
    back = rgb.from_linear(to_linear(colours, entry.name), entry.name)
    assert np.allclose(back, colours, atol=2e-4)
    assert len(build_profile(entry.name)) > 400 and space_of(build_profile(entry.name)) is not None


def test_a_witness_added_by_following_the_page_is_heard_and_weighed() -> None:
    lamps = beside("A witness of even light", witnesses)["LAMPS"]
    half = ours.cloud(3, 4000)[..., :3] * np.float32(0.5)
    frames = [Seen(sample, Features.none()) for sample in (half, half * np.float32(0.5))]
    hearing = Hearing(frames, shared_points(frames, [(0, 1)]), Camera(0.0))
    said = [w for w in heard(hearing, (*WITNESSES, lamps)) if w.kind == "lamps"]
    assert len(said) == 1 and said[0].difference[0] > 0.9
    needed = solve(said, {}, np.zeros((2, 3))).needed[:, 0]
    assert 0.1 < needed[1] - needed[0] < said[0].difference[0], "weighed against what frames usually differ by"
