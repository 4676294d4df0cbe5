"""The plan: operations told apart, ordered by stage, weakened by groups, merged without a trace, kept and read."""

import json
from typing import get_args

import numpy as np
import pytest

from nuvett.core.area.area import Area
from nuvett.core.errors import DocumentError, TableError
from nuvett.core.fit.tone import TONE_GRID
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.measure.statistics import ZONE_COUNT, measure
from nuvett.core.plan.apply import after_group, apply_plan, before_kind, finished, fitted_part, seen, through
from nuvett.core.plan.by_hand import EndsOperation, GreyOperation, SaturateOperation
from nuvett.core.plan.documents import read_plan, with_tables
from nuvett.core.plan.ends import EaseOperation, HoldOperation
from nuvett.core.plan.finish import VignetteOperation
from nuvett.core.plan.fitted import (
    ByLightness,
    KeepOperation,
    MovesOperation,
    SpreadOperation,
    TintOperation,
    ToneOperation,
)
from nuvett.core.plan.frame_plan import AnyOperation, FramePlan, Group, Layer
from nuvett.core.plan.light import ExposureOperation, GainsOperation
from nuvett.core.plan.operation import Stage
from nuvett.core.planning.planning import UNTOUCHED, aim_of_statistics, plan_frame
from nuvett.core.spaces.gamut import map_to_gamut
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear
from nuvett.core.spaces.rgb import Space, from_linear, to_linear
from nuvett.core.spatial.finish import Finisher, InArea
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.steps.registry import REGISTRY
from nuvett.core.steps.tone import ToneStep
from nuvett.core.types import OKLab
from tests import strategies as ours
from tests.examples import EXAMPLES, TABLE

LINEAR = to_linear(ours.cloud(7, 1200))
LAB = linear_to_oklab(LINEAR)


def planned() -> FramePlan:
    own, target = measure(LAB), measure(linear_to_oklab(to_linear(ours.cloud(8, 1200))))
    return plan_frame(own, aim_of_statistics(target), Look.of(*EXAMPLES), seed=5)


def test_operations_are_told_apart_by_kind_and_all_of_them_survive_json() -> None:
    kinds = get_args(get_args(AnyOperation)[0])
    names = [kind.model_fields["kind"].default for kind in kinds]
    assert len(set(names)) == len(names)
    plan = planned()
    used = {type(operation) for group in plan.groups for operation in group.operations}
    assert used == set(kinds), "the examples of the steps use every kind"
    kept = read_plan(json.loads(plan.model_dump_json()))
    with pytest.raises(TableError, match="not kept here"):
        apply_plan(kept, LINEAR)
    with pytest.raises(TableError, match="not kept here"):
        with_tables(kept, lambda digest: None)
    again = with_tables(kept, {TABLE.digest: TABLE}.get)
    assert again.key == plan.key and np.array_equal(apply_plan(again, LINEAR), apply_plan(plan, LINEAR))


def test_within_a_group_operations_act_by_stage_whatever_step_they_came_from() -> None:
    stages = [operation.stage for operation in planned().group("look").operations]
    assert stages == sorted(stages) and set(stages) == set(Stage)
    reaches = {type(o).__name__: o.reach for o in planned().group("look").operations}
    assert reaches["ToneOperation"] == "colour" and reaches["LocalOperation"] == "neighbourhood"
    assert reaches["VignetteOperation"] == reaches["GrainOperation"] == "place"


def test_a_group_is_taken_as_far_as_its_strength() -> None:
    look = planned().group("look")
    whole = after_group(look, LAB)
    for strength in (0.0, 0.5, 1.0):
        made = after_group(look.model_copy(update={"strength": strength}), LAB)
        assert np.allclose(made, LAB + strength * (whole - LAB), atol=1e-6)
    weak = look.model_copy(update={"strength": 0.5}).finish
    shares = [0.5 if o.by_strength else 1 for o in look.finish]
    assert {0.5, 1} == set(shares)
    assert [o.amount for o in weak] == pytest.approx([o.amount * s for o, s in zip(look.finish, shares, strict=True)])
    assert look.model_copy(update={"strength": 0.0}).finish == ()


def test_what_is_merged_by_lightness_is_what_comes_one_after_the_other() -> None:
    random = np.random.default_rng(2)
    tint = random.normal(0, 0.03, (2, ZONE_COUNT, 2)).astype(np.float32)
    matrix = (np.eye(2).reshape(4) + random.normal(0, 0.2, (ZONE_COUNT, 4))).astype(np.float32)
    operations = (
        ToneOperation(curve=np.clip(TONE_GRID**1.3, 0, 1)),
        TintOperation(before=tint[0], after=tint[1]),
        SpreadOperation(about=tint[1], matrix=matrix),
    )
    lab = LAB
    for operation in operations:
        lab = operation.apply(lab, LAB, Space.SRGB)
    merged = ByLightness(operations).apply(LAB, LAB, Space.SRGB)
    assert np.abs(merged - lab).max() < 2e-4
    assert np.abs(through(operations, LAB) - lab).max() < 2e-4 < np.abs(lab - LAB).max()
    beyond = LAB + np.float32([0.7, 0, 0])
    assert np.allclose(ByLightness(operations[:1]).apply(beyond, beyond, Space.SRGB)[:, 0].max(), beyond[:, 0].max())


def test_an_operation_in_part_at_half_takes_half_of_that_part() -> None:
    whole = ExposureOperation(exposure=1, contrast=0.3)
    made = whole.apply(LAB, LAB, Space.SRGB)
    half = whole.model_copy(update={"amount": 0.5, "part": "tone"}).apply(LAB, LAB, Space.SRGB)
    assert np.allclose(half[:, 0], (LAB[:, 0] + made[:, 0]) / 2, atol=1e-6) and np.array_equal(half[:, 1:], LAB[:, 1:])
    colour = whole.model_copy(update={"part": "colour"}).apply(LAB, LAB, Space.SRGB)
    assert np.array_equal(colour[:, 1:], made[:, 1:]) and np.array_equal(colour[:, 0], LAB[:, 0])


def test_groups_are_found_replaced_and_left_out_by_name() -> None:
    plan = planned()
    assert plan.find(GainsOperation, "light") is not None and plan.find(GreyOperation) is not None
    assert plan.find(GreyOperation, "trim") is None and plan.group("trim").operations == ()
    bare = plan.without("look")
    assert np.allclose(apply_plan(bare, LINEAR), LAB, atol=1e-5)
    grey = plan.with_group(Group(name="look", operations=(SaturateOperation(saturation=-1),)))
    assert np.abs(apply_plan(grey, LINEAR)[:, 1:]).max() < 1e-6 and grey.key != plan.key
    assert np.array_equal(apply_plan(UNTOUCHED, LINEAR), LAB)


def test_what_comes_to_an_operation_has_been_through_all_that_is_before_it() -> None:
    light = Group(name="light", operations=(GainsOperation(gains=(1.3, 1, 0.8)),))
    look = Group(name="look", operations=(ExposureOperation(exposure=0.3), SaturateOperation(saturation=0.5)))
    trim = Group(name="trim", operations=(ExposureOperation(exposure=-0.2), GreyOperation(), SaturateOperation()))
    plan = FramePlan(groups=(light, look, trim))
    evened = linear_to_oklab(light.operations[0].on_light(LINEAR))
    assert np.allclose(before_kind(plan, "look", ExposureOperation, LINEAR), evened, atol=1e-6)
    assert np.allclose(before_kind(plan, "look", SaturateOperation, LINEAR), through(look.colours[:1], evened))
    looked = after_group(look, evened)
    assert np.allclose(before_kind(plan, "trim", GreyOperation, LINEAR), through(trim.colours[:1], looked))
    assert np.allclose(apply_plan(plan, LINEAR), after_group(trim, looked), atol=1e-6)
    inside = Layer(name="trim.0", area=Area(), operations=(ExposureOperation(exposure=0.4), GreyOperation()))
    below = linear_to_oklab(to_linear(finished(plan, LINEAR, Space.SRGB)))
    layered = plan.model_copy(update={"layers": (inside,)})
    brighter = through(inside.operations[:1], below)
    assert np.allclose(before_kind(layered, "trim.0", GreyOperation, LINEAR), brighter, atol=1e-6)
    kinds = [type(operation) for operation in fitted_part(planned())]
    assert kinds == [ToneOperation, TintOperation, SpreadOperation, MovesOperation, KeepOperation]


@pytest.mark.parametrize("amount", [0.5, 1])
def test_ends_of_tone_land_where_they_are_sent_and_go_on_as_steeply_beyond(amount: float) -> None:
    ends = EndsOperation(low=0.2, high=0.8, to_low=0.1, to_high=0.94, amount=amount)
    lab = np.array([[0.2, 0.1, 0], [0.5, 0, 0.1], [0.8, 0, 0], [0, 0, 0], [1, 0, 0]], dtype=np.float32)
    made = ends.apply(OKLab(lab), OKLab(lab), Space.SRGB)
    landed = np.array([0.1, 0.52, 0.94, 0.1 - 0.2 * 1.4, 0.94 + 0.2 * 1.4])
    assert np.allclose(made[:, 0], lab[:, 0] + amount * (landed - lab[:, 0]), atol=1e-6)
    assert np.array_equal(made[:, 1:], lab[:, 1:])


def test_the_steepest_slope_is_the_tones_at_the_strength_of_the_look() -> None:
    plan = planned()
    tone = plan.find(ToneOperation)
    assert tone is not None
    slopes = np.diff(tone.curve) / np.diff(TONE_GRID)
    assert plan.steepest_slope == pytest.approx(slopes.max(), abs=0.05) and plan.steepest_slope > 1.1
    half = plan.with_group(plan.group("look").model_copy(update={"strength": 0.5}))
    assert half.steepest_slope == pytest.approx(1 + (plan.steepest_slope - 1) / 2)


def test_what_a_trim_fits_to_the_target_it_fits_to_the_frame_as_the_look_leaves_it() -> None:
    bare = Look.of(*(kind(on=False) for kind in REGISTRY))
    brighter = bare.with_step(ExposureStep(exposure=0.8))
    own, trim = measure(LAB), Trim.of(ToneStep(amount=100))
    to = aim_of_statistics(own)  # the frame's own tone, from which the look has taken it away
    tones = [np.median(apply_plan(plan_frame(own, to, brighter, trim=t), LINEAR)[:, 0]) for t in (None, trim)]
    away, back = (abs(tone - np.median(LAB[:, 0])) for tone in tones)
    assert back < away / 3


def test_a_hold_gives_back_no_colour_that_black_and_white_has_taken() -> None:
    limits = {"hue": 1, "chroma": 1, "lightness": 1}
    sent = GreyOperation().apply(LAB, LAB, Space.SRGB)
    free, half = (HoldOperation(skin=limits, grey=grey).apply(sent, LAB, Space.SRGB) for grey in (0.0, 0.5))
    kept = HoldOperation(skin=limits, grey=1).apply(sent, LAB, Space.SRGB)
    assert np.abs(kept[:, 1:]).max() < 1e-6 < np.abs(free[:, 1:]).max()
    assert np.allclose(half[:, 1:], free[:, 1:] / 2, atol=1e-6) and np.allclose(half[:, 0], free[:, 0])


def test_what_is_eased_stays_inside_the_gamut_that_the_picture_goes_to() -> None:
    vivid = LAB * np.float32([1, 2.5, 2.5])
    eased = EaseOperation().apply(vivid, LAB, Space.SRGB)
    lost = [
        np.abs(map_to_gamut(lab) - map_to_gamut(lab * np.float32([1, 0.98, 0.98]))).mean() for lab in (vivid, eased)
    ]
    assert lost[0] < lost[1]
    assert (np.hypot(*eased[:, 1:].T) <= np.hypot(*vivid[:, 1:].T) + 1e-6).all()


def test_samples_are_seen_darker_where_a_vignette_lies_by_as_much_as_it_is_taken() -> None:
    grey = to_linear(np.full((3, 3), 0.6, np.float32))
    places = np.array([[0.5, 0.5], [0.9, 0.5], [1.0, 1.0]], dtype=np.float32)

    def lightness(amount: float) -> np.ndarray:
        vignette = VignetteOperation(stops=2, amount=amount)
        return seen(FramePlan(groups=(Group(name="look", operations=(vignette,)),)), grey, places, 1.5)[:, 0]

    none, half, whole = lightness(0), lightness(0.5), lightness(1)
    assert np.allclose([none[0], half[0], whole[0]], none[0], atol=1e-5)
    assert none[2] > half[2] > whole[2] and whole[1] > whole[2]
    assert whole[2] < 0.75 * none[2]


@pytest.mark.parametrize("size", [(300, 200), (200, 300), (400, 100)])
@pytest.mark.parametrize("shaped", [{}, {"begins": 0.1, "framed": 0.6, "spared": 0.5, "x": 0.3, "y": 0.7}])
def test_a_vignette_lies_on_samples_where_it_lies_on_pixels(size: tuple[int, int], shaped: dict[str, float]) -> None:
    width, height = size
    vignette = VignetteOperation(stops=1.5, amount=0.8, **shaped)
    columns, rows = np.meshgrid((np.arange(width) + 0.5) / width, (np.arange(height) + 0.5) / height)
    places = np.stack([columns.ravel(), rows.ravel()], axis=1).astype(np.float32)
    grey = to_linear(np.full((width * height, 3), 0.6, np.float32))
    plan = FramePlan(groups=(Group(name="look", operations=(vignette,)),))
    on_samples = from_linear(oklab_to_linear(seen(plan, grey, places, width / height)))[:, 0].reshape(height, width)
    picture = np.full((height, width, 3), 0.6, np.float32)
    on_pixels = Finisher((InArea(vignette),), size, 0).finish(picture, 0, 0)[..., 0]
    assert np.abs(on_samples - on_pixels).max() < 2e-3 < np.ptp(on_pixels)


@pytest.mark.parametrize(
    ("document", "words"),
    [
        ({"schema_version": 4}, "schema 4; this version reads schema 3"),
        ({"groups": [{"name": "look", "operations": [{"kind": "tilt"}]}]}, "does not know \\(tilt\\)"),
        ({"groups": [{"name": "look", "operations": [{"kind": "wash"}]}]}, "damaged"),
        ({"groups": [{"name": "look", "operations": [{"kind": "tone", "curve": {"shape": [3]}}]}]}, "damaged"),
        ({"schema_version": 1, "gains": [1, 1, 1], "strength": 1}, "damaged"),
        ("a plan", "damaged"),
        (None, "damaged"),
    ],
)
def test_plans_that_cannot_be_used_are_refused_in_words(document: object, words: str) -> None:
    with pytest.raises(DocumentError, match=words):
        read_plan(document)
