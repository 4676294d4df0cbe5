"""Soft colour is kept whole: fine differences stay the frame's own where it is soft, and nothing else changes."""

import cv2
import numpy as np
import pytest

from nuvett.core.area.area import Area
from nuvett.core.area.tone import TonePart
from nuvett.core.drawing import lattice
from nuvett.core.drawing.drawing import Drawing, compile_stages
from nuvett.core.drawing.weighing import scene_of, weigh_layers
from nuvett.core.plan.by_hand import SaturateOperation
from nuvett.core.plan.finish import (
    FinishOperation,
    GrainOperation,
    NoiseOperation,
    SharpenOperation,
    SoftColourOperation,
)
from nuvett.core.plan.frame_plan import FramePlan, Group, Layer
from nuvett.core.plan.operation import Operation
from nuvett.core.spaces.rgb import Space
from nuvett.core.spatial.enlarging import Part
from nuvett.core.spatial.soft_colour import MIN_SCALE, Torn

RICHER = SaturateOperation(saturation=1.0)
WEIGHTS = np.array([0.2126, 0.7152, 0.0722])


def plan(amount: float = 1, *finish: FinishOperation, colours: tuple[Operation, ...] = (RICHER,)) -> FramePlan:
    kept = (SoftColourOperation(amount=amount),) if amount else ()
    return FramePlan(groups=(Group(name="look", operations=(*colours, *kept, *finish)),), seed=3)


def drawn(of: FramePlan, pixels: np.ndarray, depth: int = 8, **spaces: Space) -> np.ndarray:
    return Drawing(compile_stages(of, **spaces), (pixels.shape[1], pixels.shape[0]), pixels).picture(pixels, depth)


def opponents(pixels: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    encoded = pixels / np.float64(np.iinfo(pixels.dtype).max)
    light = encoded @ WEIGHTS
    return light, encoded[..., 0] - light, encoded[..., 2] - light


def noise_of(pixels: np.ndarray) -> float:
    """Deviation of colour about the mean of blocks of 8 pixels."""
    fine = [each - cv2.blur(each, (9, 9)) for each in opponents(pixels)[1:]]
    return float(np.sqrt(np.mean(np.square(fine))))


@pytest.fixture(scope="module")
def sky() -> np.ndarray:
    """A dull blue that becomes lighter downward, with noise of colour; the last rows are a texture of light."""
    random = np.random.default_rng(7)
    made = np.array([96.0, 118, 142]) + np.linspace(0, 40, 150)[:, None, None] + random.normal(0, 1.5, (150, 203, 3))
    made[110:] += 90 * (random.random((40, 203, 1)) > 0.5)
    return np.clip(np.rint(made), 0, 255).astype(np.uint8)


def test_noise_stays_the_frames_own_and_half_of_it_lies_between(sky: np.ndarray) -> None:
    soft = sky[:90]
    came, torn, half, whole = (noise_of(p[:80]) for p in (soft, *(drawn(plan(a), soft) for a in (0, 0.5, 1))))
    assert torn > 1.6 * came and whole < 1.15 * came
    assert whole + 0.35 * (torn - whole) < half < whole + 0.65 * (torn - whole)


def test_light_and_broad_colour_are_as_the_look_made_them(sky: np.ndarray) -> None:
    without, kept = (drawn(plan(amount), sky[:90]) for amount in (0, 1))
    (light, *colours), (own_light, *own_colours) = opponents(without), opponents(kept)
    assert np.abs(light - own_light).max() < 1.5 / 255
    for before, after in zip(colours, own_colours, strict=True):
        assert np.abs(cv2.blur(before, (33, 33)) - cv2.blur(after, (33, 33)))[20:-20, 20:-20].max() < 1 / 255
    assert opponents(sky[:90])[2].mean() < 0.8 * colours[1].mean(), "the look is seen"


def test_what_is_no_soft_place_is_left_as_the_look_made_it(sky: np.ndarray) -> None:
    apart = np.abs(drawn(plan(0), sky).astype(int) - drawn(plan(), sky))
    assert apart[:80].mean() > 0.7 and apart[130:].mean() < 0.05


@pytest.mark.parametrize("domain, space", [("SRGB", "SRGB"), ("SCENE", "SRGB"), ("SRGB", "P3"), ("SCENE", "P3")])
def test_a_frame_whose_colours_stay_gets_the_pixels_that_it_had(sky: np.ndarray, domain: str, space: str) -> None:
    spaces = {"domain": Space[domain], "space": Space[space]}
    kept, without = (drawn(plan(amount, colours=()), sky, **spaces) for amount in (1, 0))
    assert np.array_equal(kept, without)
    kept, without = (drawn(plan(amount), sky, **spaces) for amount in (1, 0))
    assert noise_of(kept[:80]) < 0.8 * noise_of(without[:80])


@pytest.mark.parametrize("scale", [1.0, 0.7])
@pytest.mark.parametrize("depth", [8, 16])
@pytest.mark.parametrize(
    "more", [(), (NoiseOperation(amount=0.5), SharpenOperation(amount=0.6), GrainOperation(amount=0.4))]
)
def test_every_part_has_the_pixels_of_the_whole(
    sky: np.ndarray, depth: int, more: tuple[FinishOperation, ...], scale: float
) -> None:
    pixels = np.tile(sky[:97], (5, 3, 1))
    pixels[200:260] = 128  # where nothing tears, right beside what does
    pixels = pixels if depth == 8 else pixels.astype(np.uint16) * 257
    size = (pixels.shape[1], pixels.shape[0])
    drawing = Drawing(compile_stages(plan(1, *more)), size, original=(round(size[0] / scale), round(size[1] / scale)))
    whole = drawing.picture(pixels, depth, rows=1000)
    assert np.array_equal(whole, drawing.picture(pixels, depth, threads=2, rows=37))
    for box in ((311, 203, 128, 101), (50, 208, 40, 3), (0, 0, 9, 7), (size[0] - 5, size[1] - 3, 5, 3)):
        left, top, width, height = drawing.around(box)
        part = drawing.part(pixels[top : top + height, left : left + width], box, depth)
        assert np.array_equal(part, whole[box[1] : box[1] + box[3], box[0] : box[0] + box[2]])


def test_noise_that_nobody_sees_is_left_as_the_look_made_it() -> None:
    fine = np.random.default_rng(5).normal(0, 30, (64, 80, 3)) + np.array([24000, 30000, 36000])
    pixels = fine.astype(np.uint16)
    assert np.array_equal(drawn(plan(), pixels, 16), drawn(plan(0), pixels, 16))
    assert noise_of(drawn(plan(0), pixels, 16)) > 1.5 * noise_of(pixels)


def test_a_picture_of_less_than_half_the_size_is_drawn_without(sky: np.ndarray) -> None:
    size = (sky.shape[1], sky.shape[0])
    for scale, is_kept in ((MIN_SCALE, True), (MIN_SCALE - 0.02, False)):
        drawing = Drawing(compile_stages(plan()), size, original=(round(size[0] / scale), round(size[1] / scale)))
        assert np.array_equal(drawing.picture(sky), drawn(plan(0), sky)) != is_kept
        assert drawing.by_strips != is_kept and (drawing.halo > 0) == is_kept


@pytest.mark.parametrize("height", [150, 99])
def test_it_does_what_plain_arithmetic_does(sky: np.ndarray, height: int) -> None:
    """Cells of 8 pixels, the middle row of each; 1, 2, 1 over cells, twice for colours; bilinear between centres."""
    sky = sky[:height]
    made = drawn(plan(0), sky, 16)

    def by_cells(values: np.ndarray) -> np.ndarray:
        rows = [values[y : y + 1] for y in range(4, len(values), 8)]
        rows += rows[-1:] if 0 < len(values) % 8 <= 4 else []
        return np.array([[r[:, x : x + 8].mean() for x in range(0, r.shape[1], 8)] for r in rows])

    def smoothed(values: np.ndarray) -> np.ndarray:
        return cv2.sepFilter2D(values, -1, *2 * [np.array([0.25, 0.5, 0.25])], borderType=cv2.BORDER_REPLICATE)

    def laid(cells: np.ndarray) -> np.ndarray:
        y, x = (np.mgrid[: sky.shape[0], : sky.shape[1]] + 0.5) / 8 - 0.5
        return cv2.remap(cells.astype(np.float32), *(v.astype(np.float32) for v in (x, y)), cv2.INTER_LINEAR,
                         borderMode=cv2.BORDER_REPLICATE)  # fmt: skip

    def deviation(*values: np.ndarray) -> np.ndarray:
        return np.maximum(smoothed(sum(by_cells(v * v) - by_cells(v) ** 2 for v in values)), 0)

    (light, *own), (_, *colours) = opponents(sky), opponents(made)
    spread, spread_made, rough = deviation(*own), deviation(*colours), deviation(light)
    times = np.sqrt(spread_made / (spread + (0.5 / 255) ** 2))
    calm = 1 / ((1 + (rough / 0.05**2) ** 2) * (1 + (spread / 0.03**2) ** 2))
    share = laid(calm * (1 - 1 / np.maximum(times, 1)))
    red, blue = (share * (laid(smoothed(smoothed(by_cells(v)))) - v) for v in colours)
    wanted = made / 65535 + np.stack([red, -(WEIGHTS[0] * red + WEIGHTS[2] * blue) / WEIGHTS[1], blue], axis=-1)
    apart = np.abs(drawn(plan(), sky, 16) / 65535 - np.clip(wanted, 0, 1))
    assert apart.max() < 1e-4 < np.abs(red).mean()


@pytest.mark.parametrize("depth", [8, 16])
def test_a_layer_that_changes_nothing_leaves_the_same_pixels(sky: np.ndarray, depth: int) -> None:
    """A layer is laid over planes, and without one codes are mended on the way from the source."""
    pixels = np.tile(sky, (1, 2, 1))
    pixels[:, 150:300] = 128
    pixels = pixels if depth == 8 else pixels.astype(np.uint16) * 257
    none = SaturateOperation(saturation=0.0)
    layer = Layer(area=Area(parts=(TonePart(low=0, high=100),)), operations=(none,))
    layered = plan(0.5).model_copy(update={"layers": (layer,)})
    size = (pixels.shape[1], pixels.shape[0])
    maps = weigh_layers(layered, scene_of(lambda: pixels, size, Space.SRGB, layered))
    made = Drawing(compile_stages(layered), size, pixels, maps).picture(pixels, depth).astype(int)
    apart = np.abs(made - drawn(plan(0.5), pixels, depth))
    assert apart.max() <= 1 and np.mean(apart > 0) < 0.01


def test_what_is_torn_in_another_part_is_refused() -> None:
    planes, out = np.zeros((3, 4, 5), np.float32), np.zeros((4, 5, 3), np.uint8)
    torn = Torn(np.ones((3, 2, 2), np.float32), 8, (0, 0), 1.0)
    for part, first in ((Part(0, 0, 5, 4, (16, 16)), 1), (Part(0, 0, 6, 4, (16, 16)), 0)):
        over = torn.over(part)
        assert over is not None
        with pytest.raises(ValueError, match="torn"):
            lattice.rounded(planes, np.zeros((64, 64, 4), np.float32), (0, 0), out, over.rows(first))
