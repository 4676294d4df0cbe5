"""Laws that hold for every step and every number of the registry: on a picture, through plan and renderer.

Every number says which way it moves what is measured; half of a step lies between none and all of it; a step that is
idle does nothing; part and amount are respected; greys stay grey unless a step is there to tint them.
"""

import numpy as np
import pytest

from nuvett.core.drawing.drawing import Drawing, compile_stages
from nuvett.core.fields import choices_of, numbers_of
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.look.words import describe, in_words
from nuvett.core.measure.sampling import stratified_sample
from nuvett.core.measure.statistics import measure
from nuvett.core.planning.planning import plan_frame
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_oklch
from nuvett.core.spaces.rgb import to_linear
from nuvett.core.steps.moves import Pin
from nuvett.core.steps.registry import REGISTRY, step_numbers
from nuvett.core.steps.step import Step
from tests.core.step_ways import (
    BARE,
    FACE,
    GUARDS,
    WAYS,
    aim,
    drawn,
    drawn_under,
    example,
    frame,
    ground_of,
    lab_of,
    varied,
)
from tests.examples import EXAMPLES


def test_every_step_of_the_registry_has_an_example_that_does_something() -> None:
    assert [type(step) for step in EXAMPLES] == list(REGISTRY)
    for step in EXAMPLES:
        without = drawn_under(ground_of(step).model_dump_json())
        assert np.abs(drawn(step) - without).mean() > 0.3, step.title


@pytest.mark.parametrize("step", EXAMPLES, ids=lambda s: s.name)
def test_half_of_a_step_lies_between_none_and_all_of_it(step: Step) -> None:
    if step.name == "hold":
        return
    ground = drawn_under(ground_of(step).model_dump_json())
    if step.name == "moves":  # the amount is that of the pairing, and moves by hand are made whole
        step = varied("moves", own=())
    if step.name == "wash":  # and the amount of a wash is that of the first one
        step = varied("wash", layers=())
    none, half, whole = (drawn(step.model_copy(update={"amount": amount})) for amount in (0, 50, 100))
    assert np.array_equal(none, ground)
    far, first, second = (np.abs(a - b).mean() for a, b in ((whole, none), (half, none), (whole, half)))
    assert 0.25 * far < first < 0.85 * far and 0.15 * far < second < 0.75 * far


@pytest.mark.parametrize("step", EXAMPLES, ids=lambda s: s.name)
def test_a_step_that_is_off_is_idle_does_nothing_and_is_not_said(step: Step) -> None:
    off = step.model_copy(update={"on": False})
    assert off.is_idle and not step.is_idle
    look = ground_of(step)
    assert np.array_equal(drawn_under(look.with_step(off).model_dump_json()), drawn_under(look.model_dump_json()))
    assert step.title in dict(in_words(look.with_step(step))) and step.title not in dict(in_words(look.with_step(off)))
    assert describe(look.with_step(off), look.with_step(step)).startswith(f"{step.title} on")


PARTS_OF = {"moves": "own", "hold": "families", "mono": "hues", "hues": "bands", "wash": "layers"}


@pytest.mark.parametrize("name", PARTS_OF)
def test_a_part_that_is_switched_off_is_as_if_it_were_not_there(name: str) -> None:
    step, field = example(name), PARTS_OF[name]
    held = getattr(step, field)
    ground = ground_of(step)
    off = step.model_copy(update={field: (held[0].model_copy(update={"on": False}), *held[1:])})
    gone = step.model_copy(update={field: held[1:]})
    without = drawn_under(ground.with_step(gone).model_dump_json())
    assert np.array_equal(drawn_under(ground.with_step(off).model_dump_json()), without)
    assert not np.array_equal(drawn_under(ground.with_step(step).model_dump_json()), without)
    assert describe(ground.with_step(step), ground.with_step(off)) != "No change"
    alone = type(step)(on=True, **{field: (held[0].model_copy(update={"on": False}),)})
    assert alone.is_idle == type(step)(on=True).is_idle


def test_a_channel_of_a_curve_that_is_off_is_straight_and_a_pin_that_is_off_lets_go() -> None:
    bent = ((0, 0), (50, 70), (100, 100))
    curve = type(example("curve"))(red=bent, blue=bent)
    off = curve.model_copy(update={"red_on": False})
    assert np.array_equal(drawn(off), drawn(curve.model_copy(update={"red": ((0, 0), (100, 100))})))
    assert curve.changes(off) == ["Red curve off"] and not np.array_equal(drawn(off), drawn(curve))
    pins = (Pin(source=(0.6, 0.1, 0.05), amount=0), Pin(on=False, source=(0.4, 0.0, -0.05), amount=0))
    pinned, free = (varied("moves", own=(), pins=kept) for kept in (pins, pins[:1]))
    assert np.array_equal(drawn(pinned), drawn(free))


@pytest.mark.parametrize("step", EXAMPLES, ids=lambda s: s.name)
def test_without_a_target_a_step_does_what_was_made_by_hand_and_waits_with_the_rest(step: Step) -> None:
    look = ground_of(step) if step.name not in GUARDS else BARE.with_step(varied("saturation", saturation=100))
    with_it, without = (drawn_under(one.model_dump_json(), aimed=False) for one in (look.with_step(step), look))
    assert (np.abs(with_it - without).mean() < 0.02) == step.needs_target, step.title
    assert (step.title in dict(in_words(look.with_step(step), aimed=False))) != step.needs_target


def test_without_a_target_the_usual_look_evens_and_no_more() -> None:
    evened = drawn_under(BARE.with_step(example("even")).model_dump_json(), aimed=False)
    assert np.abs(drawn_under(Look().model_dump_json(), aimed=False) - evened).max() == 0
    assert [title for title, _ in in_words(Look(), aimed=False)] == ["Even light", "Holds", "Soft colour"]
    by_hand = [varied("moves", amount=amount) for amount in (0, 100)]  # nothing is paired
    assert np.array_equal(*(drawn_under(BARE.with_step(one).model_dump_json(), aimed=False) for one in by_hand))


def test_without_a_target_half_the_strength_of_a_look_lies_between_none_and_all_of_it() -> None:
    looks = (Look.of(example("exposure"), example("ends"), strength=strength) for strength in (0, 50, 100))
    none, half, whole = (drawn_under(look.model_dump_json(), aimed=False) for look in looks)
    far, first, second = (np.abs(a - b).mean() for a, b in ((whole, none), (half, none), (whole, half)))
    assert far > 1 and 0.3 * far < first < 0.7 * far and 0.3 * far < second < 0.7 * far


@pytest.mark.parametrize("step", [s for s in EXAMPLES if "part" in choices_of(type(s))], ids=lambda s: s.name)
def test_a_step_changes_only_the_part_that_it_is_asked_to(step: Step) -> None:
    before = lab_of(drawn())
    for part, kept in (("tone", slice(1, 3)), ("colour", slice(0, 1))):
        also = {"shadow_lightness": 12} if step.name == "zones" else {}
        also |= {"red": ((0, 0), (50, 60), (100, 100))} if step.name == "curve" else {}
        after = lab_of(drawn(step.model_copy(update={"part": part, **also})))
        inside = (np.hypot(before[:, 1], before[:, 2]) < 0.08) & (before[:, 0] > 0.2) & (before[:, 0] < 0.85)
        moved = np.abs(after - before)[inside]
        assert np.median(moved[:, kept]) < 0.003
        assert moved[:, 1:].mean() + moved[:, 0].mean() > 0.0005, f"{part} does nothing"


@pytest.mark.parametrize(
    "name", ["tone", "spread", "exposure", "curve", "ends", "primaries", "saturation", "hues", "hold"]
)
def test_greys_stay_grey_unless_a_step_is_there_to_tint_them(name: str) -> None:
    step = example(name)
    look = BARE.with_step(example("tone")).with_step(step)
    greys = lab_of(drawn_under(look.model_dump_json())[-10:-2])
    plain = lab_of(drawn_under(BARE.with_step(example("tone")).model_dump_json())[-10:-2])
    own = 0.01 if name == "spread" else 0.006  # a spread is about the frame's own cast
    assert np.abs(np.hypot(greys[:, 1], greys[:, 2]) - np.hypot(plain[:, 1], plain[:, 2])).max() < own


def test_every_number_of_every_step_has_its_way() -> None:
    assert set(WAYS) == set(step_numbers())


@pytest.mark.parametrize("path", step_numbers())
def test_a_number_moves_what_it_is_meant_to_its_way_and_half_lies_between(path: str) -> None:
    way = WAYS[path]
    step = way.on or example(path.split(".")[0])
    field = path.split(".")[1]
    values = (way.low, (way.low + way.high) / 2, way.high)
    low, half, high = (way.sign * way.measure(drawn(step.model_copy(update={field: value}))) for value in values)
    assert low < half < high, f"{path}: {low:.4f}, {half:.4f}, {high:.4f}"
    words = numbers_of(type(step))[field]
    assert words.low <= way.low < way.high <= words.high


@pytest.mark.parametrize("step", EXAMPLES, ids=lambda s: s.name)
def test_a_step_says_each_of_its_numbers_and_choices_once(step: Step) -> None:
    said = " ".join([step.sentence, *step.more])
    for name in (*numbers_of(type(step)), *choices_of(type(step))):
        usual = name.endswith("_chroma") and getattr(step, name.replace("_chroma", "_hue")) is None
        assert said.count("{" + name + "}") == (0 if usual else 1), f"{step.title}: {name}"


@pytest.mark.parametrize("step", [s for s in EXAMPLES if s.in_trims], ids=lambda s: s.name)
def test_a_trim_takes_any_step_and_does_what_a_look_would(step: Step) -> None:
    linear = to_linear((frame().reshape(-1, 3) / 255).astype(np.float32))
    own = measure(linear_to_oklab(stratified_sample(linear)))
    trimmed = plan_frame(own, aim(), BARE, trim=Trim.of(step), faces=FACE, seed=3)
    looked = plan_frame(own, aim(), BARE.with_step(step), faces=FACE, seed=3)
    size = (180, 120)
    pictures = [
        Drawing(compile_stages(plan, points=17), size, frame()).picture(frame()).astype(int)
        for plan in (trimmed, looked, plan_frame(own, aim(), BARE))
    ]
    if step.name == "hold":
        return
    assert np.abs(pictures[0] - pictures[2]).mean() > 0.3
    # A look eases colours before the edge of the gamut, and pools its measures; else they are the same.
    assert np.median(np.abs(pictures[0] - pictures[1])) <= 1


def test_hues_of_a_step_turn_lightness_the_way_they_say() -> None:
    red, blue = (oklab_to_oklch(np.array([[0.5, 0.1 * np.cos(h), 0.1 * np.sin(h)]]))[0, 2] for h in (0.49, 4.57))
    mono = example("mono")
    assert mono.hues[1].hue == pytest.approx(red, abs=1) and mono.hues[0].hue == pytest.approx(blue, abs=1)


def test_how_much_of_a_step_is_taken_is_said_at_once_unless_it_is_all() -> None:
    shared = [step for step in EXAMPLES if any("of that" in sentence for sentence in step.more)]
    assert {step.name for step in shared} >= {"white", "exposure", "curve", "saturation"}
    for step in shared:
        assert "of that" not in step.sentence
        for less in ({"amount": 60.0}, {"part": "tone"} if hasattr(step, "part") else {"amount": 5.0}):
            said = step.model_copy(update=less)
            assert "of that" in said.sentence and not any("of that" in sentence for sentence in said.more), step.name
