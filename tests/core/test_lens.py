"""What a lens did to a picture, undone in the one resampling: straight lines, even light, the same in every part."""

import cv2
import numpy as np
import pytest

from nuvett.core.drawing.drawing import Drawing, compile_stages
from nuvett.core.drawing.lens_light import brightened
from nuvett.core.geometry.geometry import Geometry
from nuvett.core.geometry.lens import LensCorrection, filling
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.spaces.rgb import Space, from_linear, to_linear
from nuvett.core.types import Linear

SIZE = (450, 300)
LENS = LensCorrection(
    name="Made-up", model="ptlens", terms=(0.02, -0.08, 0.01), red=(1.002, 0, 0), dark=(-0.6, 0.3, -0.1), dark_unit=1.8
)


def scene() -> np.ndarray:
    """Even grey with a grid of soft dark lines, (h, w, 3) linear."""
    x, y = np.meshgrid((np.arange(450) + 0.5) / 450, (np.arange(300) + 0.5) / 300)
    lines = np.maximum(np.cos(x * 30 * np.pi) ** 16, np.cos(y * 20 * np.pi) ** 16)
    return np.repeat((0.35 - 0.25 * lines)[..., None], 3, axis=2).astype(np.float32)


def shot(lens: LensCorrection, domain: Space = Space.SRGB) -> np.ndarray:
    """What a lens makes of the scene: 16-bit encoded pixels."""
    x, y = np.meshgrid((np.arange(450) + 0.5) / 450, (np.arange(300) + 0.5) / 300)
    planes = []
    for index, terms in enumerate((lens.red, (1.0, 0.0, 0.0), lens.blue)):
        across, down = x, y
        for _ in range(8):  # where in the picture a place of this channel's file comes from
            there = lens.in_file(across, down, SIZE, ("red", "green", "blue")[index])  # type: ignore[arg-type]
            across, down = across + (x - there[0]), down + (y - there[1])
        grid = [np.asarray(v * side - 0.5, np.float32) for v, side in ((across, 450), (down, 300))]
        planes.append(cv2.remap(scene()[..., index], *grid, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT))
        assert terms
    light = np.stack(planes, axis=2) / lens.light(x, y, SIZE)[..., None]
    return np.rint(np.clip(from_linear(Linear(light.astype(np.float32)), domain), 0, 1) * 65535).astype(np.uint16)


def drawn(pixels: np.ndarray, plan: FramePlan, domain: Space = Space.SRGB) -> np.ndarray:
    drawing = Drawing(compile_stages(plan, domain), plan.placed(SIZE).size, source=SIZE, original=SIZE)
    return drawing.picture(pixels, 16)


@pytest.mark.parametrize("domain", [Space.SRGB, Space.WIDE, Space.SCENE])
def test_lines_become_straight_corners_light_and_fringes_go(domain: Space) -> None:
    lens = filling(LENS, SIZE)
    pixels = shot(lens, domain)
    wanted = np.rint(from_linear(Linear(scene())) * 65535)
    inside = (slice(6, -6), slice(6, -6))
    off = [np.abs(made.astype(float) - wanted)[inside].mean() / 65535 for made in (
        drawn(pixels, FramePlan(), domain), drawn(pixels, FramePlan(lens=lens), domain)
    )]  # fmt: skip
    assert off[0] > 0.03 and off[1] < 0.1 * off[0]
    for half in (
        lens.model_copy(update={"dark": tuple(t / 2 for t in lens.dark)}),
        lens.model_copy(update={"red": LENS.blue}),
    ):
        less = np.abs(drawn(pixels, FramePlan(lens=half), domain).astype(float) - wanted)[inside].mean() / 65535
        assert off[1] * 1.2 < less < off[0]


def test_every_part_is_the_picture_s_whatever_the_part_and_with_a_cut_and_a_turn() -> None:
    lens, pixels = filling(LENS, SIZE), shot(LENS)
    geometry = Geometry(straighten=3, quarter=1, cut=(0.1, 0.2, 0.7, 0.6))
    for plan in (FramePlan(lens=lens), FramePlan(lens=lens, geometry=geometry)):
        size = plan.placed(SIZE).size
        drawing = Drawing(compile_stages(plan), size, source=SIZE, original=SIZE)
        whole = drawing.picture(pixels)
        assert np.array_equal(whole, drawing.picture(pixels, threads=2, rows=37))
        for box in ((0, 0, 40, 30), (size[0] - 61, size[1] - 50, 61, 50), (70, 41, 90, 80)):
            left, top, across, down = drawing.around(box)
            part = drawing.part(pixels[top : top + down, left : left + across], box)
            assert np.array_equal(part, whole[box[1] : box[1] + box[3], box[0] : box[0] + box[2]])


def test_what_is_seen_and_where_it_comes_from_are_each_other_s_inverse() -> None:
    placing = FramePlan(lens=filling(LENS, SIZE), geometry=Geometry(straighten=-4, mirrored=True)).placed(SIZE)
    x, y = np.meshgrid(np.linspace(0.05, 0.95, 9), np.linspace(0.05, 0.95, 9))
    back = placing.seen(*placing.original(x, y))
    assert not placing.is_plain and np.abs(np.stack(back) - [x, y]).max() < 1e-4


@pytest.mark.parametrize("domain", [Space.SRGB, Space.WIDE, Space.SCENE])
@pytest.mark.parametrize("factor", [1.05, 1.8])
def test_light_given_back_is_a_factor_on_linear_light(domain: Space, factor: float) -> None:
    most = 4.0 if domain is Space.SCENE else 1 / factor
    light = np.geomspace(2e-4, most, 400, dtype=np.float32).repeat(3).reshape(1, 400, 3)
    encoded = from_linear(Linear(light), domain)
    made = to_linear(brightened(encoded, np.full((1, 400), factor, np.float32), domain), domain)
    assert np.allclose(from_linear(made), from_linear(Linear(light * factor)), atol=2e-3)
