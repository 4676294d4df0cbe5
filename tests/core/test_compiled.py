"""What is compiled, beside the plainest way to say the same."""

from itertools import combinations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from nuvett.core.fit.iterations import bounded, scaled
from nuvett.core.guided import guided
from nuvett.core.reading.clusters import farthest, gathered, merged
from nuvett.core.spatial.enlarging import Enlarged, Part, in_cells
from nuvett.core.spatial.finishing import guided_lines
from nuvett.core.tabled import along
from tests import strategies as ours


@given(ours.seeds, st.integers(2, 140), st.integers(1, 7), st.integers(1, 1100))
def test_a_table_is_followed_between_its_points_and_stays_at_its_ends(
    seed: int, points: int, columns: int, count: int
) -> None:
    random = np.random.default_rng(seed)
    table = random.normal(0, 1, (points, columns)).astype(np.float32)
    at = random.uniform(-0.4, 1.4, (count, 2)).astype(np.float32)[:, 0]
    at[: min(count, 2)] = (1, 0)[: min(count, 2)]
    plain = [np.interp(at, np.linspace(0, 1, points), column) for column in table.T]
    assert np.allclose(along(table, at), plain, atol=1e-4)


@given(ours.seeds, st.integers(1, 30))
def test_points_gather_about_the_nearest_centre(seed: int, count: int) -> None:
    points = ours.cloud(seed, 300).astype(np.float32)
    centres = points[:count] + np.float32(0.01)
    nearest = ((points[:, None] - centres) ** 2).sum(axis=2).argmin(axis=1)
    sums, sizes = gathered(np.ascontiguousarray(points.T), centres)
    assert np.array_equal(sizes, np.bincount(nearest, minlength=count))
    assert np.allclose(sums, [points[nearest == k].sum(axis=0) for k in range(count)], atol=1e-3)


def test_seeds_lie_as_far_apart_as_they_can_and_equal_points_are_one() -> None:
    line = np.array([0.0, 1.0, 4.0, 9.0, 9.0, 4.4], dtype=np.float32)
    planes = np.stack([line, line * 0, line * 0])
    assert farthest(planes, 1, 4, 1e-6) == [1, 3, 5, 0]
    assert farthest(planes, 1, 6, 1e-6) == [1, 3, 5, 0, 2]


def plainly_merged(centres: np.ndarray, shares: np.ndarray, power: float, count: int, fixed: int) -> np.ndarray:
    clusters = [
        (centre, share, place < fixed) for place, (centre, share) in enumerate(zip(centres, shares, strict=True))
    ]
    while len(clusters) > max(count, fixed):
        pairs = []
        for (i, (a, p, stays)), (j, (b, q, too)) in combinations(enumerate(clusters), 2):
            if not (stays and too):
                pairs.append((p**power * q**power / (p**power + q**power) * ((a - b) ** 2).sum(), i, j))
        _, i, j = min(pairs)
        (a, p, stays), (b, q, _) = clusters[i], clusters[j]
        clusters[i] = (a if stays else (a * p + b * q) / (p + q), p + q, stays)
        del clusters[j]
    return np.array([centre for centre, _, _ in clusters])


@given(ours.seeds, st.integers(2, 8), st.integers(0, 4))
def test_clusters_merge_cheapest_first_and_those_held_stay(seed: int, count: int, fixed: int) -> None:
    random = np.random.default_rng(seed)
    centres, shares = random.normal(0, 0.2, (14, 3)), random.dirichlet(np.ones(14))
    plain = plainly_merged(centres, shares, 0.45, count, fixed)
    made = centres.copy()
    left = merged(made, shares.copy(), 0.45, count, fixed)
    assert np.allclose(made[left], plain, atol=1e-9)
    assert np.array_equal(made[:fixed], centres[:fixed])


def test_scaling_ends_at_the_margins_of_a_matrix_that_is_not_square() -> None:
    rows, columns = np.array([0.2, 0.5, 0.3]), np.array([0.6, 0.1, 0.1, 0.2])
    start = np.random.default_rng(2).uniform(0.2, 1, (3, 4))
    made = start.copy()
    scaled(made, rows, columns, 60)
    assert np.allclose(made.sum(axis=1), rows, atol=1e-12) and np.allclose(made.sum(axis=0), columns, atol=1e-9)
    # Rows and columns are weighed and nothing else: cross ratios stay as they were.
    assert np.allclose(
        made[0, 0] * made[2, 3] / (made[0, 3] * made[2, 0]), start[0, 0] * start[2, 3] / (start[0, 3] * start[2, 0])
    )


@given(ours.seeds)
def test_the_least_of_a_quadratic_function_within_bounds_cannot_be_bettered_within_them(seed: int) -> None:
    random, count, rho = np.random.default_rng(seed), 9, 0.5
    root = random.normal(0, 1, (count, count))
    matrix, wanted = root @ root.T + np.eye(count), random.normal(0, 3, count)
    low, high, values = np.full(count, -0.2), random.uniform(0, 0.5, count), np.zeros(count)
    inverse = np.linalg.inv(matrix + rho * np.eye(count))
    bounded(rho * inverse, inverse @ wanted, low, high, values, 5000)
    uphill = matrix @ values - wanted
    assert (values >= low).all() and (values <= high).all()
    assert (np.abs(uphill[(values > low) & (values < high)]) < 1e-6).all()
    assert (uphill[values == low] > -1e-6).all() and (uphill[values == high] < 1e-6).all()


@given(ours.seeds, st.integers(1, 9), st.integers(8, 40), st.integers(8, 40))
def test_lines_of_the_guided_filter_are_as_in_its_plain_form(seed: int, radius: int, rows: int, columns: int) -> None:
    random = np.random.default_rng(seed)
    guide, *values = random.random((3, rows, columns), dtype=np.float32)
    reach = min(radius, rows - 1, columns - 1)  # the plain form reflects no farther than that
    both, own = np.empty((4, rows, columns), np.float32), np.empty((2, rows, columns), np.float32)
    guided_lines(guide, np.stack(values), reach, 0.01, both)
    guided_lines(guide, np.empty((0, rows, columns), np.float32), reach, 0.01, own)
    for lines, of in ((both[:2], values[0]), (both[2:], values[1]), (own, guide)):
        assert np.allclose(np.moveaxis(lines, 0, 2), guided(guide, of, reach, 0.01), atol=1e-4)


@given(ours.seeds, st.booleans())
def test_a_small_map_is_enlarged_without_bending_what_is_straight(seed: int, cubic: bool) -> None:
    """Also where only a part of the frame is asked for, and where that has fewer pixels than the map."""
    random = np.random.default_rng(seed)
    rows, columns = random.integers(6, 30, 2)
    frame = int(random.integers(20, 200)), int(random.integers(20, 200))
    slope_x, slope_y = random.normal(0, 1, 2)
    small = slope_x * (np.arange(columns) + 0.5) / columns + slope_y * (np.arange(rows) + 0.5)[:, None] / rows
    left, top = frame[0] // 3, frame[1] // 3
    part = Part(left, top, frame[0] // 4, frame[1] // 4, frame)
    found = Enlarged(small[None].astype(np.float32), part, cubic).rows(2, part.height - 2)[0]
    x, y = np.arange(left, left + part.width) + 0.5, np.arange(top + 2, top + part.height) + 0.5
    assert np.allclose(found, slope_x * x / frame[0] + slope_y * y[:, None] / frame[1], atol=1e-4)


@given(ours.seeds, st.integers(2, 6))
def test_cells_have_the_mean_of_their_pixels_and_lie_where_the_frame_has_them(seed: int, cell: int) -> None:
    random = np.random.default_rng(seed)
    frame = random.random((cell * 7, cell * 9, 3), dtype=np.float32)
    plain = frame.reshape(7, cell, 9, cell, 3).mean(axis=(1, 3))
    left, top = (int(v) for v in random.integers(0, 3 * cell, 2))
    small, into = in_cells(frame[top:, left:], cell, (left, top))
    assert into == (left % cell, top % cell)
    first = -(-top // cell), -(-left // cell)
    inner = small[first[0] - top // cell :, first[1] - left // cell :]
    assert np.allclose(inner, plain[first[0] :, first[1] :], atol=1e-5)
    narrow, _ = in_cells(frame[:1, :1], cell, (1, 1))
    assert np.allclose(narrow, frame[0, 0])
