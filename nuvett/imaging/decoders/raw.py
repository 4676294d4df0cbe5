"""Raw files, developed by LibRaw: white as the camera set it, light up to three stops above white kept."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import rawpy
from numpy.typing import NDArray

from nuvett.core.errors import FileError, NuvettError, TruncatedFileError
from nuvett.core.fit.rendering import Rendering, fit_rendering
from nuvett.core.spaces.curves import SCENE_CURVE, decode_curve, encode_curve
from nuvett.core.spaces.rgb import Space
from nuvett.core.types import Floats
from nuvett.imaging.decoders import by_vips
from nuvett.imaging.facts import read_facts
from nuvett.imaging.opened import Development, Header, Limits, Opened, image_of
from nuvett.imaging.proxy import fit_within, shrink_linear

SUFFIXES = (
    *(".dng", ".nef", ".nrw", ".cr2", ".cr3", ".crw", ".arw", ".srf", ".sr2", ".raf", ".orf", ".rw2", ".raw", ".rwl"),
    *(".pef", ".srw", ".x3f", ".3fr", ".fff", ".iiq", ".erf", ".mef", ".mos", ".mrw", ".kdc", ".dcr"),
)
_SMALL_EDGE = 400  # that tones are compared at
_LUMINANCE = np.array([0.2126, 0.7152, 0.0722], dtype=np.float32)  # IEC 61966-2-1
_WIDE_LUMINANCE = np.array([0.2627, 0.6780, 0.0593], dtype=np.float32)  # ITU-R BT.2020
_TURNED = (5, 6)
_NO_PICTURE = "The camera put no picture of its own into it: its light is shown as it is."


class UnknownCameraError(FileError):
    """This raw file is of a camera that cannot be developed here. Make a DNG or a 16-bit TIFF of it first."""


@contextmanager
def _in_our_words() -> Iterator[None]:
    try:
        yield
    except rawpy.LibRawFileUnsupportedError as error:
        raise UnknownCameraError from error
    except (rawpy.LibRawError, OSError) as error:
        raise TruncatedFileError from error


def read_header(path: Path, limits: Limits) -> Header:
    """Raises UnknownCameraError, TruncatedFileError, TooLargeError, or FileError for too few pixels."""
    with _in_our_words(), rawpy.imread(str(path)) as raw:
        return _header(raw, limits)


def _header(raw: rawpy.RawPy, limits: Limits, note: str = "") -> Header:
    width, height = raw.sizes.width, raw.sizes.height
    if raw.sizes.flip in _TURNED:
        width, height = height, width
    limits.check_pixels(width, height)
    return Header("raw", width, height, 16, Space.SCENE, raw=True, note=note)


def open_file(path: Path, limits: Limits, development: Development, companion: Path | None) -> Opened:
    """A raw file developed. `companion` : a finished picture that the camera wrote beside it.

    Raises as `read_header`.
    """
    with _in_our_words():
        raw = rawpy.imread(str(path))
        # Before anything was unpacked sizes are known already, and a file that is cut off shows it only then.
        raw.unpack()
    with raw:
        _header(raw, limits)
        rebuilt = development.highlights == "rebuilt"
        with _in_our_words():
            light: NDArray[Any] = raw.postprocess(
                gamma=(1, 1),
                no_auto_bright=True,
                output_bps=16,
                use_camera_wb=True,
                output_color=rawpy.ColorSpace.Rec2020,
                highlight_mode=rawpy.HighlightMode.ReconstructDefault if rebuilt else rawpy.HighlightMode.Clip,
            )
        # Where highlights are kept the library scales light until the fullest channel fits, else until the first is.
        multipliers = [m for m in raw.camera_whitebalance[:3] if m > 0]
        scale = max(multipliers) / min(multipliers) if rebuilt and multipliers else 1.0
        scale *= 2.0 ** read_facts(path).baseline
        rendering = _rendering(raw, light, scale, companion, limits) if development.start == "camera" else None
        missing = development.start == "camera" and rendering is None
        header = _header(raw, limits, _NO_PICTURE if missing else "")
    return Opened(image_of(_encoded(light, scale, rendering)), header)


def _rendering(
    raw: rawpy.RawPy, light: NDArray[Any], scale: float, companion: Path | None, limits: Limits
) -> Rendering | None:
    made: NDArray[Any] | None = _own_picture(raw)
    if made is None and companion is not None:
        try:
            made = by_vips.open_file(companion, limits).whole().pixels
        except NuvettError:
            return None
    if made is None:
        return None
    size = fit_within(light.shape[1], light.shape[0], _SMALL_EDGE)
    step = max(1, min(light.shape[1] // size[0], light.shape[0] // size[1]))
    few = light[::step, ::step] if step < 4 else light[:: step // 2, :: step // 2]
    scene = cv2.resize(few.astype(np.float32), size, interpolation=cv2.INTER_AREA) @ _WIDE_LUMINANCE * (scale / 65535)
    small = shrink_linear(made, *fit_within(made.shape[1], made.shape[0], _SMALL_EDGE), Space.SRGB) @ _LUMINANCE
    return fit_rendering(np.asarray(scene, np.float32), np.asarray(small, np.float32))


def own_picture_of(path: Path) -> NDArray[np.uint8] | None:
    """The picture that the camera put into a raw file (h, w, 3), upright; none where there is none.

    Raises UnknownCameraError, TruncatedFileError.
    """
    with _in_our_words(), rawpy.imread(str(path)) as raw:
        return _own_picture(raw)


def _own_picture(raw: rawpy.RawPy) -> NDArray[np.uint8] | None:
    """The picture that the camera put into a raw file (h, w, 3), upright or not; none where there is none."""
    try:
        found = raw.extract_thumb()
    except rawpy.LibRawError:
        return None
    if found.format == rawpy.ThumbFormat.JPEG:
        decoded = cv2.imdecode(np.frombuffer(found.data, np.uint8), cv2.IMREAD_COLOR | cv2.IMREAD_IGNORE_ORIENTATION)
        made = None if decoded is None else np.asarray(cv2.cvtColor(decoded, cv2.COLOR_BGR2RGB))
    else:
        made = np.asarray(found.data)
    if made is None or made.ndim != 3:
        return None
    turns = {3: 2, 5: 1, 6: 3}.get(raw.sizes.flip, 0)
    return np.ascontiguousarray(np.rot90(made, turns))


def _encoded(light: NDArray[Any], scale: float, rendering: Rendering | None) -> NDArray[np.uint16]:
    """Scene-encoded pixels of linear light (H, W, 3); each channel through the rendering, as cameras do."""
    linear: Floats = (np.arange(65536, dtype=np.float64) * (scale / 65535)).astype(np.float32)
    if rendering is not None:
        linear = rendering(linear)
    most = float(decode_curve(np.ones(1, np.float32), SCENE_CURVE)[0])
    codes = np.rint(encode_curve(np.clip(linear, 0, most), SCENE_CURVE) * 65535).astype(np.uint16)
    return np.asarray(cv2.LUT(light, codes))
