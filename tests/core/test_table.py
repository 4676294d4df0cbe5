"""Tables and the renderer: exactness, formats, and the same pixels however the picture is cut."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nuvett.core.drawing.renderer import Renderer
from nuvett.core.errors import TableError
from nuvett.core.even.even_light import EvenLight
from nuvett.core.look.look import Look, parse_look
from nuvett.core.measure.sampling import stratified_sample
from nuvett.core.measure.statistics import measure
from nuvett.core.plan.compile import compile_plan, compile_shaped, direct
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.planning import aim_of_statistics, even_only, plan_frame
from nuvett.core.spaces.cielab import difference
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import Space, to_linear
from nuvett.core.steps.moves import MoveStep
from nuvett.core.steps.tone import ToneStep
from nuvett.core.steps.zones import ZoneStep
from nuvett.core.table.cube import read_cube, write_cube
from nuvett.core.table.table import ShapedTable, grid, weaken
from nuvett.core.types import Floats


@pytest.fixture(scope="module")
def plan(photo: np.ndarray, still: np.ndarray) -> FramePlan:
    own, target = (
        measure(linear_to_oklab(stratified_sample(to_linear((p / 255).astype(np.float32))))) for p in (photo, still)
    )
    look = parse_look('{"schema_version": 2}')
    return plan_frame(own, aim_of_statistics(target), look, EvenLight(gains=(1.1, 1.0, 0.9), camera=0.6))


def test_a_table_of_the_identity_changes_nothing(photo: np.ndarray) -> None:
    table = compile_plan(even_only(np.ones(3, np.float32)))
    assert np.array_equal(Renderer(table).picture(photo), photo)
    deep = photo.astype(np.uint16) * 257
    assert np.abs(Renderer(table).picture(deep, 16).astype(int) - deep).max() <= 4


def errors_of(plan: FramePlan, table: Floats | ShapedTable, photo: np.ndarray) -> np.ndarray:
    """CIEDE2000 of a table against the direct computation, on every pixel of a photo."""
    exact = to_linear(direct(plan, photo.reshape(-1, 3).astype(np.float32) / 255))
    by_table = Renderer(table).picture(photo, 16).reshape(-1, 3) / np.float32(65535)
    return difference(to_linear(by_table), exact)


def test_the_table_agrees_with_the_direct_computation(plan: FramePlan, photo: np.ndarray) -> None:
    even, shaped = (errors_of(plan, compiled(plan), photo) for compiled in (compile_plan, compile_shaped))
    assert even.mean() < 0.1 and np.quantile(even, 0.99) < 0.5
    assert shaped.mean() < 0.15 and np.quantile(shaped, 0.999) < 1


def test_a_shaper_saves_the_tails_of_a_tone_at_full_strength(photo: np.ndarray, still: np.ndarray) -> None:
    own, target = (
        measure(linear_to_oklab(stratified_sample(to_linear((p / 255).astype(np.float32))))) for p in (photo, still)
    )
    full = Look(tone=ToneStep(amount=100, steepest=2.6), zones=ZoneStep(on=False), moves=MoveStep(on=False))
    plan = plan_frame(own, aim_of_statistics(target), full)
    even, shaped = (errors_of(plan, compiled(plan, 17), photo) for compiled in (compile_plan, compile_shaped))
    assert np.quantile(shaped, 0.999) < 0.95 * np.quantile(even, 0.999)


def test_a_shaper_rises_and_is_even_where_nothing_bends(plan: FramePlan) -> None:
    straight = compile_shaped(even_only(np.ones(3, np.float32)))
    assert np.allclose(straight.shaper, np.linspace(0, 1, 513), atol=1e-7)
    bent = compile_shaped(plan).shaper
    assert (np.diff(bent) > 0).all() and bent[0] == 0 and bent[-1] == 1
    assert np.abs(bent - np.linspace(0, 1, 513)).max() > 0.03


@settings(max_examples=12)
@given(rows=st.integers(1, 300), threads=st.integers(1, 3), depth=st.sampled_from([8, 16]))
def test_strips_and_threads_make_no_difference(
    plan: FramePlan, photo: np.ndarray, rows: int, threads: int, depth: int
) -> None:
    renderer = Renderer(compile_plan(plan, 17))
    whole = renderer.picture(photo, depth)
    assert np.array_equal(renderer.picture(photo, depth, threads=threads, rows=rows), whole)


def test_dither_leaves_no_bands_on_a_smooth_ramp(plan: FramePlan) -> None:
    ramp = np.repeat(np.linspace(0.3, 0.4, 1024, dtype=np.float32)[None, :, None], 64, axis=0).repeat(3, axis=2)
    renderer = Renderer(compile_shaped(plan))
    fine = renderer.picture(ramp, 16).astype(np.float64) / 257
    coarse = renderer.picture(ramp, 8).astype(np.float64)
    assert np.abs((coarse - fine).mean(axis=0)).max() < 0.25  # columns average to the true value
    assert np.abs(coarse - fine).max() <= 1.0


@pytest.mark.parametrize("space", [Space.SRGB, Space.P3, Space.ADOBE_RGB, Space.PROPHOTO])
def test_wide_pictures_come_out_alike_in_every_delivery_space(plan: FramePlan, space: Space, photo: np.ndarray) -> None:
    encoded = (photo.reshape(-1, 3)[::50] / 255).astype(np.float32) * 0.5 + 0.25
    there = direct(plan, encoded, space=space)
    reference = direct(plan, encoded)
    assert difference(to_linear(there, space), to_linear(reference)).mean() < 0.6


@pytest.mark.parametrize("size", [2, 17, 33])
def test_cube_files_come_back_as_they_were_written(size: int) -> None:
    table = np.random.default_rng(size).uniform(0, 1, (size, size, size, 3)).astype(np.float32)
    assert np.allclose(read_cube(write_cube(table, 'a "name"\nLUT_3D_SIZE 4')), table, atol=1e-6)


def test_a_cube_over_another_domain_is_sampled_to_ours() -> None:
    axis = grid(9)
    text = write_cube(axis * 2, "t").replace("LUT_3D_SIZE 9", "LUT_3D_SIZE 9\nDOMAIN_MIN 0 0 0\nDOMAIN_MAX 2 2 2")
    assert np.allclose(read_cube(text), axis, atol=1e-5)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "size"),
        ("LUT_3D_SIZE 2\n0 0 0\n", "8 lines"),
        ("LUT_3D_SIZE 2\n" + "0 0 nan\n" * 8, "not numbers"),
        ("LUT_3D_SIZE 2\n" + "0 0\n" * 8, "three numbers"),
        ("LUT_3D_SIZE 2\n" + "0 0 x\n" * 8, "three numbers"),
        ("LUT_3D_SIZE 100000\n", "2 to 129"),
        ("LUT_1D_SIZE 2\n0 0 0\n", "2 lines"),
        ("LUT_1D_SIZE 2\nLUT_3D_SIZE 2\n" + "0 0 0\n" * 8, "one-dimensional and"),
        ("LUT_1D_SIZE 99999999\n", "2 to 65536"),
        ("LUT_3D_SIZE 2\nDOMAIN_MAX 0 0 0\n" + "0 0 0\n" * 8, "domain"),
        ("GAIN 3\n", "no meaning"),
    ],
)
def test_bad_cube_files_are_refused_in_words(text: str, words: str) -> None:
    with pytest.raises(TableError, match=words):
        read_cube(text)


def test_a_table_at_no_strength_is_the_identity(plan: FramePlan) -> None:
    table = compile_plan(plan, 9)
    assert np.allclose(weaken(table, 0), grid(9)) and np.allclose(weaken(table, 1), table)
