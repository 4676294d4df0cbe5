"""Layers by area: drawn alike by strips, crops and previews, acting as they weigh, and planned for the frame."""

from functools import cache

import cv2
import numpy as np
import pytest

from nuvett.core.area.area import Area
from nuvett.core.area.round import RoundPart
from nuvett.core.area.scene import Found, Scene
from nuvett.core.area.skin import SkinPart
from nuvett.core.area.straight import StraightPart
from nuvett.core.area.tone import TonePart
from nuvett.core.area.weights import weigh
from nuvett.core.drawing.drawing import Drawing, compile_stages
from nuvett.core.drawing.weighing import scene_of, weigh_layers
from nuvett.core.geometry.geometry import Geometry
from nuvett.core.look.local import Local
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.measure.sampling import Sample, placed_sample
from nuvett.core.measure.statistics import measure
from nuvett.core.plan.by_hand import SaturateOperation
from nuvett.core.plan.finish import GrainOperation, NoiseOperation, VignetteOperation
from nuvett.core.plan.frame_plan import FramePlan, Group, Layer
from nuvett.core.plan.light import ExposureOperation, GainsOperation
from nuvett.core.planning.framed import Seeing, framed
from nuvett.core.planning.planning import aim_of_statistics, plan_frame
from nuvett.core.spaces.oklab import oklab_to_linear
from nuvett.core.spaces.rgb import Space, from_linear, to_linear
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.steps.saturation import SaturationStep
from nuvett.core.types import Encoded01, Floats, OKLab

SIZE = (300, 200)
DARKER = ExposureOperation(exposure=-1)
LAYERED = FramePlan(
    groups=(
        Group(name="light", operations=(GainsOperation(gains=(1.1, 1.0, 0.9)),)),
        Group(name="look", operations=(SaturateOperation(saturation=0.4),)),
    ),
    layers=(
        Layer(area=Area(parts=(RoundPart(x=0.4, y=0.4, soft=80),), edges=True), operations=(DARKER,)),
        Layer(area=Area(parts=(TonePart(low=60),)), look=0.0, operations=(GrainOperation(amount=0.8),)),
        Layer(
            area=Area(parts=(StraightPart(x=0.2, end_x=0.8, y=0.2, end_y=0.7),)),
            operations=(NoiseOperation(amount=0.6), VignetteOperation(stops=-1)),
        ),
    ),
    seed=4,
)


@pytest.fixture(scope="module")
def large(photo: np.ndarray) -> np.ndarray:
    return np.asarray(cv2.resize(photo, (901, 602), interpolation=cv2.INTER_CUBIC))


def drawing(plan: FramePlan, pixels: np.ndarray, size: tuple[int, int] | None = None) -> Drawing:
    own = (pixels.shape[1], pixels.shape[0])
    scene = scene_of(lambda: pixels, own, Space.SRGB, plan)
    shown = size or plan.geometry.placed(own).size
    return Drawing(compile_stages(plan), shown, pixels, weigh_layers(plan, scene), own, own)


@pytest.mark.parametrize(
    "geometry", [Geometry(), Geometry(straighten=4, quarter=1, vertical=10)], ids=["plain", "turned"]
)
def test_strips_crops_and_threads_draw_the_same_pixels(large: np.ndarray, geometry: Geometry) -> None:
    used = drawing(LAYERED.model_copy(update={"geometry": geometry}), large)
    whole = used.picture(large, rows=2000)
    assert np.array_equal(whole, used.picture(large, rows=67, threads=2))
    box = (211, 150, 128, 100)
    left, top, width, height = used.around(box)
    part = used.part(np.ascontiguousarray(large[top : top + height, left : left + width]), box)
    assert np.array_equal(part, whole[box[1] : box[1] + box[3], box[0] : box[0] + box[2]])


def test_a_preview_weighs_as_the_delivery_does(large: np.ndarray) -> None:
    small = np.asarray(cv2.resize(large, (450, 301), interpolation=cv2.INTER_AREA))
    own = (901, 602)
    scene = scene_of(lambda: large, own, Space.SRGB, LAYERED)
    maps = weigh_layers(LAYERED, scene)
    made = Drawing(compile_stages(LAYERED), own, large, maps).picture(large)
    preview = Drawing(compile_stages(LAYERED), (450, 301), small, maps, original=own).picture(small)
    shrunk = cv2.resize(made, (450, 301), interpolation=cv2.INTER_AREA)
    assert np.abs(shrunk.astype(int) - preview).mean() < 2


@pytest.mark.parametrize("edges", [False, True])
def test_only_where_a_layer_weighs_it_is_drawn_and_parts_agree_there(large: np.ndarray, edges: bool) -> None:
    plan = LAYERED.model_copy(
        update={
            "layers": tuple(
                Layer(area=Area(parts=(RoundPart(x=x, y=y, across=9, down=14),), edges=edges), operations=(DARKER,))
                for x, y in ((0.3, 0.4), (0.6, 0.55))
            )
        }
    )
    used, plain = drawing(plan, large), drawing(plan.without_layers(), large)
    whole = used.picture(large, rows=50)
    assert np.array_equal(whole, used.picture(large, rows=301, threads=2))
    for box in ((0, 0, 901, 602), (100, 90, 300, 250), (420, 180, 300, 300)):
        left, top, width, height = box
        inside = (slice(top, top + height), slice(left, left + width))
        assert np.array_equal(used.part(np.ascontiguousarray(large[inside]), box), whole[inside])
    darker = plain.picture(large).astype(int) - whole
    assert (darker[:12].max(), darker[:, 800:].max()) == (0, 0)
    places = [
        darker[int(y * 602) - 9 : int(y * 602) + 9, int(x * 901) - 9 : int(x * 901) + 9]
        for x, y in ((0.3, 0.4), (0.6, 0.55))
    ]
    assert min(float(place.mean()) for place in places) > 15


def test_weights_by_rows_are_those_by_place_and_follow_edges() -> None:
    step = np.full(SIZE[::-1], 0.25, np.float32)
    step[:, 150:] = 0.75
    scene = Scene(SIZE, lambda: step, lambda: OKLab(np.zeros((*SIZE[::-1], 3), np.float32)), Found(lambda: step))
    area = Area(parts=(StraightPart(x=0.49, end_x=0.51, y=0.46, end_y=0.54),), softness=1)
    for edges in (False, True):
        made = weigh(area.model_copy(update={"edges": edges}), scene)
        big = cv2.resize(step, (1200, 800), interpolation=cv2.INTER_NEAREST)
        rows = made.part((0, 0, 1200, 800), (1200, 800), big)
        grid = np.meshgrid((np.arange(1200) + 0.5) / 1200, (np.arange(800) + 0.5) / 800)
        looked_up = made.at(*(np.asarray(g, np.float32) for g in grid), big)
        assert np.abs(rows - looked_up).max() < 1 / 255
        crop = made.part((500, 300, 200, 100), (1200, 800), np.ascontiguousarray(big[300:400, 500:700]))
        assert np.array_equal(crop, rows[300:400, 500:700])
    along = StraightPart(x=0.49, end_x=0.51, y=0.5, end_y=0.5)  # along the edge of the picture
    for edges in (False, True):
        made = weigh(area.model_copy(update={"parts": (along,), "edges": edges}), scene)
        (row,) = made.part((0, 400, 1200, 1), (1200, 800), big[400:401])
        across = row[600] - row[599]
        assert across < -0.5 if edges else abs(across) < 0.1
        assert row[560] > 0.9 and row[640] < 0.1


@cache
def _random_lab() -> Floats:
    return np.random.default_rng(3).uniform(0.1, 0.9, (2000, 3)).astype(np.float32)


def test_layers_act_as_much_as_they_weigh_and_nowhere_else(photo: np.ndarray) -> None:
    pixels = np.asarray(cv2.resize(photo, SIZE))
    whole = Area(parts=(TonePart(low=0, high=100),))
    base = LAYERED.without_layers()

    def drawn(*layers: Layer) -> np.ndarray:
        plan = base.model_copy(update={"layers": layers})
        return drawing(plan, pixels).picture(pixels, 16).astype(np.float64) / 65535

    plain, full = drawn(), drawn(Layer(area=whole, operations=(DARKER,)))
    half = drawn(Layer(area=whole.model_copy(update={"density": 50.0}), operations=(DARKER,)))
    assert np.abs(half - (plain + full) / 2).max() < 2e-3 and (plain - full).mean() > 0.05
    there = drawn(Layer(area=Area(parts=(RoundPart(x=0.2, y=0.5, across=10, down=10, soft=20),)), operations=(DARKER,)))
    assert np.abs(there[:, 150:] - plain[:, 150:]).max() < 2e-5 and (plain - there)[95:105, 55:65].min() >= 0
    bare = drawn(Layer(area=whole, look=0.0))
    none = drawing(base.with_look_at(0.0), pixels).picture(pixels, 16) / 65535
    assert np.abs(bare - none).max() < 1e-4 and np.abs(bare - plain).mean() > 0.01
    # What is left of the look comes first, whatever the order, and steps act on that.
    order = [Layer(area=whole, operations=(DARKER,)), Layer(area=whole, look=0.0)]
    assert np.abs(drawn(*order) - drawn(*order[::-1])).max() < 1e-6


def test_samples_are_weighed_as_pixels_are(photo: np.ndarray) -> None:
    pixels = np.asarray(cv2.resize(photo, SIZE))
    linear = to_linear(Encoded01((pixels / 255).astype(np.float32)))
    plan = LAYERED.model_copy(
        update={"layers": (LAYERED.layers[0], LAYERED.layers[1].model_copy(update={"operations": ()}))}
    )
    used = drawing(plan, pixels)
    maps = weigh_layers(plan, scene_of(lambda: pixels, SIZE, Space.SRGB, plan))
    sample = placed_sample(linear, 500)
    view = framed(plan, sample, Seeing(1.5, maps), 500)
    made = from_linear(oklab_to_linear(view.finished(plan)))
    drawn = used.picture(pixels, 16) / 65535
    rows, columns = (sample.places[:, 1] * SIZE[1]).astype(int), (sample.places[:, 0] * SIZE[0]).astype(int)
    assert np.abs(drawn[rows, columns] - made).max() < 0.02
    cut = plan.model_copy(update={"geometry": Geometry(cut=(0, 0, 0.5, 1), proportion="free")})
    inside = framed(cut, sample, Seeing(1.5, maps), 500)
    assert len(inside.colours) == (sample.places[:, 0] <= 0.5).sum() and inside.proportion == pytest.approx(0.75)
    assert inside.places[:, 0].max() > 0.95
    everything = framed(plan, Sample(sample.colours, sample.places), Seeing(1.5, maps), 500)
    assert len(everything.colours) == 500


def test_a_trims_areas_and_a_look_s_are_planned_for_the_frame() -> None:
    own = measure(OKLab(_random_lab() * np.array([1, 0.1, 0.1], np.float32)))
    round_ = Area(parts=(RoundPart(),))
    look = Look(strength=80, areas=(Local.of(SaturationStep(saturation=-50), area=round_),))
    trim = Trim(
        strength=50,
        areas=(
            Local.of(area=Area(parts=(SkinPart(),)), strength=150),
            Local.of(ExposureStep(exposure=1), area=round_, on=False),
            Local.of(ExposureStep(exposure=1), area=Area()),
        ),
        geometry=Geometry(straighten=2),
    )
    plan = plan_frame(own, aim_of_statistics(own), look, trim=trim)
    assert [layer.look for layer in plan.layers] == [None, pytest.approx(0.6)]  # off and nowhere are left out
    assert plan.layers[0].operations == (SaturateOperation(saturation=-0.5),)
    assert plan.geometry == Geometry(straighten=2) and trim.acts and not Trim(areas=trim.areas[1:]).acts
    assert not Local(area=round_).is_idle or Local(area=round_).strength == 100
