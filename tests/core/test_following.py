"""Things known in one frame and looked for in another: found where they are, doubted where they are not."""

import numpy as np
import pytest

from nuvett.core.thread.cells import KINDS, Described, layout, shared
from nuvett.core.thread.complexions import ALIKE, complexions, nearest, words_for
from nuvett.core.thread.following import DOUBTFUL, SURE, look_for, region_of
from nuvett.core.thread.growth import Mask, Pointed, grown, overlap
from nuvett.core.types import OKLab

ROWS, COLUMNS = 30, 44
KINDS_THERE = np.random.default_rng(4).normal(size=(ROWS + 20, COLUMNS + 20, KINDS))
COLOURS = np.random.default_rng(5).uniform((0.3, -0.1, -0.1), (0.8, 0.1, 0.1), (ROWS + 20, COLUMNS + 20, 3))
THING = np.zeros((ROWS, COLUMNS), dtype=bool)
THING[10:16, 12:20] = True


def frame(down: int = 0, across: int = 0, noise: float = 0.4, without: bool = False) -> Described:
    """A view of one wall, moved by some cells; the thing in it replaced by something else where it is to be gone."""
    rng = np.random.default_rng(100 + down * 7 + across)
    kinds, colours = KINDS_THERE.copy(), COLOURS.copy()
    if without:
        at = np.s_[20:26, 22:30]
        kinds[at], colours[at] = rng.normal(size=(6, 8, KINDS)), rng.uniform(0.2, 0.4, (6, 8, 3))
    view = np.s_[10 - down : 10 - down + ROWS, 10 - across : 10 - across + COLUMNS]
    seen = kinds[view] + noise * rng.normal(size=(ROWS, COLUMNS, KINDS))
    unit = seen / np.linalg.norm(seen, axis=-1, keepdims=True)
    moved = colours[view] + noise * 0.01 * rng.normal(size=(ROWS, COLUMNS, 3))
    return Described.of(np.clip(np.rint(unit * 300), -127, 127).astype(np.int8), OKLab(moved.astype(np.float32)))


@pytest.mark.parametrize(("down", "across"), [(0, 0), (3, -4), (-5, 6)])
def test_a_thing_is_found_where_it_has_gone_with_what_surrounds_it(down: int, across: int) -> None:
    here, there = frame(), frame(down, across)
    both = shared(here, there)
    best = look_for(here, THING, there, both)[0]
    expected = np.roll(THING, (down, across), axis=(0, 1))
    assert overlap(best.cells, expected) > 0.5 and best.sure > SURE
    column, row = int(best.place[0] * COLUMNS), int(best.place[1] * ROWS)
    assert expected[row, column], "its place lies on it"
    assert both.share > 0.3 and np.abs(both.there - both.here - (across, down)).max() <= 2


def test_what_is_gone_is_not_taken_for_there_and_more_noise_makes_less_sure() -> None:
    here = frame()
    gone = frame(3, -4, without=True)
    there = [look_for(here, THING, found, shared(here, found)) for found in (gone, frame(3, -4))]
    assert all(one.sure < SURE for one in there[0]) and there[0][0].sure < there[1][0].sure
    other = Described.of(
        np.full((ROWS, COLUMNS, KINDS), 7, np.int8), OKLab(np.full((ROWS, COLUMNS, 3), 0.5, np.float32))
    )
    assert all(one.sure < DOUBTFUL for one in look_for(here, THING, other, shared(here, other)))
    assert shared(here, other).share < 0.05
    clear, noisy = (look_for(here, THING, found, shared(here, found)) for found in (frame(2, 2, 0.2), frame(2, 2, 2.0)))
    assert clear[0].sure > (noisy[0].sure if noisy else 0.0)


def test_of_two_equal_things_neither_is_as_sure_as_one_alone() -> None:
    here, alone = frame(), frame(3, -4)
    grid = alone.cells.reshape(ROWS, COLUMNS, -1).copy()
    grid[22:28, 28:36] = grid[13:19, 8:16]
    twins = Described(ROWS, COLUMNS, grid.reshape(ROWS * COLUMNS, -1), alone.colours)
    found = look_for(here, THING, twins, shared(here, twins))
    assert len(found) >= 2 and found[0].sure < look_for(here, THING, alone, shared(here, alone))[0].sure
    assert found[0].cells[15, 11], "the one among the same neighbours comes first"


def test_regions_of_any_size_and_pictures_of_any_shape_have_cells() -> None:
    assert layout(1200, 800) == (52, 78) and layout(800, 1200) == (52, 35) and layout(4000, 10) == (1, 80)
    here = frame()
    point, whole = np.zeros((200, 300), dtype=bool), np.ones((200, 300), dtype=bool)
    point[90:93, 100:103] = True
    assert 1 <= region_of(point, here).sum() <= 4 and region_of(whole, here).all()
    assert look_for(here, region_of(whole, here), here, shared(here, here)) == [], "nothing lies about it"
    assert look_for(here, np.zeros_like(THING), here, shared(here, here)) == []


def test_an_outline_is_chosen_for_what_was_found_where_it_is_unlike_the_likeliest() -> None:
    rows, columns = np.mgrid[0:120, 0:180]
    lab = np.full((120, 180, 3), (0.55, 0.03, 0.06), np.float32)
    rings = [((columns - 90) ** 2 + (rows - 60) ** 2) < radius**2 for radius in (45, 15)]
    for ring, colour in zip(rings, ((0.4, 0, -0.1), (0.5, 0.05, 0)), strict=True):
        lab[ring] = colour
    outlines = grown(OKLab(lab), [Pointed(0.5, 0.5)])

    def chosen(ring: Mask) -> float:
        return overlap(outlines.masks[outlines.about(ring, float(ring.mean()))], ring)

    assert all(chosen(ring) > 0.85 for ring in rings), "each is in the pool, and found when it is asked for"


def test_faces_are_grouped_by_complexion_and_a_stranger_joins_none() -> None:
    light, deep = np.array((0.64, 0.03, 0.04), np.float32), np.array((0.42, 0.04, 0.047), np.float32)
    near = np.array((0.0, 0.01, 0.012), np.float32)
    faces = OKLab(np.stack([deep, light, deep + near, light - near, light + near]))
    assert complexions(faces) == [1, 0, 1, 0, 0] and complexions(faces[:1]) == [0] and complexions(faces[:0]) == []
    assert words_for([OKLab(light)]) == "light" and words_for([OKLab(deep)]) == "deep"
    assert nearest(OKLab(deep + near), [OKLab(light), OKLab(deep)]) == 1
    assert nearest(OKLab(deep - (1.2 * ALIKE, 0, 0)), [OKLab(light), OKLab(deep)]) is None
    assert nearest(OKLab(light), []) is None
