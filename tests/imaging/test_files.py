"""Files to arrays and back: every format and space, orientation, times, and files that are not what they seem."""

import io
from pathlib import Path

import numpy as np
import pytest
import tifffile
from PIL import Image, ImageCms

from nuvett.core.errors import (
    EmptyFileError,
    FileError,
    NuvettError,
    TooLargeError,
    TruncatedFileError,
    UnreadableFileError,
)
from nuvett.core.spaces.cielab import difference
from nuvett.core.spaces.rgb import DELIVERED, SPACES, Space, from_linear, to_linear
from nuvett.imaging.decode import decode, read_header
from nuvett.imaging.encode import FORMATS, Format, encode
from nuvett.imaging.icc import build_profile, profile_bytes
from nuvett.imaging.opened import Limits
from nuvett.imaging.proxy import measuring_proxy, shrink_linear, view
from tests.conftest import DEMO

LIMITS = Limits(20_000_000, 30_000_000)


def linear_of(pixels: np.ndarray, space: Space) -> np.ndarray:
    return to_linear((pixels / np.iinfo(pixels.dtype).max).astype(np.float32), space)


@pytest.mark.parametrize("fmt", list(Format))
@pytest.mark.parametrize("space", DELIVERED)
def test_every_format_and_space_comes_back(fmt: Format, space: Space, photo: np.ndarray, tmp_path: Path) -> None:
    deep = FORMATS[fmt].depth == 16
    linear = linear_of(photo, Space.SRGB)
    encoded = np.clip(from_linear(linear, space), 0, 1)
    pixels = np.rint(encoded * (65535 if deep else 255)).astype(np.uint16 if deep else np.uint8)
    path = tmp_path / f"a{FORMATS[fmt].suffix}"
    path.write_bytes(encode(pixels, fmt, 98, space))
    picture = decode(path, LIMITS)
    assert picture.header.bits == FORMATS[fmt].depth
    lossy = FORMATS[fmt].has_quality
    error = difference(linear_of(picture.pixels, picture.domain), linear)
    assert error.mean() < (2.5 if lossy else 0.2 if deep else 0.8)


@pytest.mark.parametrize("space", [*DELIVERED, Space.WIDE])
def test_shipped_profiles_are_what_the_script_makes_and_what_another_library_reads(space: Space) -> None:
    assert profile_bytes(space) == build_profile(space)
    profile = ImageCms.ImageCmsProfile(io.BytesIO(profile_bytes(space)))
    assert ImageCms.getProfileDescription(profile).strip() == SPACES[space].title
    to_srgb = ImageCms.buildTransform(profile, ImageCms.createProfile("sRGB"), "RGB", "RGB", renderingIntent=1)
    grey = Image.new("RGB", (1, 1), (128, 128, 128))
    theirs = ImageCms.applyTransform(grey, to_srgb).getpixel((0, 0))
    ours = np.rint(from_linear(to_linear(np.full(3, 128 / 255, np.float32), space)) * 255)
    assert np.abs(np.array(theirs) - ours).max() <= 1


def test_orientation_and_depth_are_read(photo: np.ndarray, tmp_path: Path) -> None:
    exif = Image.Exif()
    exif[0x0112] = 6
    Image.fromarray(photo).save(tmp_path / "turned.jpg", exif=exif, quality=95)
    header = read_header(tmp_path / "turned.jpg", LIMITS)
    assert (header.width, header.height, header.bits) == (200, 300, 8)
    assert decode(tmp_path / "turned.jpg", LIMITS).pixels.shape == (300, 200, 3)


@pytest.mark.parametrize("mode", ["L", "LA", "P", "RGBA", "1", "CMYK", "I;16"])
def test_other_kinds_of_pictures_work(mode: str, photo: np.ndarray, tmp_path: Path) -> None:
    source = Image.fromarray(photo)
    deep = photo[..., 0].astype(np.uint16) * 257
    picture = Image.fromarray(deep) if mode == "I;16" else source.convert(mode)
    path = tmp_path / ("a.jpg" if mode == "CMYK" else "a.png")
    picture.save(path)
    found = decode(path, LIMITS)
    assert found.pixels.shape == photo.shape
    light, expected = linear_of(found.pixels, found.domain).mean(), linear_of(photo, Space.SRGB).mean()
    assert light == pytest.approx(expected, rel=0.7 if mode == "1" else 0.25)


def test_float_tiff_and_avif_are_read(photo: np.ndarray, tmp_path: Path) -> None:
    tifffile.imwrite(tmp_path / "f.tif", (photo / 255).astype(np.float32), photometric="rgb")
    assert np.abs(decode(tmp_path / "f.tif", LIMITS).pixels / 257 - photo).max() <= 1
    Image.fromarray(photo).save(tmp_path / "a.avif", quality=95)
    assert decode(tmp_path / "a.avif", LIMITS).header.format == "avif"


def _bad(tmp_path: Path, photo: np.ndarray, kind: str) -> Path:
    path = tmp_path / "bad.jpg"
    if kind == "empty":
        path.write_bytes(b"")
    elif kind == "text":
        path.write_text("This is a shopping list. " * 40)
    elif kind == "one pixel":
        Image.new("RGB", (1, 1)).save(path)
    elif kind == "vector":
        path.write_text('<svg xmlns="http://www.w3.org/2000/svg" width="900" height="900"/>')
    elif kind == "bomb":
        Image.new("1", (40_000, 40_000)).save(tmp_path / "bad.png")
        (tmp_path / "bad.png").rename(path)
    else:
        suffix = kind.removeprefix("cut ")
        made = tmp_path / f"whole.{suffix}"
        Image.fromarray(np.random.default_rng(0).integers(0, 255, (200, 300, 3), np.uint8)).save(made)
        path.write_bytes(made.read_bytes()[: made.stat().st_size // 2])
    return path


@pytest.mark.parametrize(
    ("kind", "error"),
    [
        ("empty", EmptyFileError),
        ("text", UnreadableFileError),
        ("vector", UnreadableFileError),
        ("one pixel", FileError),
        ("bomb", TooLargeError),
        *((f"cut {suffix}", TruncatedFileError) for suffix in ("jpg", "png", "tif", "webp", "avif")),
    ],
)
def test_bad_files_are_refused_with_a_sentence(
    kind: str, error: type[NuvettError], photo: np.ndarray, tmp_path: Path
) -> None:
    with pytest.raises(error) as found:
        decode(_bad(tmp_path, photo, kind), LIMITS)
    assert found.value.message.endswith(".") and len(found.value.message) > 20


def test_a_file_over_the_limit_is_refused_before_it_is_opened(tmp_path: Path) -> None:
    (tmp_path / "big.jpg").write_bytes(b"\xff\xd8" + bytes(2000))
    with pytest.raises(TooLargeError, match="MB"):
        decode(tmp_path / "big.jpg", Limits(bytes=1000))


def test_the_proxy_averages_light_not_code_values() -> None:
    checks = np.indices((400, 400)).sum(axis=0) % 2
    board = np.repeat((checks * 255).astype(np.uint8)[..., None], 3, axis=2)
    small = shrink_linear(board, 100, 100, Space.SRGB)
    assert np.allclose(small, 0.5, atol=1e-3)
    assert np.allclose(view(board, Space.SRGB, 100), 188, atol=1)


def test_what_is_measured_does_not_depend_on_size() -> None:
    original = decode(DEMO / "frames" / "AT-0103.jpg", LIMITS).pixels
    twice = original.repeat(2, axis=0).repeat(2, axis=1)
    first, second = (
        np.quantile(measuring_proxy(p, Space.SRGB), np.linspace(0, 1, 41)[1:-1]) for p in (original, twice)
    )
    assert np.abs(first - second).max() < 2e-3


def test_the_same_pixels_give_the_same_bytes(photo: np.ndarray) -> None:
    assert encode(photo, Format.JPEG) == encode(photo.copy(), Format.JPEG)
