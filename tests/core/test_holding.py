"""Things held: they come within their limits, other colours stay, and near colours are not pulled apart."""

import numpy as np
import pytest

from nuvett.core.area.outline import OutlinePart
from nuvett.core.fit.moves import apply_moves
from nuvett.core.plan.apply import apply_plan
from nuvett.core.plan.fitted import MovesOperation
from nuvett.core.plan.frame_plan import FramePlan, Layer
from nuvett.core.spaces.oklab import hex_to_oklab, linear_to_oklab, oklab_to_linear
from nuvett.core.thread.colours import distance
from nuvett.core.thread.holding import Anchor, held_in_area, held_moves, stretch, with_moves
from nuvett.core.types import OKLab

RNG = np.random.default_rng(2)
BLUE, GOAL, RED, GREY = (hex_to_oklab(text) for text in ("#2c4c86", "#335a99", "#9a3b2f", "#8a8a88"))


def cloud(*colours: OKLab, spread: float = 0.012) -> OKLab:
    return OKLab(np.concatenate([c + spread * RNG.normal(size=(300, 3)).astype(np.float32) for c in colours]))


def moved(colour: OKLab, *anchors: Anchor, of: OKLab | None = None) -> OKLab:
    found = held_moves(anchors, cloud(BLUE, RED, GREY) if of is None else of)
    return OKLab(apply_moves(OKLab(colour[None]), found)[0])


@pytest.mark.parametrize("within", [0.5, 1.5, 3.0])
def test_a_thing_comes_within_its_limit_and_no_nearer_than_need_be(within: float) -> None:
    before = distance(BLUE, GOAL)
    assert before > 4
    after = distance(moved(BLUE, Anchor(BLUE, GOAL, within)), GOAL)
    assert after == pytest.approx(within, abs=0.35)


def test_what_is_within_its_limit_is_left_alone_and_stays_where_another_thing_is_moved() -> None:
    assert held_moves([Anchor(BLUE, GOAL, 20)], cloud(BLUE, RED)) == ()
    other = OKLab(GREY + np.array([0.005, 0, 0], np.float32))
    anchors = (Anchor(BLUE, GOAL, 1), Anchor(GREY, other, 5))
    assert distance(moved(GREY, *anchors), GREY) < 0.3
    assert distance(moved(RED, *anchors), RED) < 0.3, "main colours of the frame stay"


def test_far_goals_are_approached_as_far_as_the_frame_bears() -> None:
    far = hex_to_oklab("#f0e020")
    found = moved(BLUE, Anchor(BLUE, far, 1))
    assert 0 < float(np.linalg.norm(found - BLUE)) <= 0.101
    assert distance(found, far) < distance(BLUE, far)


def test_colours_near_each_other_are_not_pulled_apart() -> None:
    near = OKLab(BLUE + np.array([0.0, 0.03, 0.03], np.float32))
    opposite = OKLab(BLUE + np.array([0.0, -0.06, -0.06], np.float32))
    colours = cloud(BLUE, near, spread=0.02)
    moves = held_moves([Anchor(BLUE, opposite, 0.5), Anchor(near, OKLab(near + (near - opposite)), 0.5)], colours)
    assert stretch(moves, colours) <= 1.31
    assert stretch((), colours) == pytest.approx(1, abs=1e-3)


def test_moves_come_last_in_what_is_done_to_the_frame_alone() -> None:
    moves = held_moves([Anchor(BLUE, GOAL, 1)], cloud(BLUE, RED, GREY))
    plan = with_moves(FramePlan(), moves)
    assert with_moves(FramePlan(), ()) == FramePlan() and plan.group("trim").operations[-1].kind == "moves"
    seen = linear_to_oklab(apply_plan_linear(plan, BLUE))[0]
    assert distance(OKLab(seen), GOAL) == pytest.approx(1, abs=0.35)
    twice = with_moves(plan, moves)
    assert len(twice.group("trim").operations) == 2 and len(twice.groups) == len(plan.groups)


def apply_plan_linear(plan: FramePlan, colour: OKLab) -> np.ndarray:
    return oklab_to_linear(apply_plan(plan, oklab_to_linear(OKLab(colour[None]))))


RINGS = (((0.2, 0.2), (0.8, 0.2), (0.8, 0.8), (0.2, 0.8)),)


def within_outline(anchor: Anchor, weight: float) -> tuple[Layer | None, OKLab]:
    """A thing brought to its goal in an outline that weighs so much where it is measured, and its colour then."""

    def seen(layer: Layer) -> OKLab:
        (operation,) = layer.operations
        assert isinstance(operation, MovesOperation)
        full = apply_moves(OKLab(anchor.colour[None]), operation.moves)[0]
        return OKLab(anchor.colour + np.float32(weight) * (full - anchor.colour))

    layer = held_in_area(anchor, RINGS, seen)
    return layer, anchor.colour if layer is None else seen(layer)


@pytest.mark.parametrize("weight", [1.0, 0.5])
@pytest.mark.parametrize("within", [0.3, 2.0])
def test_a_colour_as_given_is_met_in_its_outline_however_much_that_weighs(weight: float, within: float) -> None:
    layer, found = within_outline(Anchor(BLUE, GOAL, within), weight)
    assert layer is not None and distance(found, GOAL) == pytest.approx(within, abs=0.25)
    (part,) = layer.area.parts
    assert isinstance(part, OutlinePart) and part.rings == RINGS and layer.area.edges


def test_in_an_outline_nothing_is_done_within_the_limit_nor_more_than_is_borne_nor_where_nothing_is_seen() -> None:
    assert within_outline(Anchor(BLUE, GOAL, 20), 1.0)[0] is None
    assert held_in_area(Anchor(BLUE, GOAL, 1), RINGS, lambda layer: None) is None
    _, far = within_outline(Anchor(BLUE, hex_to_oklab("#f0e020"), 1), 1.0)
    assert 0.05 < float(np.linalg.norm(far - BLUE)) <= 0.106
