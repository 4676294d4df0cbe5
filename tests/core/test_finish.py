"""Finish: nothing at zero, the same pixels however a picture is cut, sized relative to the frame."""

import itertools

import cv2
import numpy as np
import pytest

from nuvett.core.drawing.drawing import Drawing, Stages
from nuvett.core.drawing.renderer import Renderer
from nuvett.core.fit.regions import region_curve
from nuvett.core.measure.statistics import measure
from nuvett.core.spaces.cielab import linear_to_cielab
from nuvett.core.spaces.rgb import to_linear
from nuvett.core.steps.finish import FinishStep
from nuvett.core.steps.regions import RegionStep
from nuvett.core.steps.step import Aim, Ask, Step
from nuvett.core.table.table import grid

STEPS = {
    "noise": FinishStep(noise=80, noise_colour=80),
    "local": FinishStep(local=60),
    "haze": FinishStep(haze=70),
    "softness": FinishStep(softness=50),
    "sharpening": FinishStep(sharpening=80),
    "vignette": FinishStep(vignette=150),
    "shaped vignette": FinishStep(vignette=150, vignette_frame=80, vignette_spared=60, vignette_x=30, vignette_y=65),
    "light noise": FinishStep(noise=90),
    "colour noise": FinishStep(noise_colour=90),
    "fine": FinishStep(fine=-80),
    "glow": FinishStep(glow=70, halation=80),
    "wide sharpening": FinishStep(sharpening=80, radius=3),
    "rough grain": FinishStep(grain=60, grain_rough=70, grain_lights=50),
    "regions": RegionStep(highlights=-80, shadows=70, whites=-20, blacks=30),
    "grain": FinishStep(grain=60),
    "all": FinishStep(
        noise=20,
        noise_colour=30,
        fine=20,
        glow=20,
        local=30,
        haze=-30,
        softness=20,
        sharpening=40,
        vignette=80,
        grain=30,
    ),
}
RENDERER = Renderer(grid(33))
NOTHING = measure(np.full((300, 3), 0.5, np.float32))
ASK = Ask(frame=NOTHING, aim=Aim(NOTHING, ()))


def drawing(step: Step, picture: np.ndarray, seed: int = 5) -> Drawing:
    height, width = picture.shape[:2]
    operations = () if step.is_idle else step.resolve(ASK)
    return Drawing(Stages(RENDERER, finish=operations, seed=seed), (width, height), picture)


def finished(step: Step, picture: np.ndarray, seed: int = 5) -> np.ndarray:
    return drawing(step, picture, seed).picture(picture)


@pytest.fixture(scope="module")
def frame(photo: np.ndarray) -> np.ndarray:
    return cv2.resize(photo, (900, 600), interpolation=cv2.INTER_CUBIC)


@pytest.mark.parametrize("name", STEPS)
def test_the_same_pixels_whatever_the_strips_threads_or_crop(frame: np.ndarray, name: str) -> None:
    used = drawing(STEPS[name], frame)
    whole = used.picture(frame, rows=600)
    assert np.abs(whole.astype(int) - frame).mean() > 0.2, "it does something"
    assert np.array_equal(whole, used.picture(frame, rows=71, threads=2))
    x, y, size = 311, 203, 128
    left, top, width, height = used.around((x, y, size, size))
    around = frame[top : top + height, left : left + width]
    assert np.array_equal(used.part(around, (x, y, size, size)), whole[y : y + size, x : x + size])


@pytest.mark.parametrize("name", ["colour noise", "wide sharpening", "all"])
def test_a_frame_that_is_worked_on_in_cells_has_the_same_pixels_in_every_part(frame: np.ndarray, name: str) -> None:
    """At the size of a camera's files noise of colour and wide blurs are found on cells of several pixels."""
    wide = np.tile(frame[200:260], (1, 7, 1))[:, :6001]
    used = drawing(STEPS[name], wide)
    whole = used.picture(wide, rows=60)
    for box in ((1411, 7, 333, 53), (5998, 0, 3, 60)):
        left, top, width, height = used.around(box)
        part = used.part(wide[top : top + height, left : left + width], box)
        assert np.array_equal(part, whole[box[1] : box[1] + box[3], box[0] : box[0] + box[2]])


def test_nothing_is_none_and_no_amount_is_nothing(frame: np.ndarray) -> None:
    assert FinishStep().is_idle and FinishStep(grain=40, on=False).is_idle and FinishStep(grain=40, amount=0).is_idle
    still = finished(STEPS["all"].model_copy(update={"amount": 0}), frame)
    assert np.array_equal(still, RENDERER.picture(frame))


@pytest.mark.parametrize("name", ["local", "haze", "softness", "vignette", "noise"])
def test_a_smaller_rendering_looks_like_the_larger_one_made_smaller(frame: np.ndarray, name: str) -> None:
    small = cv2.resize(frame, (450, 300), interpolation=cv2.INTER_AREA)
    large = cv2.resize(finished(STEPS[name], frame), (450, 300), interpolation=cv2.INTER_AREA)
    made = finished(STEPS[name], small)
    assert np.abs(made.astype(int) - large).mean() < 1.5


def test_grain_belongs_to_its_frame_and_changes_no_tone(frame: np.ndarray) -> None:
    one, again, other = (finished(STEPS["grain"], frame, seed) for seed in (1, 1, 2))
    assert np.array_equal(one, again) and not np.array_equal(one, other)
    assert abs(float(one.mean()) - float(frame.mean())) < 0.6
    grain = (one.astype(int) - frame)[..., 1]
    assert np.abs(np.corrcoef(grain[:, 1:].ravel(), grain[:, :-1].ravel())[0, 1]) < 0.7


def test_noise_goes_and_edges_stay() -> None:
    random = np.random.default_rng(1)
    clean = np.full((300, 400, 3), 80.0)
    clean[:, 200:] = 170
    noisy = np.clip(clean + random.normal(0, 4, clean.shape), 0, 255).astype(np.uint8)
    made = finished(FinishStep(noise=100), noisy).astype(float)
    assert (made - clean)[:, 20:180].std() < 0.6 * (noisy - clean)[:, 20:180].std()
    assert made[:, 203:206].mean() - made[:, 194:197].mean() > 80


def test_sharpening_spares_flat_areas_as_far_as_asked() -> None:
    random = np.random.default_rng(2)
    flat = np.clip(128 + random.normal(0, 3, (300, 400, 3)), 0, 255).astype(np.uint8)
    spread = [finished(FinishStep(sharpening=100, masking=m), flat).std() for m in (0, 100)]
    assert spread[1] < 1.08 * flat.std() < spread[0]


def edged(low: float, high: float, width: int = 900) -> np.ndarray:
    """A step of light down the middle, with a little texture at either side."""
    light = np.where(np.arange(width) < width // 2, low, high) + 3 * np.sin(np.arange(width) * 0.7)
    return np.clip(np.tile(light[None, :, None], (width * 2 // 3, 1, 3)), 0, 255).astype(np.uint8)


@pytest.mark.parametrize("edge", [(60, 155), (110, 210), (20, 110)])
@pytest.mark.parametrize("amounts", [(-100, 100, 0, 0), (100, -100, 0, 0), (-100, 100, -100, 100)])
def test_regions_leave_no_halo_beside_an_edge_and_keep_texture(
    edge: tuple[int, int], amounts: tuple[int, int, int, int]
) -> None:
    picture = edged(*edge)
    step = RegionStep(**dict(zip(("highlights", "shadows", "whites", "blacks"), amounts, strict=True)))
    made = drawing(step, picture).picture(picture, 16).astype(np.float64)[300, :, 0] / 65535
    lightness = linear_to_cielab(to_linear(np.repeat(made[:, None], 3, axis=1).astype(np.float32)))[:, 0]
    wave = np.convolve(lightness, np.ones(9) / 9, mode="same")  # the texture has a period of nine pixels
    dark, light = wave[60:435], wave[465:840]
    assert abs(dark - dark[:200].mean()).max() < 1 and abs(light - light[-200:].mean()).max() < 1
    assert abs(dark[:200].mean() - dark[-60:].mean()) < 1


def test_regions_move_their_own_part_of_tone_and_always_rise() -> None:
    at = np.linspace(0, 1, 257)
    for amounts in itertools.product((-1, 0, 1), repeat=4):
        curve = region_curve(*amounts)
        assert np.diff(curve).min() > 0
        if not amounts[2] and not amounts[3]:
            assert curve[0] == pytest.approx(0, abs=0.02) and curve[-1] == pytest.approx(1, abs=0.02)
    assert np.argmax(region_curve(1, 0, 0, 0) - at) > 170 and np.argmax(region_curve(0, 1, 0, 0) - at) < 90
    half, whole = region_curve(-0.5, 0, 0, 0) - at, region_curve(-1, 0, 0, 0) - at
    assert half.min() == pytest.approx(whole.min() / 2, abs=0.01)


def test_noise_of_colour_and_of_light_are_taken_apart() -> None:
    rng = np.random.default_rng(4)
    grey = rng.normal(0, 9, (300, 450, 1))
    picture = np.clip(120 + grey + rng.normal(0, 9, (300, 450, 3)), 0, 255).astype(np.uint8)

    def noise_of(step: FinishStep) -> tuple[float, float]:
        made = finished(step, picture).astype(float)
        light = made @ [0.2126, 0.7152, 0.0722]
        return float(light.std()), float((made - light[..., None]).std())

    asked = FinishStep(), FinishStep(noise=100, noise_colour=0), FinishStep(noise_colour=100)
    came, of_light, of_colour = (noise_of(step) for step in asked)
    assert of_light[0] < 0.8 * came[0] and of_light[1] > 0.9 * came[1]
    assert of_colour[0] > 0.9 * came[0] and of_colour[1] < 0.6 * came[1]
    assert FinishStep.model_validate({"noise": 30}).noise_colour == 30, "one number took both before"
    assert FinishStep.model_validate({"noise": 30, "noise_colour": 0}).noise_colour == 0
