"""Areas: what each kind of part weighs, how parts join, and that a part of a picture is weighed as the whole is."""

from functools import cache

import cv2
import numpy as np
import pytest
from pydantic import ValidationError

from nuvett.core.area.area import Area
from nuvett.core.area.brush import MOST_POINTS, BrushPart, Stroke
from nuvett.core.area.colour import ColourPart
from nuvett.core.area.faces import SkinSeen
from nuvett.core.area.kinds import AREA_KINDS
from nuvett.core.area.part import AreaPart
from nuvett.core.area.round import RoundPart
from nuvett.core.area.scene import Scene
from nuvett.core.area.skin import SkinPart
from nuvett.core.area.straight import StraightPart
from nuvett.core.area.subject import SubjectPart
from nuvett.core.area.tone import TonePart
from nuvett.core.area.weights import weigh
from nuvett.core.area.words import area_changes, area_words
from nuvett.core.drawing.drawing import Drawing, compile_stages
from nuvett.core.drawing.weighing import scene_of, weigh_layers
from nuvett.core.fields import numbers_of
from nuvett.core.geometry.geometry import Geometry
from nuvett.core.look.local import Local
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.look.words import describe
from nuvett.core.measure.sampling import Sample, placed_sample
from nuvett.core.measure.statistics import measure
from nuvett.core.plan.by_hand import SaturateOperation
from nuvett.core.plan.finish import GrainOperation, NoiseOperation, VignetteOperation
from nuvett.core.plan.frame_plan import FramePlan, Group, Layer
from nuvett.core.plan.light import ExposureOperation, GainsOperation
from nuvett.core.planning.framed import Seeing, framed
from nuvett.core.planning.planning import aim_of_statistics, plan_frame
from nuvett.core.spaces.cielab import neutral_oklab
from nuvett.core.spaces.oklab import oklab_to_linear
from nuvett.core.spaces.rgb import Space, from_linear, to_linear
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.steps.saturation import SaturationStep
from nuvett.core.types import Encoded01, Floats, OKLab
from tests.examples import AREA_EXAMPLES

SIZE = (300, 200)
DARKER = ExposureOperation(exposure=-1)


def plain_scene(lab: Floats | None = None, subject: Floats | None = None) -> Scene:
    grey = np.full((*SIZE[::-1], 3), (0.6, 0, 0), dtype=np.float32) if lab is None else lab
    nothing = np.zeros((20, 20), dtype=np.float32) if subject is None else subject
    return Scene(SIZE, lambda: grey[..., 0], lambda: OKLab(grey), lambda: nothing)


def weights(*parts: AreaPart, scene: Scene | None = None, **whole: object) -> Floats:
    found = weigh(Area.model_validate({"parts": parts} | whole), scene or plain_scene())
    assert not found.follows_edges
    return found.values * np.float32(found.density)


def at(made: Floats, x: float, y: float) -> float:
    return float(made[int(y * SIZE[1]), int(x * SIZE[0])])


@pytest.mark.parametrize("part", AREA_EXAMPLES, ids=lambda part: type(part).__name__)
def test_every_kind_of_area_obeys_the_same_laws(part: AreaPart) -> None:
    rng = np.random.default_rng(5)
    lab = (np.array([0.6, 0.06, 0.05]) + rng.normal(0, 0.08, (*SIZE[::-1], 3))).astype(np.float32)
    subject = np.zeros((20, 20), dtype=np.float32)
    subject[5:15, 5:15] = 1
    scene = plain_scene(lab, subject)
    made = weights(part, scene=scene)
    assert made.min() >= 0 and made.max() <= 1 and 0.01 < made.mean() < 0.99, "it is somewhere, and not everywhere"
    inverted = part.model_copy(update={"inverted": True})
    assert np.allclose(weights(inverted, scene=scene), 1 - made, atol=1e-6)
    assert np.allclose(weights(part, scene=scene, density=50), made / 2, atol=1e-6)
    assert np.array_equal(weights(part, part.model_copy(update={"join": "within"}), scene=scene), made**2)
    area = Area(parts=(part,))
    assert Area.model_validate(area.model_dump(mode="json")) == area
    assert area_words(Area(parts=(inverted,))) == f"all but {part.words}"
    assert part.finds(scene, getattr(part, "faces", ())) and bool(part.lacking) == (not part.finds(plain_scene(), ()))
    for name, words in numbers_of(type(part)).items():
        value = getattr(part, name)
        other = part.model_copy(update={name: words.high if value != words.high else words.low})
        assert part.changes(other) and not part.changes(part), name
        assert name in part.sentence, f"{name} is a live value"


def test_every_kind_of_area_has_an_example() -> None:
    assert [type(part) for part in AREA_EXAMPLES] == list(AREA_KINDS)


def test_a_round_is_whole_inside_gone_outside_and_half_between() -> None:
    part = RoundPart(
        x=0.5, y=0.5, across=20, down=10, soft=50
    )  # 60 by 30 pixels of 300 by 200, out at half as much more
    made = weights(part)
    assert at(made, 0.5, 0.5) == at(made, 0.69, 0.5) == 1 and at(made, 0.82, 0.5) == 0
    assert at(made, 0.75, 0.5) == pytest.approx(0.5, abs=0.03)
    assert at(made, 0.5, 0.64) == pytest.approx(1, abs=0.01) and at(made, 0.5, 0.73) == pytest.approx(0, abs=0.01)
    assert np.array_equal(made, made[:, ::-1]) and np.array_equal(made, made[::-1])
    turned = weights(part.model_copy(update={"turn": 90.0}))
    assert at(turned, 0.69, 0.5) == 0 and at(turned, 0.5, 0.75) == 1
    leaning = weights(part.model_copy(update={"turn": 30.0}))  # clockwise, as the eye sees it
    assert at(leaning, 0.64, 0.62) > at(leaning, 0.64, 0.38)
    assert np.array_equal(weights(part.model_copy(update={"inverted": True})), 1 - made)
    assert weights(part, density=40).max() == pytest.approx(0.4)
    assert weights(RoundPart(x=-1.5, y=-1.5)).max() == 0  # off the picture


def test_a_straight_is_whole_on_its_side_and_fades_along_its_way() -> None:
    made = weights(StraightPart(x=0.5, y=0.2, end_x=0.5, end_y=0.6))
    assert at(made, 0.1, 0.05) == at(made, 0.9, 0.19) == 1 and at(made, 0.5, 0.62) == at(made, 0.2, 0.95) == 0
    assert at(made, 0.3, 0.4) == pytest.approx(0.5, abs=0.02)
    assert at(made, 0.3, 0.3) == pytest.approx(1 - at(made, 0.3, 0.5), abs=0.02)
    across = weights(StraightPart(x=0.2, y=0.5, end_x=0.8, end_y=0.5))
    assert at(across, 0.1, 0.5) == 1 and at(across, 0.5, 0.1) == pytest.approx(0.5, abs=0.02)
    for by in (0.0, 1e-3):  # a line too short to fade is a border, whole on its side
        border = weights(StraightPart(x=0.5, y=0.5, end_x=0.5 + by, end_y=0.5))
        assert set(np.unique(border).tolist()) >= {0.0, 1.0}
    assert at(border, 0.49, 0.9) == 1 and at(border, 0.51, 0.1) == 0


def test_strokes_cover_by_pressure_and_erase_what_lay_there() -> None:
    line = Stroke(points=((0.2, 0.5, 1), (0.8, 0.5, 1)), radius=5, hardness=0, flow=80)
    made = weights(BrushPart(strokes=(line,)))
    assert at(made, 0.5, 0.5) == pytest.approx(0.8, abs=0.01) and at(made, 0.5, 0.6) == 0
    hard = weights(BrushPart(strokes=(line.model_copy(update={"hardness": 90.0}),)))
    assert at(hard, 0.5, 0.55) > at(made, 0.5, 0.55) + 0.2
    light = weights(BrushPart(strokes=(line.model_copy(update={"points": ((0.2, 0.5, 0.3), (0.8, 0.5, 0.3))}),)))
    assert at(light, 0.5, 0.5) == pytest.approx(0.24, abs=0.01) and (light > 0).sum() < (made > 0).sum()
    eraser = Stroke(points=((0.5, 0.2, 1), (0.5, 0.8, 1)), radius=5, hardness=50, flow=50, erases=True)
    wiped = weights(BrushPart(strokes=(line, eraser)))
    assert at(wiped, 0.5, 0.5) == pytest.approx(0.4, abs=0.01) and at(wiped, 0.3, 0.5) == at(made, 0.3, 0.5)
    twice = weights(BrushPart(strokes=(line, line)))
    assert at(twice, 0.5, 0.5) == pytest.approx(1 - 0.2**2, abs=0.01)
    assert weights(BrushPart(strokes=(Stroke(points=((2.5, 2.5, 1),)),))).max() == 0
    with pytest.raises(ValidationError, match=f"at most {MOST_POINTS} points, this one has 50000"):
        Stroke(points=((0.5, 0.5, 1),) * 50_000)


def test_a_stroke_lies_where_its_pixels_are_and_is_as_wide_as_the_pen_was_pressed() -> None:
    dot = Stroke(points=((0.5, 0.5, 1),), radius=10, hardness=100)
    made = weights(BrushPart(strokes=(dot,)))
    assert np.array_equal(made, made[:, ::-1]) and np.array_equal(made, made[::-1])  # about the middle, to the pixel
    height, width = made.shape
    away = np.indices(made.shape) - np.array([height - 1, width - 1])[:, None, None] / 2
    inside = np.hypot(*away) / max(made.shape)
    assert made[inside < 0.09].min() == 1 and made[inside > 0.102].max() == 0
    soft = weights(BrushPart(strokes=(dot.model_copy(update={"hardness": 50.0}),)))
    assert soft[inside < 0.049].min() == 1 and 0.45 < soft[np.abs(inside - 0.075) < 0.002].mean() < 0.55
    pressed = Stroke(points=((0.2, 0.5, 0.1), (0.8, 0.5, 1)), radius=8, hardness=100)
    wedge = weights(BrushPart(strokes=(pressed,))) > 0.05
    thin, thick = wedge[:, round(0.25 * width)].sum(), wedge[:, round(0.75 * width)].sum()
    assert 0 < thin < 0.75 * thick
    firm = weights(BrushPart(strokes=(pressed,)))
    row = firm[height // 2]
    assert row[round(0.75 * width)] > 2 * row[round(0.35 * width)] > 0
    edge = weights(BrushPart(strokes=(Stroke(points=((0.0, 0.0, 1),), radius=10, hardness=100),)))
    assert edge[0, 0] == 1 and edge[0, : round(0.09 * max(made.shape))].min() == 1


def test_colours_and_tones_are_found_where_they_are() -> None:
    lab = np.full((*SIZE[::-1], 3), (0.6, 0, 0), dtype=np.float32)
    lab[:, :150] = (0.55, -0.02, -0.12)  # blue at the left
    lab[:100, :, 0] = neutral_oklab(80)
    scene = plain_scene(lab)
    blue = weights(ColourPart(colour=(0.6, -0.02, -0.12)), scene=scene)
    assert at(blue, 0.2, 0.8) > 0.9 and at(blue, 0.8, 0.8) == 0
    light = weights(TonePart(low=70, high=100), scene=scene)
    assert at(light, 0.8, 0.2) == 1 and at(light, 0.8, 0.8) < 0.6
    half = weights(TonePart(low=90, high=100, soft_low=20), scene=scene)
    assert at(half, 0.8, 0.2) == pytest.approx(0.5, abs=0.03)
    assert weights(TonePart(low=0, high=100), scene=scene).min() == 1
    crossed = weights(TonePart(low=100, high=70), scene=scene)
    assert np.array_equal(crossed, light)
    dark = weights(TonePart(low=0, high=60, soft_high=40), scene=scene)
    assert at(dark, 0.8, 0.2) == pytest.approx(0.5, abs=0.03) and at(dark, 0.2, 0.8) == 1
    assert weights(TonePart(low=20, high=55, soft_high=10), scene=scene)[20, 250] == 0


def test_skin_is_looked_for_near_faces_and_the_subject_only_where_one_stands_out() -> None:
    lab = np.full((*SIZE[::-1], 3), (0.6, 0.05, 0.065), dtype=np.float32)  # skin everywhere
    lab[:, 200:] = (0.6, -0.02, -0.12)
    chroma, hue = float(np.hypot(0.05, 0.065)), float(np.arctan2(0.065, 0.05))
    seen = SkinSeen(box=(0.2, 0.3, 0.1, 0.15), centre=(0.58, chroma, hue))
    scene = plain_scene(lab)
    made = weights(SkinPart(faces=(seen,)), scene=scene)
    assert at(made, 0.25, 0.37) > 0.9 and at(made, 0.6, 0.9) == 0 and at(made, 0.7, 0.37) == 0
    assert weights(SkinPart(), scene=scene).max() == 0
    below = SkinSeen(box=(0.2, 0.55, 0.1, 0.3), centre=seen.centre)  # taller, and lower in the frame
    lower = weights(SkinPart(faces=(below,)), scene=scene)
    assert at(lower, 0.25, 0.7) > 0.9 and at(lower, 0.25, 0.1) == 0 and at(lower, 0.25, 0.98) > 0.3
    blob = np.zeros((64, 64), dtype=np.float32)
    blob[20:40, 20:40] = 1
    picture = np.repeat(np.kron(blob, np.ones((5, 5)))[:200, :300, None], 3, axis=2).astype(np.float32)
    found = weights(SubjectPart(), scene=plain_scene(cv2.resize(picture, SIZE), cv2.resize(picture[..., 0], (40, 40))))
    assert at(found, 0.5, 0.7) > 0.9 and at(found, 0.1, 0.1) < 0.05
    nothing = weights(SubjectPart(), scene=plain_scene(subject=np.full((40, 40), 0.3, np.float32)))
    assert nothing.max() == 0 and nothing.shape == SIZE[::-1]


def test_parts_join_are_taken_away_and_kept_within() -> None:
    left, right = RoundPart(x=0.4, across=20, down=20, soft=0), RoundPart(x=0.6, across=20, down=20, soft=0)
    both = weights(left, right)
    assert at(both, 0.3, 0.5) == at(both, 0.5, 0.5) == at(both, 0.7, 0.5) == 1
    without = weights(left, right.model_copy(update={"join": "taken"}))
    assert at(without, 0.3, 0.5) == 1 and at(without, 0.5, 0.5) == at(without, 0.7, 0.5) == 0
    within = weights(left, right.model_copy(update={"join": "within"}))
    assert at(within, 0.5, 0.5) == 1 and at(within, 0.3, 0.5) == at(within, 0.7, 0.5) == 0
    assert np.array_equal(weights(left.model_copy(update={"join": "taken"})), 1 - weights(left))
    soft = weights(left, softness=5)
    assert 0.2 < at(soft, 0.205, 0.5) < 0.8 and weights().max() == 0


def test_areas_are_told_in_words() -> None:
    assert area_words(Area(parts=(SubjectPart(inverted=True),))) == "all but the subject"
    assert area_words(Area(parts=(RoundPart(), SkinPart(join="taken")))) == "a radial area without the skin"
    assert area_words(Area(parts=(TonePart(), StraightPart(join="within")))) == "tones 70 to 100 within a gradient area"
    before = Area(parts=(RoundPart(),))
    softer = Area(parts=(RoundPart(soft=80, x=0.6),), density=60, edges=True)
    assert area_changes(before, softer) == ["Feather 60 to 80 %", "moved", "Opacity 100 to 60 %", "edges followed"]
    one = Local.of(ExposureStep(exposure=0.3), area=before)
    trim = Trim(areas=(one,))
    assert describe(Trim(), trim) == "Area: A radial area" and describe(trim, Trim()) == "Area taken out: A radial area"
    darker = one.with_step(ExposureStep(exposure=-0.2))
    assert describe(trim, Trim(areas=(darker,))) == "A radial area: Exposure 0.30 to −0.20 EV"
    assert describe(trim, Trim(areas=(one.model_copy(update={"strength": 0.0}),))).endswith("look here 100 to 0 %")
    with pytest.raises(ValidationError, match="belongs to its frame"):
        Look(areas=(Local(area=Area(parts=(BrushPart(),))),))


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
    scene = scene_of(lambda: pixels, own, Space.SRGB, plan, lambda: np.zeros((8, 8), np.float32))
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
    scene = scene_of(lambda: large, own, Space.SRGB, LAYERED, lambda: np.zeros((8, 8), np.float32))
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
    scene = Scene(SIZE, lambda: step, lambda: OKLab(np.zeros((*SIZE[::-1], 3), np.float32)), lambda: step)
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
    maps = weigh_layers(plan, scene_of(lambda: pixels, SIZE, Space.SRGB, plan, lambda: np.zeros((8, 8), np.float32)))
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
