"""Things followed through a series: outlines that grow to edges, colours that are measured, what they should be."""

import numpy as np
import pytest
from coloraide import Color

from nuvett.core.errors import InvalidChangeError
from nuvett.core.geometry.geometry import Geometry
from nuvett.core.measure.sampling import Sample
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.framed import Seeing
from nuvett.core.spaces.oklab import hex_to_oklab, linear_to_oklab, oklab_to_linear
from nuvett.core.thread.brushing import Brushed, with_strokes
from nuvett.core.thread.colours import Goal, distance, goals, spread, way_off
from nuvett.core.thread.given import is_outside, parse_given
from nuvett.core.thread.growth import Outlines, Pointed, grown, overlap
from nuvett.core.thread.places import COLOURS, Outline, colour_under, colours_in, outline_of
from nuvett.core.types import Linear, OKLab

RNG = np.random.default_rng(8)
HEIGHT, WIDTH = 120, 180
ROWS, COLUMNS = np.mgrid[0:HEIGHT, 0:WIDTH]
JUG = ((COLUMNS - 60) / 26) ** 2 + ((ROWS - 60) / 38) ** 2 < 1
BOWL = ((COLUMNS - 130) / 22) ** 2 + ((ROWS - 80) / 14) ** 2 < 1


def table(noise: float = 0.004) -> OKLab:
    """A blue jug, lit from the left, and a blue bowl on a brown table."""
    lab = np.empty((HEIGHT, WIDTH, 3), np.float32)
    lab[:] = (0.55, 0.03, 0.06)
    for thing in (JUG, BOWL):
        lab[thing] = (0.4, -0.02, -0.12)
    lab[JUG, 0] += (80 - COLUMNS[JUG]) * 0.002
    return OKLab(lab + noise * RNG.normal(size=lab.shape).astype(np.float32))


def likeliest(found: Outlines) -> np.ndarray:
    return found.masks[found.likeliest]


@pytest.mark.parametrize("place", [(60, 60), (48, 40), (70, 80)])
def test_an_outline_grows_to_the_edges_of_a_thing_wherever_it_is_pointed_at(place: tuple[int, int]) -> None:
    found = grown(table(), [Pointed(place[0] / WIDTH, place[1] / HEIGHT)])
    assert overlap(likeliest(found), JUG) > 0.85
    sizes = [int(mask.sum()) for mask in found.masks]
    assert sizes == sorted(sizes) and len(sizes) > 2, "there are smaller and larger ones to choose from"
    assert all(mask[place[1], place[0]] for mask in found.masks)


def test_more_places_add_to_a_thing_and_places_outside_take_away() -> None:
    jug, bowl = Pointed(60 / WIDTH, 60 / HEIGHT), Pointed(130 / WIDTH, 80 / HEIGHT)
    both = grown(table(), [jug, bowl])
    assert overlap(likeliest(both), JUG | BOWL) > 0.8
    without = grown(table(), [jug, Pointed(bowl.x, bowl.y, inside=False)])
    assert not any(mask[80, 130] for mask in without.masks) and overlap(likeliest(without), JUG) > 0.8
    assert grown(table(), [Pointed(bowl.x, bowl.y, inside=False)]).masks == ()


def test_pictures_of_one_colour_and_of_noise_have_outlines_all_the_same() -> None:
    for picture in (np.full((40, 60, 3), 0.5, np.float32), RNG.random((40, 60, 3)).astype(np.float32)):
        found = grown(OKLab(picture), [Pointed(0.0, 1.0), Pointed(1.0, 0.0)])
        assert found.masks and all(mask.any() for mask in found.masks)


def test_an_outline_is_kept_as_lines_and_drawn_again() -> None:
    outline = outline_of(JUG | BOWL)
    assert len(outline.rings) == 2 and overlap(outline.mask((WIDTH, HEIGHT)), JUG | BOWL) > 0.95
    large = outline.mask((WIDTH * 4, HEIGHT * 4))
    assert large.mean() == pytest.approx((JUG | BOWL).mean(), rel=0.03)
    assert outline_of(JUG).middle == pytest.approx((60 / WIDTH, 60 / HEIGHT), abs=0.01)
    assert Outline().mask((8, 6)).shape == (6, 8) and outline_of(np.zeros((5, 5), bool)).rings == ()


def test_a_thing_is_measured_away_from_its_outline_and_without_highlights() -> None:
    lab = table(0)
    lab[JUG, 0] = 0.4
    lab[(COLUMNS - 60) ** 2 + (ROWS - 60) ** 2 < 30] = (0.99, 0, 0)
    fringed = JUG & ~(((COLUMNS - 60) / 24.6) ** 2 + ((ROWS - 60) / 36.6) ** 2 < 1)
    lab[fringed] = (0.2, 0.1, 0.1)
    sample = colours_in(oklab_to_linear(lab), JUG)
    assert len(sample.colours) <= COLOURS and len(sample.places) == len(sample.colours)
    blue = np.full((len(sample.colours), 3), (0.4, -0.02, -0.12))
    assert linear_to_oklab(sample.colours) == pytest.approx(blue, abs=1e-3)
    assert JUG[(sample.places[:, 1] * HEIGHT).astype(int), (sample.places[:, 0] * WIDTH).astype(int)].all()
    tiny = np.zeros_like(JUG)
    tiny[60:62, 60:62] = True
    assert len(colours_in(oklab_to_linear(lab), tiny).colours) > 0
    assert len(colours_in(oklab_to_linear(lab), np.zeros_like(JUG)).colours) == 0


def test_a_place_that_is_cut_off_has_no_colour_and_one_that_is_cut_has_what_is_left() -> None:
    x = np.linspace(0.05, 0.95, 40)
    colours = oklab_to_linear(OKLab(np.stack([0.3 + 0.4 * x, 0 * x, 0 * x], axis=1).astype(np.float32)))
    sample = Sample(colours, np.stack([x, 0 * x + 0.5], axis=1).astype(np.float32))
    whole = colour_under(FramePlan(), sample, Seeing())
    assert whole is not None and whole[0] == pytest.approx(0.5, abs=0.01)
    right = FramePlan(geometry=Geometry(cut=(0.5, 0, 0.5, 1)))
    left = colour_under(right, sample, Seeing())
    assert left is not None and left[0] == pytest.approx(0.6, abs=0.01)
    assert colour_under(FramePlan(geometry=Geometry(cut=(0.9, 0, 0.1, 1))), sample, Seeing()) is None
    assert colour_under(FramePlan(), Sample(Linear(colours[:0]), sample.places[:0]), Seeing()) is None


BLUE, PALE, DARK = (hex_to_oklab(text) for text in ("#2a4d9e", "#6a8dde", "#1a2d5e"))


def test_what_a_colour_should_be_is_as_on_the_hero_or_the_middle_or_as_given() -> None:
    colours, setups = [BLUE, None, PALE, DARK], [1, 1, 2, 2]
    assert all(np.array_equal(goal, PALE) for goal in goals(Goal(), colours, setups, 2))
    middle = np.median([BLUE, PALE, DARK], axis=0)
    for hero in (None, 1):
        assert goals(Goal(), colours, setups, hero)[0] == pytest.approx(middle), "not seen in the hero: the middle"
    assert goals(Goal(kind="frames"), colours, setups, 0)[3] == pytest.approx(middle)
    own = goals(Goal(kind="setup"), colours, setups, 0)
    assert np.array_equal(own[0], BLUE) and own[3] == pytest.approx((PALE + DARK) / 2)
    given = Goal(kind="given", colour=(0.5, 0.1, 0.0))
    assert goals(given, colours, setups, 0)[1] == pytest.approx((0.5, 0.1, 0.0))
    assert goals(Goal(), [None, None], [1, 1], 0) == [None, None]
    for wrong in ({"kind": "given"}, {"kind": "hero", "colour": (0.5, 0, 0)}):
        with pytest.raises(ValueError, match="given"):
            Goal.model_validate(wrong)


def test_how_a_colour_is_off_is_a_distance_and_a_word() -> None:
    assert distance(BLUE, BLUE) == 0 and distance(BLUE, PALE) == pytest.approx(distance(PALE, BLUE)) and spread([]) == 0
    assert spread([BLUE]) == 0 < spread([BLUE, PALE]) < distance(BLUE, PALE)
    grey, red, turned = (
        OKLab(np.array(lab, np.float32)) for lab in ((0.6, 0, 0), (0.6, 0.06, 0.06), (0.6, 0.06, -0.06))
    )
    assert way_off(BLUE, BLUE) == "" and way_off(red, grey) == "richer" and way_off(grey, red) == "duller"
    for word, by in (("lighter", 0.1), ("darker", -0.1)):
        assert way_off(OKLab(grey + np.array([by, 0, 0], np.float32)), grey) == word
    assert way_off(turned, red) == "bluer" and way_off(red, turned) == "yellower"
    green, pink = (OKLab(np.array((0.6, a, 0.06), np.float32)) for a in (-0.06, 0.06))
    assert way_off(green, pink) == "greener" and way_off(pink, green) == "redder"


def _lab_of(space: str) -> str:
    """What an independent library makes of a colour (a witness)."""
    return " ".join(f"{value:.4f}" for value in Color("#3d4f3a").convert(space).coords())


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("#3d4f3a", "#3d4f3a"),
        ("rgb(61, 79, 58)", "#3d4f3a"),
        ("Teal", "#008080"),
        (f"lab({_lab_of('lab')})", "#3d4f3a"),
        (f"Lab {_lab_of('lab-d65')} D65", "#3d4f3a"),
    ],
)
def test_colours_are_given_as_clients_write_them(text: str, wanted: str) -> None:
    assert parse_given(text) == pytest.approx(tuple(hex_to_oklab(wanted)), abs=5e-4)
    assert not is_outside(parse_given(text))


@pytest.mark.parametrize("text", ["", "the blue of the jug", "#12", "lab(120 0 0)", "lab(50 200 0)"])
def test_what_is_no_colour_is_refused(text: str) -> None:
    with pytest.raises(InvalidChangeError):
        parse_given(text)


def test_a_colour_that_screens_cannot_show_is_said_to_be_so() -> None:
    assert is_outside(parse_given("lab(50 -120 60)")) and not is_outside(parse_given("white"))


def test_strokes_add_and_take_away_in_their_order_and_scale_with_the_picture() -> None:
    across = ((60 / WIDTH, 60 / HEIGHT), (130 / WIDTH, 60 / HEIGHT))
    adds, takes = Brushed(across, 0.03), Brushed(across, 0.03, inside=False)
    more = with_strokes(JUG, [adds])
    assert (more & JUG).sum() == JUG.sum() and more[60, 110] and not more[80, 110]
    assert more[:, 110].sum() == pytest.approx(2 * 0.03 * WIDTH, abs=2.5), "as wide as its radius says"
    assert not with_strokes(JUG, [adds, takes])[60, 60:130].any() and with_strokes(JUG, [takes, adds])[60, 60:130].all()
    large = with_strokes(np.zeros((2 * HEIGHT, 2 * WIDTH), dtype=bool), [adds])
    assert large.sum() == pytest.approx(4 * with_strokes(np.zeros_like(JUG), [adds]).sum(), rel=0.15)
    dot = with_strokes(np.zeros_like(JUG), [Brushed(((0.5, 0.5),), 0.05)])
    assert dot.sum() == pytest.approx(np.pi * (0.05 * WIDTH) ** 2, rel=0.2)
    assert np.array_equal(with_strokes(JUG, []), JUG)
    off = with_strokes(JUG, [Brushed(((-0.5, -0.5), (1.5, 2.0)), 0.001)])
    assert off.shape == JUG.shape and (off & JUG).sum() == JUG.sum()
