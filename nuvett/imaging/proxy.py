"""Smaller stand-ins of a picture, averaged over area in linear light."""

from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray

from nuvett.core.drawing.renderer import Pixels
from nuvett.core.measure.boxes import averaged
from nuvett.core.measure.sampling import PROXY_PIXELS
from nuvett.core.spaces.curves import Curve, decode_curve, encode_curve
from nuvett.core.spaces.rgb import SPACES, Space, matrix_between
from nuvett.core.types import Floats, Linear

VIEW_EDGE = 1600  # long edge of the view that previews and the wall are rendered from
_LIGHTS = 65535


@cache
def _decoding(levels: int, curve: Curve) -> Floats:
    return decode_curve(np.linspace(0, 1, levels, dtype=np.float32), curve)


@cache
def _encoding(curve: Curve) -> NDArray[np.uint8]:
    """Codes of eight bits of light from black to white in even steps: 16 or more to a code near black."""
    light = np.linspace(0, 1, _LIGHTS + 1, dtype=np.float32)
    return np.rint(encode_curve(light, curve) * 255).astype(np.uint8)


def shrink_linear(pixels: Pixels, width: int, height: int, space: Space) -> Floats:
    """Linear RGB of `space` (height, width, 3), area-averaged from encoded pixels (H, W, 3) of at least that size.

    A whole factor is averaged while codes are decoded, so that a large picture is never held in floating point.
    """
    decoding = _decoding(256 if pixels.dtype == np.uint8 else 65536, SPACES[space].curve)
    rows, columns = pixels.shape[:2]
    factor = max(1, min(rows // height, columns // width))
    if factor > 1:
        out = np.empty((rows // factor, columns // factor, 3), dtype=np.float32)
        averaged(np.ascontiguousarray(pixels), decoding, factor, out)
    else:
        out = np.asarray(cv2.LUT(pixels, decoding))
    if out.shape[:2] == (height, width):
        return out
    return np.asarray(cv2.resize(out, (width, height), interpolation=cv2.INTER_AREA))


def fit_within(width: int, height: int, edge: int) -> tuple[int, int]:
    """Width and height of a picture scaled down to a long edge; never enlarged, never below one pixel."""
    scale = min(1.0, edge / max(width, height))
    return max(1, round(width * scale)), max(1, round(height * scale))


def within_edge(pixels: Pixels, edge: int) -> Pixels:
    """Pixels (H, W, 3) averaged over area down to a long edge, as they are coded; smaller ones as they are."""
    size = fit_within(pixels.shape[1], pixels.shape[0], edge)
    if size == (pixels.shape[1], pixels.shape[0]):
        return pixels
    return np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA))


def proxy_size(width: int, height: int) -> tuple[int, int]:
    """Width and height of the proxy that a picture is measured on."""
    scale = min(1.0, (PROXY_PIXELS / (height * width)) ** 0.5)
    return max(1, round(width * scale)), max(1, round(height * scale))


def measuring_proxy(pixels: Pixels, space: Space) -> Linear:
    """Extended linear sRGB proxy (h, w, 3) of about PROXY_PIXELS, the one size that everything is measured on."""
    height, width = pixels.shape[:2]
    small = shrink_linear(pixels, *proxy_size(width, height), space)
    if space is Space.SRGB:
        return Linear(small)
    return Linear(np.asarray(small @ matrix_between(space, Space.SRGB).T, dtype=np.float32))


def view(pixels: Pixels, space: Space, edge: int = VIEW_EDGE) -> np.ndarray:
    """8-bit encoded view (h, w, 3) of a long edge, still in the picture's own domain."""
    width, height = fit_within(pixels.shape[1], pixels.shape[0], edge)
    if pixels.dtype == np.uint8 and (width, height) == (pixels.shape[1], pixels.shape[0]):
        return pixels
    curve, small = SPACES[space].curve, shrink_linear(pixels, width, height, space)
    if curve.stops or curve.slope is None:  # light above white has codes, too, or black ones lie closer than the steps
        return np.asarray(np.rint(np.clip(encode_curve(small, curve), 0, 1) * 255), dtype=np.uint8)
    lights = cv2.multiply(small, np.full(4, _LIGHTS, dtype=np.float64), dtype=cv2.CV_16U)
    return np.asarray(cv2.LUT(lights, _encoding(curve)))
