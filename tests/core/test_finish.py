"""Finish: nothing at zero, the same pixels however a picture is cut, sized relative to the frame."""

import cv2
import numpy as np
import pytest

from nuvett.core.drawing.drawing import Drawing, Stages
from nuvett.core.drawing.renderer import Renderer
from nuvett.core.measure.statistics import measure
from nuvett.core.steps.finish import FinishStep
from nuvett.core.steps.step import Aim, Ask
from nuvett.core.table.table import grid

STEPS = {
    "noise": FinishStep(noise=80),
    "local": FinishStep(local=60),
    "haze": FinishStep(haze=70),
    "softness": FinishStep(softness=50),
    "sharpening": FinishStep(sharpening=80),
    "vignette": FinishStep(vignette=150),
    "grain": FinishStep(grain=60),
    "all": FinishStep(noise=20, local=30, haze=-30, softness=20, sharpening=40, vignette=80, grain=30),
}
RENDERER = Renderer(grid(33))
NOTHING = measure(np.full((300, 3), 0.5, np.float32))
ASK = Ask(frame=NOTHING, aim=Aim(NOTHING, ()))


def drawing(step: FinishStep, picture: np.ndarray, seed: int = 5) -> Drawing:
    height, width = picture.shape[:2]
    operations = () if step.is_idle else step.resolve(ASK)
    return Drawing(Stages(RENDERER, finish=operations, seed=seed), (width, height), picture)


def finished(step: FinishStep, picture: np.ndarray, seed: int = 5) -> np.ndarray:
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
