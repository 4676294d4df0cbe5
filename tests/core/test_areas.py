"""Areas: what each kind of part weighs, and how parts join and are told."""

import cv2
import numpy as np
import pytest
from pydantic import ValidationError

from nuvett.core.area.area import Area
from nuvett.core.area.brush import MAX_POINTS, BrushPart, Stroke
from nuvett.core.area.colour import ColourPart
from nuvett.core.area.faces import SkinSeen
from nuvett.core.area.kinds import AREA_KINDS
from nuvett.core.area.part import AreaPart
from nuvett.core.area.person import PersonPart
from nuvett.core.area.round import RoundPart
from nuvett.core.area.scene import Found, Scene
from nuvett.core.area.skin import SkinPart
from nuvett.core.area.straight import StraightPart
from nuvett.core.area.subject import SubjectPart
from nuvett.core.area.tone import TonePart
from nuvett.core.area.weights import WeightMap, weigh
from nuvett.core.area.words import area_changes, area_words
from nuvett.core.drawing.drawing import Drawing, compile_stages
from nuvett.core.fields import numbers_of
from nuvett.core.look.local import Local
from nuvett.core.look.look import Look
from nuvett.core.look.ready_areas import EVENED_SKIN, READY_AREAS
from nuvett.core.look.trim import Trim
from nuvett.core.look.words import describe
from nuvett.core.measure.statistics import measure
from nuvett.core.plan.frame_plan import FramePlan, Layer
from nuvett.core.spaces.cielab import neutral_oklab
from nuvett.core.spaces.rgb import Space
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.steps.step import Aim, Ask
from nuvett.core.types import Floats, OKLab
from tests.examples import AREA_EXAMPLES

SIZE = (300, 200)
NOTHING = measure(np.full((300, 3), 0.5, np.float32))
ASK = Ask(frame=NOTHING, aim=Aim(NOTHING, ()))


def plain_scene(lab: Floats | None = None, subject: Floats | None = None) -> Scene:
    grey = np.full((*SIZE[::-1], 3), (0.6, 0, 0), dtype=np.float32) if lab is None else lab
    nothing = np.zeros((20, 20), dtype=np.float32) if subject is None else subject
    likely = np.repeat(np.where(np.arange(20) < 9, 4, -4)[:, None], 20, axis=1).astype(np.float32)
    sky = likely if subject is not None else -np.abs(likely)
    found = Found(lambda: nothing, lambda: nothing, lambda: sky)
    return Scene(SIZE, lambda: grey[..., 0], lambda: OKLab(grey), found)


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
    with pytest.raises(ValidationError, match=f"at most {MAX_POINTS} points, this one has 50000"):
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


def test_hair_is_about_a_head_clothes_below_it_skin_everywhere_and_none_of_it_on_what_is_no_person() -> None:
    skin, cloth, wood = (0.6, 0.038, 0.047), (0.4, -0.02, -0.08), (0.6, 0.038, 0.047)
    lab = np.full((*SIZE[::-1], 3), wood, dtype=np.float32)  # of the colour of skin, as wood is
    there = np.zeros(SIZE[::-1], dtype=np.float32)
    there[40:, 100:200] = 1
    lab[40:, 100:200] = cloth
    lab[60:90, 135:165] = lab[150:170, 110:130] = skin  # a face, and a hand
    box = (135 / SIZE[0], 60 / SIZE[1], 30 / SIZE[0], 60 / SIZE[1])
    faces = (SkinSeen(box=box, centre=(0.58, float(np.hypot(0.038, 0.047)), float(np.arctan2(0.047, 0.038)))),)
    scene = plain_scene(lab, there)
    asked = (PersonPart(of=of, faces=faces) for of in ("all", "hair", "clothes"))
    everyone, hair, clothes = (weights(part, scene=scene) for part in asked)
    near, whole = (weights(SkinPart(of=of, faces=faces), scene=scene) for of in ("faces", "all"))
    assert everyone[100, 150] > 0.95 and everyone[100, 40] < 0.05
    assert hair[45, 150] > 0.9 and hair[75, 150] < 0.1 and hair[180, 150] < 0.1 and hair[45, 40] < 0.1
    assert clothes[160, 180] > 0.9 and clothes[45, 150] < 0.1 and clothes[160, 120] < 0.1 and clothes[160, 40] < 0.1
    assert whole[75, 150] > 0.9 and whole[160, 120] > 0.9 and whole[160, 40] < 0.1 and near[160, 120] < 0.5
    assert weights(PersonPart(of="all"), scene=scene).max() == 0, "nobody where there is no face"
    assert PersonPart(of="hair").changes(PersonPart(of="clothes")) == ["hair their clothes"]


def test_people_join_the_subject_where_they_are_near_and_leave_it_alone_where_they_are_far() -> None:
    head, person = (np.zeros((20, 20), dtype=np.float32) for _ in range(2))
    head[4:9, 8:12] = 1
    person[4:, 5:15] = 1
    grey = np.full((*SIZE[::-1], 3), (0.6, 0, 0), dtype=np.float32)
    scene = Scene(SIZE, lambda: grey[..., 0], lambda: OKLab(grey), Found(lambda: head, lambda: person))
    faces = [(SkinSeen(box=(0.4, 0.2, 0.2, tall), centre=(0.58, 0.06, 0.9)),) for tall in (0.1, 0.22, 0.35)]
    far, between, near = (at(weights(SubjectPart(faces=face), scene=scene), 0.5, 0.8) for face in faces)
    assert far < 0.05 < between < 0.95 < near
    assert at(weights(SubjectPart(faces=faces[0]), scene=scene), 0.5, 0.32) > 0.9


def test_evened_skin_takes_blotches_and_shine_and_leaves_pores_and_what_is_no_skin() -> None:
    rng = np.random.default_rng(2)
    size = (600, 400)
    rows, columns = np.mgrid[: size[1], : size[0]]
    blotches = 9 * np.sin(columns / 14) * np.sin(rows / 14)
    pores = cv2.GaussianBlur(rng.normal(0, 14, size[::-1]).astype(np.float32), (0, 0), 0.8)
    picture = np.stack([190 + blotches + pores, 150 + blotches + pores, 125 + blotches + pores], axis=2)
    picture = picture.clip(0, 255).astype(np.uint8)
    weight = WeightMap(np.ones((20, 30), np.float32))
    operations = tuple(o for step in EVENED_SKIN.steps for o in step.resolve(ASK))
    plan = FramePlan(layers=(Layer(area=Area(), operations=operations),))
    made = Drawing(compile_stages(plan), size, picture, (weight,)).picture(picture).astype(float)

    def bands(pixels: np.ndarray) -> tuple[float, float]:
        light = pixels[60:-60, 60:-60].mean(axis=2)
        broad = cv2.GaussianBlur(light, (0, 0), 4)
        return float((light - broad).std()), float(broad.std())

    (fine, broad), (fine_after, broad_after) = bands(picture.astype(float)), bands(made)
    assert broad_after < 0.75 * broad and fine_after > 0.7 * fine
    assert EVENED_SKIN.title == "Evened skin" and not EVENED_SKIN.is_idle


@pytest.mark.parametrize("words", ["dodge", "burn"])
def test_dodging_and_burning_build_up_where_strokes_cross_and_move_light_alone(words: str) -> None:
    ready = READY_AREAS[words]
    stroke = Stroke(points=((0.2, 0.5, 1), (0.8, 0.5, 1)), radius=10, hardness=100, flow=ready.flow)
    one, two, many = (at(weights(BrushPart(strokes=(stroke,) * count)), 0.5, 0.5) for count in (1, 2, 12))
    assert one == pytest.approx(ready.flow / 100, abs=0.01) and two == pytest.approx(1 - (1 - one) ** 2, abs=0.01)
    assert two < many < 1
    (operation,) = (o for step in ready.local.steps for o in step.resolve(ASK))
    grey = OKLab(np.array([[0.5, 0.02, -0.03]], dtype=np.float32))
    (moved,) = operation.whole(grey, grey, Space.SRGB)
    assert (moved[0] > 0.5) == (words == "dodge") and abs(moved[0] - 0.5) > 0.05
    assert np.arctan2(moved[2], moved[1]) == pytest.approx(np.arctan2(grey[0, 2], grey[0, 1]), abs=0.01)
