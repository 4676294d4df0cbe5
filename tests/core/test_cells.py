"""Colours gathered about fixed places: nearly alike from nearly the same, and as a person edited them."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nuvett.core.fit.moves import apply_moves, fit_moves
from nuvett.core.reading.cells import CLUSTERS, faded, find_cells
from nuvett.core.reading.palette import FINE, Edits, Held, Palette, find_palette
from nuvett.core.types import OKLab
from tests import strategies as ours

RED, BLUE, GREY = (0.55, 0.16, 0.08), (0.5, -0.02, -0.14), (0.7, 0.0, 0.0)


def cloud(seed: int, *colours: tuple[float, float, float], each: int = 400) -> OKLab:
    random = np.random.default_rng(seed)
    return OKLab(np.concatenate([random.normal(colour, 0.02, (each, 3)) for colour in colours]).astype(np.float32))


def share_near(palette: Palette, colour: tuple[float, float, float]) -> float:
    return sum(c.share for c in palette if np.linalg.norm(np.subtract((c.lightness, c.a, c.b), colour)) < 0.09)


@given(ours.seeds, st.floats(-0.1, 0.1), st.sampled_from([1, 40, 900]))
def test_what_is_gathered_has_the_mean_and_all_of_the_cloud(seed: int, off: float, count: int) -> None:
    random = np.random.default_rng(seed)
    lab = OKLab(random.normal((0.5 + off, off, off), 0.02, (count, 3)).astype(np.float32))
    found = find_cells(lab)
    assert sum(c.share for c in found) == pytest.approx(1)
    assert [c.lightness for c in found] == sorted(c.lightness for c in found)
    mean = np.sum([np.multiply((c.lightness, c.a, c.b), c.share) for c in found], axis=0)
    assert mean == pytest.approx(lab.mean(axis=0), abs=0.008)


@given(ours.seeds)
def test_a_little_noise_changes_moves_by_little(seed: int) -> None:
    """By seeds and clusters the same noise moves colours apart by 0.03 and more."""
    lab, target = cloud(seed, RED, BLUE, GREY, (0.3, 0.02, 0.05)), find_cells(cloud(seed + 1, BLUE, GREY, RED))
    noise = np.random.default_rng(seed + 2).normal(0, 0.002, lab.shape).astype(np.float32)
    one, other = (apply_moves(lab, fit_moves(own, target, 0.09)) for own in (lab, OKLab(lab + noise)))
    assert np.abs(one - lab).max() > 0.02
    assert np.linalg.norm(one - other, axis=1).max() < 0.008


def test_what_hardly_is_a_place_hardly_counts() -> None:
    shares = np.array([0.004, 0.008, 0.01, 0.014, 0.02, 0.5])
    found = faded(shares)
    assert (np.diff(found[1:]) >= 0).all() and found[1] < 1e-5 and found[3] == pytest.approx(0.5) and found[4] == 1
    (one,) = {m.weight for m in fit_moves(cloud(1, RED, each=900), find_cells(cloud(2, BLUE)), 0.09) if not m.share}
    assert one == 1, "what stays at white counts whole"


def test_dropped_colours_are_left_out_and_held_ones_stand_where_they_are_put() -> None:
    lab = cloud(3, RED, BLUE, GREY)
    edits = Edits(held=(Held(colour=(0.6, 0.1, 0.12), stands_for=RED),), dropped=(BLUE,))
    found, shown = find_cells(lab, edits), find_palette(lab, CLUSTERS, FINE, edits)
    (held,) = [c for c in found if c.held]
    assert (held.lightness, held.a, held.b) == (0.6, 0.1, 0.12)
    assert held.share == pytest.approx(next(c.share for c in shown if c.held), abs=0.03)
    assert share_near(found, BLUE) < 0.85 * share_near(find_cells(lab), BLUE)
    assert share_near(found, GREY) > 1.1 * share_near(find_cells(lab), GREY)
    assert sum(c.share for c in found) == pytest.approx(1)


def test_noise_all_over_and_one_colour_are_gathered_too() -> None:
    random = np.random.default_rng(4)
    everywhere = OKLab(random.uniform((-0.3, -0.6, -0.6), (1.5, 0.6, 0.6), (3000, 3)).astype(np.float32))
    for lab in (everywhere, OKLab(np.full((900, 3), 0.25, dtype=np.float32))):
        found = find_cells(lab)
        assert found and np.isfinite([c.share for c in found]).all()
        assert np.isfinite(apply_moves(lab, fit_moves(lab, found, 0.09))).all()
        all_dropped = find_cells(lab[:1], Edits(dropped=(tuple(lab[0].tolist()),)))
        assert sum(c.share for c in all_dropped) == pytest.approx(1), "not all of a target can be left out"


@pytest.mark.parametrize("axis", [1, 2])
def test_the_most_vivid_colours_have_places_of_their_own(axis: int) -> None:
    for outer, inner in ((-0.5, -0.32), (0.5, 0.32)):
        vivid = [tuple(np.roll((off, 0.0), axis - 1)) for off in (outer, inner)]
        found = find_cells(cloud(6, *((0.5, a, b) for a, b in vivid)))
        assert [share_near(found, (0.5, a, b)) for a, b in vivid] == pytest.approx([0.5, 0.5], abs=0.1)
