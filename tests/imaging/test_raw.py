"""Raw files: colour as it was, headroom above white, the camera's own tone, and files that are damaged."""

from pathlib import Path

import cv2
import numpy as np
import pytest

from nuvett.core.drawing.drawing import compile_stages
from nuvett.core.errors import TruncatedFileError
from nuvett.core.even.camera import scene_light
from nuvett.core.fit.rendering import fit_rendering
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.measure.statistics import measure
from nuvett.core.plan.compile import direct
from nuvett.core.planning.planning import aim_of_statistics, plan_frame
from nuvett.core.spaces.cielab import difference
from nuvett.core.spaces.curves import SCENE_CURVE, decode_curve, encode_curve
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import Space, from_linear, to_linear
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.types import Encoded01, Linear
from nuvett.imaging.decode import decode, open_picture, read_header
from nuvett.imaging.decoders.by_vips import DEVELOPED
from nuvett.imaging.encode import write_developed
from nuvett.imaging.opened import Development, Limits
from tests.conftest import DEMO, load_rgb
from tools.raw_files import Shot, write_dng

LIMITS = Limits()
NEUTRAL = Development(start="neutral")
LAMP = (0.8, 1.0, 0.5)


def light_of(path: Path, development: Development, companion: Path | None = None) -> np.ndarray:
    picture = decode(path, LIMITS, development, companion)
    assert (picture.header.format, picture.header.bits, picture.domain) == ("raw", 16, Space.SCENE)
    return to_linear((picture.pixels / 65535).astype(np.float32), Space.SCENE)


@pytest.fixture(scope="module")
def seen() -> np.ndarray:
    """A demo frame, (H, W, 3) 8 bit."""
    return load_rgb(DEMO / "frames" / "AT-0101.jpg")


@pytest.fixture(scope="module")
def linear(seen: np.ndarray) -> np.ndarray:
    return to_linear((seen / 255).astype(np.float32))


@pytest.mark.parametrize("highlights", ["cut", "rebuilt"])
def test_colours_come_back_under_whatever_lamp_the_camera_was_set_to(
    highlights: str, linear: np.ndarray, tmp_path: Path
) -> None:
    for light in (LAMP, (1.0, 1.0, 1.0)):
        write_dng(tmp_path / "a.dng", linear, Shot(light=light, exposure=0.8))
        made = light_of(tmp_path / "a.dng", Development(start="neutral", highlights=highlights))
        apart = difference(made / np.median(made[..., 1] / np.maximum(linear[..., 1], 1e-3)), linear)
        assert apart.mean() < 1.5


def test_light_above_white_is_kept_where_any_channel_saw_it_and_cut_when_asked(
    linear: np.ndarray, tmp_path: Path
) -> None:
    write_dng(tmp_path / "a.dng", linear * 2.0, Shot(light=LAMP, exposure=1.0))
    rebuilt, cut = (
        light_of(tmp_path / "a.dng", Development(start="neutral", highlights=how)) for how in ("rebuilt", "cut")
    )
    assert cut.mean(axis=2).max() < 1.01 < 1.5 < np.quantile(rebuilt.mean(axis=2), 0.999)
    calm = linear.max(axis=2) < 0.3  # where no channel was full both are the same light
    assert np.quantile(np.abs(rebuilt - cut)[calm], 0.99) < 0.01


def test_the_camera_s_own_rendering_is_found_from_its_picture_or_from_the_one_beside(
    seen: np.ndarray, linear: np.ndarray, tmp_path: Path
) -> None:
    scene, shot = scene_light(linear, 1.0), Shot(light=LAMP, exposure=0.3)
    small = cv2.resize(seen, (480, 320), interpolation=cv2.INTER_AREA)
    write_dng(tmp_path / "own.dng", scene, shot, small)
    write_dng(tmp_path / "bare.dng", scene, shot)
    beside = DEMO / "frames" / "AT-0101.jpg"
    for path, companion in (("own.dng", None), ("bare.dng", beside)):
        made = light_of(tmp_path / path, Development(), companion)
        assert difference(np.clip(made, 0, 1), linear).mean() < 1.5
        assert made.max() > 1.05, "what lies above the camera's white is still there"
    assert difference(light_of(tmp_path / "own.dng", NEUTRAL), linear).mean() > 8
    assert "light is shown as it is" in decode(tmp_path / "bare.dng", LIMITS).header.note
    other = DEMO / "frames" / "AT-0130.jpg"
    assert "light is shown" in decode(tmp_path / "bare.dng", LIMITS, None, other).header.note


def test_a_rendering_rises_everywhere_and_goes_on_above_what_it_was_found_from(linear: np.ndarray) -> None:
    light = scene_light(linear, 0.5)[..., 1]
    rendering = fit_rendering(light, linear[..., 1])
    assert rendering is not None
    at = np.linspace(0, 8, 2000, dtype=np.float32)
    made = rendering(at)
    assert (np.diff(made) > 0).all() and made[0] == 0 and made[-1] > made[1000] > 1
    middle = (light > 0.02) & (light < 0.5)
    assert np.abs(np.log2(rendering(light[middle]) / linear[..., 1][middle])).mean() < 0.03
    assert fit_rendering(light, np.flipud(linear[..., 1])) is None


def test_the_scene_curve_keeps_three_stops_above_white_and_is_its_own_inverse() -> None:
    linear = np.concatenate([np.geomspace(1e-5, 8, 500), [0, 1]]).astype(np.float32)
    encoded = encode_curve(linear, SCENE_CURVE)
    assert np.allclose(decode_curve(encoded, SCENE_CURVE), linear, rtol=2e-4, atol=1e-7)
    assert encoded[-1] == pytest.approx(0.85, abs=1e-6) and encoded[-3] == pytest.approx(1, abs=1e-5)


def test_a_developed_picture_is_known_again_and_has_the_same_pixels(linear: np.ndarray, tmp_path: Path) -> None:
    write_dng(tmp_path / "a.dng", linear[:100, :150], Shot())
    picture = decode(tmp_path / "a.dng", LIMITS, NEUTRAL)
    write_developed(picture.pixels, tmp_path / "d.tif", DEVELOPED)
    again = open_picture(tmp_path / "d.tif", LIMITS).whole()
    assert again.domain is Space.SCENE and again.header.raw
    assert np.array_equal(again.pixels, picture.pixels)


def test_a_raw_file_that_was_cut_short_is_refused_with_a_sentence(linear: np.ndarray, tmp_path: Path) -> None:
    write_dng(tmp_path / "a.dng", linear, Shot())
    whole = (tmp_path / "a.dng").read_bytes()
    assert read_header(tmp_path / "a.dng", LIMITS).width == linear.shape[1]
    for share in (0.3, 0.7, 0.95):
        (tmp_path / "cut.dng").write_bytes(whole[: int(len(whole) * share)])
        with pytest.raises(TruncatedFileError, match="cut short"):
            decode(tmp_path / "cut.dng", LIMITS)


def test_a_look_brings_back_what_lies_above_white_and_its_table_is_near_the_computation(linear: np.ndarray) -> None:
    scene = Linear((linear * 1.9)[::6, ::6].reshape(-1, 3))
    above = linear_to_oklab(scene)[:, 0] > 1.02
    assert 0.05 < above.mean() < 0.2
    aim = aim_of_statistics(measure(linear_to_oklab(linear.reshape(-1, 3))))
    encoded = Encoded01(np.clip(from_linear(scene, Space.SCENE), 0, 1))
    spreads = []
    for stops in (0.0, -0.5, -1.0):
        look = Look.of(ExposureStep(exposure=stops), strength=0)
        plan = plan_frame(measure(linear_to_oklab(scene)), aim, look, trim=Trim.of(ExposureStep(exposure=stops)))
        made = compile_stages(plan, Space.SCENE).renderer.coloured(encoded[None])[:, 0].T
        exact = direct(plan, encoded, Space.SCENE)
        assert difference(to_linear(made), to_linear(exact)).mean() < 0.5
        spreads.append(float(linear_to_oklab(to_linear(made))[above, 0].std()))
    assert spreads[0] < 0.2 * spreads[1] and spreads[1] < spreads[2]
