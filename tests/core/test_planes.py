"""Tables and finishes on planes in compiled form: held against a general package and against numpy, however cut."""

from collections.abc import Callable
from typing import Any

import numpy as np
import PyOpenColorIO as ocio
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nuvett.core import lanes
from nuvett.core.drawing import lattice
from nuvett.core.drawing.renderer import Renderer, lay_rounded
from nuvett.core.guided import LUMINANCE
from nuvett.core.table.table import ShapedTable, grid
from nuvett.core.types import Floats
from tests import strategies as ours
from tests.core.by_numpy import between, stepped

SHAPER = np.linspace(0, 1, 513, dtype=np.float32) ** np.float32(1.4)


def a_table(seed: int, side: int) -> Floats:
    random = np.random.default_rng(seed)
    return np.clip(grid(side) + random.normal(0, 0.1, (side, side, side, 3)), 0, 1).astype(np.float32)


def by_package(table: Floats, shaper: Floats | None, encoded: np.ndarray) -> np.ndarray:
    transform = ocio.Lut3DTransform(len(table))
    transform.setData(table.reshape(-1))
    transform.setInterpolation(ocio.INTERP_TETRAHEDRAL)
    group = ocio.GroupTransform([transform])
    if shaper is not None:
        before = ocio.Lut1DTransform(len(shaper), False)
        before.setData(np.repeat(shaper, 3))
        group.prependTransform(before)
    made = np.ascontiguousarray(encoded, dtype=np.float32)
    ocio.Config.CreateRaw().getProcessor(group).getDefaultCPUProcessor().applyRGB(made)
    return made


@given(ours.seeds, st.sampled_from([2, 17, 33]), st.booleans(), st.sampled_from([np.uint8, np.uint16, np.float32]))
def test_pixels_of_any_kind_go_through_a_table_as_by_a_general_package(
    seed: int, side: int, shaped: bool, kind: Any
) -> None:
    random, table = np.random.default_rng(seed), a_table(seed, side)
    renderer = Renderer(ShapedTable(SHAPER, table) if shaped else table)
    most = 1.0 if kind == np.float32 else float(np.iinfo(kind).max)
    pixels = (random.uniform(-0.01 * (kind == np.float32), 1, (5, 77, 3)) * most).astype(kind)
    pixels[0, :5] = np.multiply([(0, 0, 0), (1, 1, 1), (1, 0, 0), (0.5, 0.5, 0.5), (0.5, 0.5, 1)], most).astype(kind)
    wanted = by_package(table, SHAPER if shaped else None, np.clip(pixels / most, 0, 1))
    planes = renderer.coloured(pixels)
    assert np.abs(np.moveaxis(planes, 0, 2) - wanted).max() < 2e-5
    assert np.abs(renderer.picture(pixels, 16) - wanted * 65535).max() < 2
    assert np.abs(renderer.picture(pixels) - wanted * 255).max() < 1.01
    again = by_package(table, SHAPER if shaped else None, np.moveaxis(planes, 0, 2))
    assert np.abs(np.moveaxis(renderer.coloured_planes(planes), 0, 2) - again).max() < 2e-5


@given(ours.seeds, st.sampled_from([np.uint8, np.uint16, np.float32]), st.sampled_from([8, 16]))
def test_a_part_is_what_the_whole_has_there(seed: int, kind: Any, depth: int) -> None:
    random, renderer = np.random.default_rng(seed), Renderer(ShapedTable(SHAPER, a_table(seed, 17)))
    most = 1.0 if kind == np.float32 else float(np.iinfo(kind).max)
    pixels = (random.uniform(0, 1, (70, 150, 3)) * most).astype(kind)
    (left, top), right = random.integers(0, 70, 2), random.integers(71, 151)
    where = (slice(top, 70), slice(left, right))
    whole = renderer.picture(pixels, depth)
    part, again = np.empty_like(whole[where]), np.empty_like(whole)
    renderer.lay(pixels[where], left, top, part)
    assert np.array_equal(part, whole[where])
    planes = renderer.coloured(pixels)
    assert np.array_equal(renderer.coloured(pixels[where]), planes[:, *where])
    lay_rounded(planes, 0, 0, again)
    assert np.array_equal(again, whole)
    lay_rounded(planes[:, *where], left, top, again[where])
    assert np.array_equal(again, whole)
    own = pixels.copy()
    if own.dtype == whole.dtype:
        renderer.lay(own, 0, 0, own)
        assert np.array_equal(own, whole), "in its own place"


def test_pixels_that_do_not_lie_side_by_side_are_refused() -> None:
    planes, codes = np.zeros((3, 4, 5), np.float32), np.zeros((4, 5, 3), np.uint8)
    noise = np.zeros((64, 64, 4), np.float32)
    for given_, out in ((planes[:, :3], codes), (planes[:, :, ::2], codes[:, :3]), (planes[:2], codes)):
        with pytest.raises(ValueError, match=r"side by side|needed|one size"):
            lattice.rounded(given_, noise, (0, 0), out)


def luminance(planes: np.ndarray) -> np.ndarray:
    return np.tensordot(LUMINANCE.astype(np.float64), planes, 1)


def shaded(planes: np.ndarray, beside: np.ndarray, how: np.ndarray) -> np.ndarray:
    x, y, (width, height) = np.abs(beside[0]), np.abs(beside[1]), how[:2]
    radius = np.hypot(x, y) / np.hypot(width, height) * 2
    cornered = (((2 * x / width) ** 4 + (2 * y / height) ** 4) / 2) ** 0.25
    far = radius + how[4] * (cornered - radius)
    factor = 2 ** (how[5] * stepped((far - how[2]) / how[3]))
    return planes * (factor + (1 - factor) * how[8] * between(luminance(planes), (how[6], how[7])))


def scaled_by_base(planes: np.ndarray, beside: np.ndarray, how: np.ndarray) -> np.ndarray:
    broad, light = np.clip(beside[0], 0, 1), np.maximum(luminance(planes), 0) + how[0]
    moved = np.interp(broad, np.linspace(0, 1, int(how[1])), how[2:])
    return (planes + how[0]) * np.maximum((light + moved - broad) / light, 0) - how[0]


def hazed(planes: np.ndarray, beside: np.ndarray, how: np.ndarray) -> np.ndarray:
    clear = np.clip(beside[0] * luminance(planes) + beside[1], 0, 1)
    lower = np.maximum(1 - how[1] * (1 - clear), how[2])
    return (planes - how[0]) * (1 + how[3] * (1 - how[4] * clear)) / lower + how[0]


def grained(planes: np.ndarray, beside: np.ndarray, how: np.ndarray) -> np.ndarray:
    light = np.clip(luminance(planes), 0, 1)
    weight = (1 - how[2]) * np.sqrt(4 * light * (1 - light)) + how[2] * (light > 0.002)
    return planes + how[0] * beside[0] * weight * (1 + how[1] * (2 * light - 1))


def detailed(planes: np.ndarray, beside: np.ndarray, how: np.ndarray) -> np.ndarray:
    detail = luminance(planes) * (1 - beside[0]) - beside[1]
    return planes + how[0] * detail * 2 ** (how[1] * detail**2)


Plain = Callable[[np.ndarray, np.ndarray, np.ndarray], np.ndarray]
FINISHES: dict[str, tuple[int, tuple[float, ...], Plain]] = {
    "detailed": (2, (0.8, -9.0), detailed),
    "screened": (3, (0.2, 0.5, 0.7), lambda p, b, h: 1 - (1 - p) * (1 - h[:, None, None] * np.clip(b, 0, 1))),
    "mixed": (3, (0.35,), lambda p, b, h: p + h[0] * (b - p)),
    "grained": (1, (0.1, -0.4, 0.15), grained),
    "sharpened": (2, (1.3,), lambda p, b, h: p + h[0] * (luminance(p) - b[0]) * b[1]),
    "hazed": (2, (0.8, 0.5, 0.35, 0.0, 0.6), hazed),
    "veiled": (2, (0.8, 0.0, 0.35, -0.4, 0.6), hazed),
    "scaled_by_base": (1, (0.04, 5, 0, 0.4, 0.55, 0.7, 1), scaled_by_base),
    "shaded": (2, (3.0, 2.0, 0.3, 0.6, 0.4, -0.5, 0.6, 0.95, 0.7), shaded),
}


@given(ours.seeds, st.sampled_from(sorted(FINISHES)), st.sampled_from([1, 255, 256, 700]))
def test_finishes_are_what_numpy_makes_of_them_however_rows_are_cut(seed: int, name: str, width: int) -> None:
    random, (others, numbers, plain) = np.random.default_rng(seed), FINISHES[name]
    planes = random.uniform(-0.05, 1.05, (3, 3, width)).astype(np.float32)
    planes[:, 0, 0], how = 0, np.array(numbers, dtype=np.float32)
    beside = random.uniform(-0.1, 1.2, (others, 3, width)).astype(np.float32)
    change = getattr(lanes, "hazed" if name == "veiled" else name)
    made, part = planes.copy(), np.ascontiguousarray(planes[:, 1:, width // 3 :])
    change(made, *beside, how)
    change(part, *(np.ascontiguousarray(other[1:, width // 3 :]) for other in beside), how)
    assert np.abs(made - plain(planes.astype(float), beside.astype(float), how.astype(float))).max() < 5e-6
    assert np.array_equal(part, made[:, 1:, width // 3 :])
