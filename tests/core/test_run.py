"""The lightness run: a column a frame, or neighbours together where there are more than can be told apart."""

from itertools import pairwise

import pytest

from nuvett.core.planning.run import columns_of


def marks(middle: float, reach: float = 10) -> tuple[float, ...]:
    return tuple(middle + at * reach for at in (-3, -2, -1, 0, 1, 2, 3))


def test_each_frame_has_a_column_while_there_is_room() -> None:
    found = columns_of([(marks(50), marks(60)), None, (marks(30), marks(40))], most=3)
    assert [(c.first, c.last, c.came, c.middle) for c in found] == [(0, 0, 50, 60), (2, 2, 30, 40)]
    one = found[0]
    assert (one.low, one.quarter, one.three_quarters, one.high) == (40, 50, 70, 80)


@pytest.mark.parametrize("count", [4, 7, 2000])
def test_neighbours_share_columns_and_none_is_left_out(count: int) -> None:
    found = columns_of([(marks(50), marks(float(place % 10))) for place in range(count)], most=3)
    assert len(found) <= 3 and found[0].first == 0 and found[-1].last == count - 1
    assert all(after.first == before.last + 1 for before, after in pairwise(found))


def test_a_shared_column_reaches_as_far_as_the_farthest_of_its_frames() -> None:
    (found,) = columns_of([(marks(50), marks(40)), (marks(70), marks(60, 15)), None], most=1)
    assert (found.low, found.high, found.middle, found.came) == (20, 90, 50, 60)
