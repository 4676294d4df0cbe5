"""What a lens did to a picture, undone in the one resampling: straight lines, even light, the same in every part."""

from dataclasses import replace
from typing import Any

import cv2
import numpy as np
import pytest

from nuvett.core.drawing.drawing import Drawing, compile_stages
from nuvett.core.drawing.resampling import Resampling
from nuvett.core.geometry.fringes import find_fringes
from nuvett.core.geometry.geometry import Geometry
from nuvett.core.geometry.lens import LensCorrection, filling
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.spaces.rgb import Space, from_linear, to_linear
from nuvett.core.types import Encoded01, Linear
from tests.conftest import DEMO, load_rgb
from tests.fringed import fringed

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


@pytest.mark.parametrize(
    ("does", "bends"),
    [
        ({"model": "poly3"}, True),
        ({"red": (1.001, 0, 0)}, True),
        ({"blue": (1, 0, 0.001)}, True),
        ({"dark": (-1, 0, 0)}, False),
    ],
)
def test_a_lens_bends_by_its_distortion_or_by_either_fringe(does: dict[str, Any], bends: bool) -> None:
    lens = LensCorrection(name="Made-up", **does)
    assert lens.bends == bends and lens.parts_colours == (bends and "model" not in does)
    assert lens.darkens == (not bends)


@pytest.mark.parametrize("model", ["poly3", "poly5", "ptlens"])
def test_a_model_s_places_lead_back_whatever_its_unit_and_scale(model: Any) -> None:
    lens = LensCorrection(name="Made-up", model=model, terms=(0.02, -0.03, 0.01), unit=1.3, scale=1.06)
    x, y = np.meshgrid(np.linspace(0.05, 0.95, 9), np.linspace(0.05, 0.95, 9))
    assert np.abs(np.stack(lens.in_picture(*lens.in_file(x, y, SIZE), SIZE)) - [x, y]).max() < 1e-6
    if model == "poly5":
        r2 = (0.4 / 1.06 * 3 / 1.3) ** 2  # of a place at 0.9 across, in half short sides by the unit
        wanted = 0.5 + 0.4 / 1.06 * (1 + 0.02 * r2 - 0.03 * r2 * r2)
        assert lens.in_file(np.array(0.9), np.array(0.5), SIZE)[0] == pytest.approx(wanted, abs=1e-9)


def test_shifts_at_a_few_places_say_where_all_of_them_lie() -> None:
    lens = filling(LENS, SIZE)
    at = np.stack(np.meshgrid(np.linspace(0, 1, 41), np.linspace(0, 1, 31))).reshape(2, -1)
    places = (at * 16).astype(np.float32)
    there, back = (
        np.stack([cv2.remap(shifts[..., i], *places, cv2.INTER_LINEAR)[:, 0] for i in (0, 1)])
        for shifts in lens.shifts(SIZE, 17)
    )
    assert np.abs(there + at - lens.in_picture(*at, SIZE)).max() < 1e-3
    assert np.abs(back + at - lens.in_file(*at, SIZE)).max() < 1e-3 < np.abs(back).max() / 10


@pytest.mark.parametrize("domain", [Space.SRGB, Space.WIDE, Space.SCENE])
@pytest.mark.parametrize("share", [0.5, 1.0])
def test_light_given_back_is_a_factor_on_linear_light(domain: Space, share: float) -> None:
    lens = LensCorrection(name="Dark", dark=(-0.5 * share, 0, 0), dark_unit=1.8)
    x, y = np.meshgrid((np.arange(450) + 0.5) / 450, (np.arange(300) + 0.5) / 300)
    factor = lens.light(x, y, SIZE)[..., None]
    most = 4.0 if domain is Space.SCENE else 1 / float(factor.max())
    light = np.repeat(np.geomspace(2e-4, most, 450)[None, :, None], 300, axis=0).repeat(3, axis=2).astype(np.float32)
    resampling = Resampling(FramePlan(lens=lens).placed(SIZE), SIZE, SIZE)
    made = resampling.drawn(from_linear(Linear(light), domain), (0, 0), (0, 0, *SIZE), domain)
    assert np.allclose(made, np.minimum(from_linear(Linear(light * factor), domain), 1), atol=2e-3)


TURNS = (
    Geometry(straighten=2),
    Geometry(straighten=-4.5, vertical=8),
    Geometry(straighten=14),
    Geometry(quarter=1, cut=(0.1, 0.1, 0.5, 0.5)),
    Geometry(quarter=3, mirrored=True, straighten=1),
    Geometry(quarter=2),
    Geometry(mirrored=True),
)


@pytest.mark.parametrize("lens", [None, LENS])
@pytest.mark.parametrize("geometry", TURNS)
@pytest.mark.parametrize("whole", [(1200, 800), (300, 200)])
def test_pixels_are_those_of_the_cubic_kernel_at_their_places(
    lens: LensCorrection | None, geometry: Geometry, whole: tuple[int, int]
) -> None:
    pixels = cv2.GaussianBlur(np.random.default_rng(4).integers(0, 256, (*whole[::-1], 3), np.uint8), (0, 0), 1.5)
    plan = FramePlan(geometry=geometry, lens=lens and filling(lens, whole))
    placing = plan.placed(whole)
    resampling = Resampling(placing, placing.size, whole)
    found = resampling.drawn(pixels, (0, 0), (0, 0, *placing.size))
    x, y = ((np.arange(side) + 0.5) / side for side in placing.size)
    straight = replace(placing, lens=None).original(x[None], y[:, None])
    for index, channel in enumerate(("red", "green", "blue")):
        places = straight if plan.lens is None else plan.lens.in_file(*straight, whole, channel)  # type: ignore[arg-type]
        grid = [np.asarray(p * side - 0.5, np.float32) for p, side in zip(places, whole, strict=True)]
        plane = pixels[..., index].astype(np.float32) / 255
        known = cv2.remap(plane, *grid, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
        if plan.lens is not None:
            known = linear_light(known, plan.lens.light(*placing.original(x[None], y[:, None]), whole))
        off = np.abs(found[..., index] - np.clip(known, 0, 1))
        # The library looks places up to a 32nd of a pixel.
        assert off.mean() < 1e-3 and off.max() < 1.5e-2


def linear_light(encoded: np.ndarray, factor: np.ndarray) -> np.ndarray:
    """Encoded values (h, w) under factors on their linear light."""
    light = to_linear(Encoded01(np.repeat(np.clip(encoded, 0, 1)[..., None], 3, axis=2))) * factor[..., None]
    return from_linear(Linear(light.astype(np.float32)))[..., 0]


@pytest.mark.slow
@pytest.mark.parametrize("name", ["stills/still_2_pale_pastel", "frames/AT-0106", "frames/AT-0125"])
@pytest.mark.parametrize("share", [1.0, 0.5, -1.0])
def test_fringes_are_found_in_the_frame_itself_and_none_where_there_are_none(name: str, share: float) -> None:
    picture = load_rgb(DEMO / f"{name}.jpg")
    assert find_fringes(Encoded01((picture / 255).astype(np.float32))) is None
    made = fringed(picture, (0.0012 * share, 0.0003 * share), (-0.0008 * share, -0.0004 * share))
    found = find_fringes(Encoded01((made / 255).astype(np.float32)))
    assert found is not None and not found.darkens and found.model == "none"
    corner = (max(made.shape) / min(made.shape[:2])) ** 2 + 1
    for (v, _, b), put in ((found.red, (0.0012, 0.0003)), (found.blue, (-0.0008, -0.0004))):
        assert v - 1 + b * corner == pytest.approx(share * (put[0] + put[1] * corner), rel=0.2)


def test_a_picture_without_detail_or_of_noise_shows_no_fringes() -> None:
    noise = np.random.default_rng(3).random((400, 600, 3), dtype=np.float32)
    for picture in (np.zeros_like(noise), np.full_like(noise, 0.5), noise, noise[:30, :30]):
        assert find_fringes(Encoded01(picture)) is None
