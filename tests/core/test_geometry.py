"""Geometry: what lies where, that nothing beside the picture is ever shown, and what the picture proposes."""

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from nuvett.core.drawing.resampling import Resampling
from nuvett.core.errors import InvalidChangeError
from nuvett.core.geometry.changes import HANDLES, drag_cut, levelled, mirrored, turned, with_proportion
from nuvett.core.geometry.following import cut_about, middle_of
from nuvett.core.geometry.geometry import PROPORTIONS, Cut, Geometry, Placing
from nuvett.core.geometry.proposals import Proposal, propose
from nuvett.core.geometry.words import geometry_changes, geometry_words
from nuvett.core.spaces.cielab import ciede2000, linear_to_cielab
from nuvett.core.spaces.rgb import to_linear
from nuvett.core.types import Encoded01

SIZE = (1200, 800)
ANY = st.builds(
    Geometry,
    quarter=st.integers(0, 3),
    mirrored=st.booleans(),
    straighten=st.floats(-45, 45),
    vertical=st.floats(-100, 100),
    horizontal=st.floats(-100, 100),
    proportion=st.sampled_from(list(PROPORTIONS)),
    cut=st.none() | st.just((0.0, 0.0, 0.3, 0.4)) | st.just((0.6, 0.55, 0.4, 0.45)),
)


@pytest.mark.parametrize("mirror", [False, True])
@pytest.mark.parametrize("quarter", range(4))
def test_turns_and_mirrors_move_whole_pixels(quarter: int, mirror: bool) -> None:
    picture = np.arange(24).reshape(4, 6)
    wanted = np.rot90(picture[:, ::-1] if mirror else picture, -quarter)
    placing = Geometry(quarter=quarter, mirrored=mirror).placed((6, 4))
    width, height = placing.size
    x, y = placing.original(*np.meshgrid((np.arange(width) + 0.5) / width, (np.arange(height) + 0.5) / height))
    assert np.array_equal(picture[(y * 4).astype(int), (x * 6).astype(int)], wanted)
    again = mirrored(mirrored(turned(Geometry(), 1)))
    assert again == turned(Geometry(), 1)
    flipped = mirrored(Geometry(quarter=quarter)).placed((6, 4))  # across, as the frame stands
    x, y = flipped.original(*np.meshgrid((np.arange(width) + 0.5) / width, (np.arange(height) + 0.5) / height))
    assert np.array_equal(picture[(y * 4).astype(int), (x * 6).astype(int)], np.rot90(picture, -quarter)[:, ::-1])


@given(ANY)
def test_nothing_beside_the_picture_is_shown_and_places_come_back(geometry: Geometry) -> None:
    placing = geometry.placed(SIZE)
    corners = np.array([0.0, 1, 0, 1, 0.5]), np.array([0.0, 0, 1, 1, 0.5])
    x, y = placing.original(*corners)
    assert min(x.min(), y.min()) > -1e-5 and max(x.max(), y.max()) < 1 + 1e-5
    back = placing.seen(x, y)
    assert np.abs(np.array(back) - np.array(corners)).max() < 1e-3
    ratio = geometry.ratio(SIZE)
    if geometry.cut is None and ratio is not None and min(placing.size) > 30:
        assert placing.size[0] / placing.size[1] == pytest.approx(ratio, rel=0.05)


def test_straightening_turns_clockwise_and_upright_widens_the_top() -> None:
    _, y = Geometry(straighten=10, cut=(0.25, 0.25, 0.5, 0.5)).whole(SIZE).original(np.array([0.9]), np.array([0.5]))
    assert y[0] < 0.5  # what lay higher at the right has come down to the middle
    upright = Geometry(vertical=50).whole(SIZE)
    (left, right), _ = upright.original(np.array([0.3, 0.7]), np.array([0.2, 0.2]))
    (low_left, low_right), _ = upright.original(np.array([0.3, 0.7]), np.array([0.8, 0.8]))
    assert right - left < 0.4 < low_right - low_left
    assert Geometry(straighten=7.3).placed(SIZE).size[0] < 1100 and Geometry().placed(SIZE).is_plain


@pytest.mark.parametrize("size", [(1, 1), (5, 1), (17, 16), (1300, 3), (640, 480)])
@pytest.mark.parametrize("lean", [-100.0, 100.0])
def test_pictures_of_any_size_are_drawn_with_the_most_that_can_be_set_upright(
    size: tuple[int, int], lean: float
) -> None:
    geometry = Geometry(straighten=20, vertical=lean, horizontal=lean, uncut=True)
    for used in (geometry, geometry.model_copy(update={"uncut": False})):
        placing = used.placed(size)
        grey = np.full((size[1], size[0], 3), 128, np.uint8)
        found = Resampling(placing, placing.size, size).drawn(grey, (0, 0), (0, 0, *placing.size))
        assert np.isfinite(found).all()
        if not used.uncut:
            assert np.allclose(found, 128 / 255, atol=1e-4)


def test_an_edge_straightened_and_turned_back_is_the_same_edge() -> None:
    """Figure of the bench, with its bound: 7.3 degrees there and back, CIEDE2000 along the edge."""
    width, height, fine = 600, 400, 8
    ys, xs = np.mgrid[0 : height * fine, 0 : width * fine] / fine
    dark = ((ys - height / 2) * np.cos(0.2) + (xs - width / 2) * np.sin(0.2) < 0).astype(np.float32)
    edge = cv2.GaussianBlur(cv2.resize(dark, (width, height), interpolation=cv2.INTER_AREA), (0, 0), 0.7)
    picture = np.repeat(np.rint(60 + 130 * edge)[..., None], 3, axis=2).astype(np.uint8)

    def turn(pixels: np.ndarray, degrees: float) -> np.ndarray:
        placing = Geometry(straighten=degrees).whole((width, height))
        resampling = Resampling(
            Placing(placing.matrix, (width, height), (width, height)), (width, height), (width, height)
        )
        return np.rint(resampling.drawn(pixels, (0, 0), (0, 0, width, height)) * 255).astype(np.uint8)

    back = turn(turn(picture, 7.3), -7.3)
    inner = (slice(120, 280), slice(150, 450))
    lab = [linear_to_cielab(to_linear(Encoded01((p[inner] / 255).astype(np.float32)))) for p in (picture, back)]
    assert ciede2000(*lab).max() < 1.5


def test_a_cut_is_dragged_in_its_proportion_and_stays_in_the_frame() -> None:
    free = drag_cut(Geometry(proportion="free"), SIZE, "se", (0.6, 0.5))
    assert free.cut == (0, 0, 0.6, 0.5)
    kept = drag_cut(Geometry(proportion="shot"), SIZE, "nw", (0.5, 0.1))
    assert kept.cut == pytest.approx((0.1, 0.1, 0.9, 0.9))  # about the opposite corner
    side = drag_cut(Geometry(proportion="1:1", cut=(0.2, 0.1, 0.4, 0.6)), SIZE, "e", (0.7, 0.9))
    assert side.placed(SIZE).size[0] == pytest.approx(side.placed(SIZE).size[1], abs=2)
    moved = drag_cut(kept, SIZE, "move", (0.0, 0.0))
    assert moved.cut == pytest.approx((0, 0, 0.9, 0.9))
    nothing = drag_cut(Geometry(proportion="free"), SIZE, "e", (-3, 0.5)).cut
    assert nothing is not None and nothing[2] == pytest.approx(0.04)
    with pytest.raises(InvalidChangeError):
        drag_cut(Geometry(), SIZE, "middle", (0, 0))
    with pytest.raises(ValidationError, match="at least 4%"):
        Geometry(cut=(0.5, 0.5, 0.0, 0.0))
    with pytest.raises(ValidationError, match="within the frame"):
        Geometry(cut=(0.5, 0.5, 0.7, 0.2))
    square = with_proportion(free, SIZE, "1:1")
    assert square.placed(SIZE).size[0] == pytest.approx(square.placed(SIZE).size[1], abs=2)
    assert turned(Geometry(cut=(0.1, 0.2, 0.3, 0.4)), 1).cut == pytest.approx((0.4, 0.1, 0.4, 0.3))


@given(st.sampled_from(["nw", "n", "ne", "e", "se", "s", "sw", "w", "move"]), st.floats(-1, 2), st.floats(-1, 2), ANY)
def test_any_drag_leaves_a_cut_that_can_be_kept(handle: str, x: float, y: float, geometry: Geometry) -> None:
    cut: Cut | None = drag_cut(geometry, SIZE, handle, (x, y)).cut
    assert cut is not None and Geometry(cut=cut).cut == cut


def test_each_corner_and_side_moves_itself_alone_and_keeps_a_proportion_about_what_stays() -> None:
    free = Geometry(proportion="free", cut=(0.2, 0.2, 0.4, 0.4))
    moved = {handle: drag_cut(free, SIZE, handle, (0.3, 0.5)).cut for handle in HANDLES if handle != "move"}
    assert {name: cut and tuple(round(v, 4) for v in cut) for name, cut in moved.items()} == {
        "nw": (0.3, 0.5, 0.3, 0.1),
        "n": (0.2, 0.5, 0.4, 0.1),
        "ne": (0.2, 0.5, 0.1, 0.1),
        "e": (0.2, 0.2, 0.1, 0.4),
        "se": (0.2, 0.2, 0.1, 0.3),
        "s": (0.2, 0.2, 0.4, 0.3),
        "sw": (0.3, 0.2, 0.3, 0.3),
        "w": (0.3, 0.2, 0.3, 0.4),
    }
    assert drag_cut(free, SIZE, "w", (0.9, 0.5)).cut == pytest.approx(
        (0.56, 0.2, 0.04, 0.4)
    )  # no further than its side
    assert drag_cut(free, SIZE, "n", (0.5, 0.9)).cut == pytest.approx((0.2, 0.56, 0.4, 0.04))
    assert drag_cut(free, SIZE, "move", (0.7, 0.3)).cut == pytest.approx((0.5, 0.1, 0.4, 0.4))
    # 1:1 on a frame of 3:2: two thirds of the width for the whole height, about what is not dragged.
    square = Geometry(proportion="1:1", cut=(0.2, 0.2, 0.2, 0.3))
    assert drag_cut(square, SIZE, "e", (0.6, 0.9)).cut == pytest.approx((0.2, 0.05, 0.4, 0.6))
    assert drag_cut(square, SIZE, "s", (0.9, 0.65)).cut == pytest.approx((0.15, 0.2, 0.3, 0.45))
    assert drag_cut(square, SIZE, "se", (0.4, 0.8)).cut == pytest.approx((0.2, 0.2, 0.4, 0.6))
    assert drag_cut(square, SIZE, "se", (0.6, 0.3)).cut == pytest.approx((0.2, 0.2, 0.4, 0.6))
    assert drag_cut(square, SIZE, "n", (0.3, 0.1)).cut == pytest.approx((0.16667, 0.1, 0.26667, 0.4))
    near = drag_cut(Geometry(proportion="1:1", cut=(0.1, 0.2, 0.2, 0.3)), SIZE, "s", (0.2, 1.0))
    assert near.cut == pytest.approx((0.0, 0.2, 0.4, 0.6))  # as wide as there is room on both sides


def test_a_cut_in_a_proportion_grows_as_far_as_there_is_room_and_never_below_its_least() -> None:
    def dragged(cut: Cut, handle: str, x: float, y: float) -> Cut | None:
        return drag_cut(Geometry(proportion="1:1", cut=cut), SIZE, handle, (x, y)).cut

    assert dragged((0.7, 0.2, 0.2, 0.3), "se", 1.0, 1.0) == pytest.approx((0.7, 0.2, 0.3, 0.45))
    assert dragged((0.1, 0.6, 0.2, 0.3), "se", 1.0, 1.0) == pytest.approx((0.1, 0.6, 0.26667, 0.4), abs=1e-4)
    assert dragged((0.1, 0.05, 0.2, 0.3), "e", 0.9, 0.5) == pytest.approx((0.1, 0.0, 0.26667, 0.4), abs=1e-4)
    assert dragged((0.3, 0.3, 0.2, 0.3), "w", 0.1, 0.5) == pytest.approx((0.1, 0.15, 0.4, 0.6))
    assert dragged((0.2, 0.2, 0.2, 0.3), "e", 0.0, 0.5) == pytest.approx((0.2, 0.32, 0.04, 0.06))
    assert dragged((0.5, 0.2, 0.2, 0.3), "s", 0.5, 0.1) == pytest.approx((0.58, 0.2, 0.04, 0.06))
    assert dragged((0.7, 0.2, 0.2, 0.3), "s", 0.8, 1.0) == pytest.approx((0.6, 0.2, 0.4, 0.6))
    assert dragged((0.1, 0.65, 0.2, 0.3), "e", 0.9, 0.8) == pytest.approx((0.1, 0.6, 0.26667, 0.4), abs=1e-4)
    assert turned(Geometry(quarter=1), 1).quarter == 2 and turned(Geometry(quarter=3), 2).quarter == 1


def test_a_mirror_takes_the_cut_the_tilt_and_the_lean_along() -> None:
    made = mirrored(Geometry(cut=(0.1, 0.2, 0.3, 0.4), straighten=3, horizontal=20, vertical=10, quarter=1))
    assert made.cut == pytest.approx((0.6, 0.2, 0.3, 0.4)) and (made.straighten, made.horizontal) == (-3, -20)
    assert (made.vertical, made.quarter, made.mirrored) == (10, 3, True)
    wide = with_proportion(Geometry(cut=(0.1, 0.3, 0.6, 0.2)), SIZE, "1:1")
    assert wide.cut == pytest.approx((0.33333, 0.3, 0.13333, 0.2))  # about the same middle
    tall = with_proportion(Geometry(cut=(0.1, 0.1, 0.2, 0.8)), SIZE, "1:1")
    assert tall.cut == pytest.approx((0.1, 0.35, 0.2, 0.3))
    with pytest.raises(ValidationError, match="within the frame"):
        Geometry(cut=(0.1, 0.8, 0.2, 0.3))
    with pytest.raises(ValidationError, match="within the frame"):
        Geometry(cut=(0.8, 0.1, 0.3, 0.2))


def test_leaning_levels_are_set_the_way_their_number_says() -> None:
    placing = Geometry(horizontal=40).whole(SIZE)
    (left, right), _ = placing.original(np.array([0.25, 0.75]), np.array([0.1, 0.1]))
    _, (top_left, top_right) = placing.original(np.array([0.25, 0.75]), np.array([0.1, 0.1]))
    assert top_left > top_right + 0.02 and left < right  # the right is drawn larger, so less of it is looked at
    _, (a, b) = Geometry(horizontal=-40).whole(SIZE).original(np.array([0.25, 0.75]), np.array([0.1, 0.1]))
    assert b > a + 0.02


def test_a_line_drawn_along_straightens() -> None:
    drawn = levelled(Geometry(), SIZE, (0.2, 0.5), (0.8, 0.5 + 0.6 * 1.5 * np.tan(np.radians(3))))
    assert drawn.straighten == pytest.approx(-3, abs=0.06)
    upright = levelled(Geometry(straighten=1), SIZE, (0.5, 0.2), (0.5 - 0.4 * np.tan(np.radians(2)) / 1.5 * 1.0, 0.6))
    assert upright.straighten == pytest.approx(1 - 2, abs=0.1)
    with pytest.raises(InvalidChangeError, match="longer line"):
        levelled(Geometry(), SIZE, (0.5, 0.5), (0.505, 0.5))
    assert geometry_words(Geometry(straighten=0.6, quarter=1, proportion="3:2")) == [
        "turned right",
        "straightened by 0.6°",
        "cropped to 3 : 2",
    ]
    assert geometry_changes(Geometry(), Geometry(straighten=-3)) == ["Straightened by 0.0 to −3.0°"]
    assert geometry_changes(Geometry(), Geometry(cut=(0, 0, 0.5, 0.5))) == ["Cropped"]


def lined(geometry: Geometry) -> np.ndarray:
    """A picture of a wall of panels, seen as a camera held askew sees it."""
    wall = np.full((800, 1200), 0.75, np.float32)
    for x in range(100, 1200, 120):
        wall[60:740, x : x + 60] = 0.3 + 0.4 * (x % 240 == 100)
    placing = geometry.whole((1200, 800))
    x, y = placing.seen(*np.meshgrid((np.arange(1200) + 0.5) / 1200, (np.arange(800) + 0.5) / 800))
    return cv2.remap(wall, x * 1200 - 0.5, y * 800 - 0.5, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)


@pytest.mark.parametrize("degrees", [-4.2, 1.5, 6.0])
def test_the_tilt_of_long_lines_is_proposed(degrees: float) -> None:
    found = propose(lined(Geometry(straighten=degrees)))
    assert found.straighten == pytest.approx(degrees, abs=0.25) and found.vertical is None


def drawn_lines(*lines: tuple[float, float, float, float], size: tuple[int, int] = (900, 600)) -> np.ndarray:
    """A grey picture with bars along lines, x and y of their ends in pixels from the middle."""
    picture = np.full((size[1], size[0]), 0.5, np.float32)
    middle = np.array([size[0], size[1], size[0], size[1]]) / 2
    for line in lines:
        x0, y0, x1, y1 = (round(float(v)) for v in np.array(line) + middle)
        cv2.line(picture, (x0, y0), (x1, y1), 0.1, 7, cv2.LINE_AA)
    return picture


def test_level_lines_speak_only_where_there_are_no_uprights() -> None:
    tilt = np.tan(np.radians(2.5))
    levels = [(-400, y - 400 * tilt, 400, y + 400 * tilt) for y in (-200, -100, 0, 100, 200)]
    assert propose(drawn_lines(*levels)).straighten == pytest.approx(-2.5, abs=0.3)
    uprights = [(x, -250, x, 250) for x in (-380, -190, 0, 190, 380)]
    assert propose(drawn_lines(*uprights)).is_none
    assert propose(drawn_lines(*levels, *uprights)).straighten is None  # the uprights stand straight
    short = [(x, y, x + 14 * tilt, y + 14) for x in range(-400, 401, 80) for y in (-200, 0, 200)]
    assert propose(drawn_lines(*short)).is_none


_TWO_ANGLES = [(x, n % 2, 170 if n % 2 else 260) for n, x in enumerate(range(-400, 401, 80))]


def test_short_lines_say_nothing_and_of_two_groups_the_longer_one_is_believed() -> None:
    tilt = np.tan(np.radians(3))
    strokes = [(x, y, x + 36 * tilt, y + 36) for x in range(-420, 421, 40) for y in range(-280, 250, 50)]
    assert propose(drawn_lines(*strokes)).straighten is None
    many = [(x - 250 * tilt, -250, x + 250 * tilt, 250) for x in (-400, -280, -160, -40, 80, 200, 320)]
    few = [(x + 100 * tilt, -100, x - 100 * tilt, 100) for x in (-340, -100, 140, 380)]
    assert propose(drawn_lines(*many, *few)).straighten == pytest.approx(3, abs=0.3)
    lean = [np.tan(np.radians(degrees)) for degrees in (4.6, 3.0)]
    near = [(x - h * lean[i], -h, x + h * lean[i], h) for x, i, h in _TWO_ANGLES]
    assert propose(drawn_lines(*near)).straighten == pytest.approx(4.6, abs=0.35)


@pytest.mark.parametrize("side", [1, -1])
def test_a_fan_on_one_side_of_the_middle_is_no_lean(side: int) -> None:
    fan = [(side * x, -250, side * x * 1.12, 250) for x in (-70, -40, 20, 60, 130, 200, 270, 340, 410)]
    assert propose(drawn_lines(*fan)).vertical is None


def test_uprights_that_lean_together_give_the_lean_and_the_tilt_that_is_left() -> None:
    fan = [(x, -250, x * 1.12, 250) for x in (-400, -300, -200, -100, 100, 200, 300, 400)]
    found = propose(drawn_lines(*fan))
    assert found.vertical is not None and found.straighten is None
    other = propose(drawn_lines(*[(x * 1.12, -250, x, 250) for x in (-400, -300, -200, -100, 100, 200, 300, 400)]))
    assert other.vertical is not None and other.vertical * found.vertical < 0
    one_side = propose(drawn_lines(*[line for line in fan if line[0] > 0]))
    assert one_side.vertical is None  # one half of a picture says nothing about both
    tilt = np.tan(np.radians(3))
    both = [(x - 250 * tilt, -250, x * 1.12 + 250 * tilt, 250) for x in (-400, -300, -200, -100, 100, 200, 300, 400)]
    assert propose(drawn_lines(*both)).straighten == pytest.approx(3, abs=0.6)


def test_leaning_uprights_are_proposed_and_noise_proposes_nothing() -> None:
    found = propose(lined(Geometry(vertical=30)))
    assert found.vertical == pytest.approx(30, abs=6) and found.straighten is None
    assert propose(lined(Geometry())) == Proposal()
    noise = np.random.default_rng(2).uniform(0, 1, (400, 600)).astype(np.float32)
    assert propose(noise).is_none and propose(np.full((300, 300), 0.5, np.float32)).is_none


def test_a_cut_follows_the_subject_and_stays_within_the_frame() -> None:
    size = (600, 400)
    geometry = Geometry(cut=(0.2, 0.1, 0.4, 0.5), proportion="free")

    def cut(own: Geometry, to: tuple[float, float]) -> tuple[float, ...] | None:
        return cut_about(own, (size, size), ((0.4, 0.3), to)).cut

    assert cut(geometry, (0.55, 0.5)) == pytest.approx((0.35, 0.3, 0.4, 0.5), abs=1e-4)
    assert cut(geometry, (0.4, 0.3)) == pytest.approx(geometry.cut, abs=1e-4)
    assert cut(geometry, (0.95, 0.99)) == pytest.approx((0.6, 0.5, 0.4, 0.5), abs=1e-4)
    mirrored = geometry.model_copy(update={"mirrored": True})
    assert cut(mirrored, (0.3, 0.3)) == pytest.approx((0.3, 0.1, 0.4, 0.5), abs=1e-4)
    assert cut_about(Geometry(straighten=3), (size, size), ((0.1, 0.1), (0.9, 0.9))) == Geometry(straighten=3)
    subject = np.zeros((20, 30), dtype=np.float32)
    assert middle_of((), subject) is None
    subject[4:8, 20:26] = 1
    assert middle_of((), subject) == pytest.approx((23 / 30, 6 / 20))
    assert middle_of(((0.1, 0.1, 0.1, 0.1), (0.4, 0.2, 0.2, 0.3)), subject) == pytest.approx((0.5, 0.35))
