"""Faces in a picture, found by a small detection network that ships with the application."""

from dataclasses import dataclass
from functools import cache
from importlib.resources import as_file, files
from threading import Lock
from typing import Any

import cv2
import numpy as np

from nuvett.core.spaces.rgb import from_linear
from nuvett.core.types import Floats, Linear

_SIDE = 128  # the network's input
_GRIDS = ((16, 2), (8, 6))  # cells a side, anchors a cell: short-range single-shot detector of Bazarevsky et al. 2019
_SURE = 0.6
_OVERLAP = 0.3
_TILES = ((0.0, 0.0, 1.0), *((x, y, 0.6) for y in (0.0, 0.4) for x in (0.0, 0.2, 0.4)))
_MOST = 8


@dataclass(frozen=True)
class Face:
    """A face: left, top, width and height in shares of the picture, and how sure the network is, 0 to 1."""

    x: float
    y: float
    width: float
    height: float
    score: float


# Two threads that load their first network at once get in each other's way inside the library.
_LOADING = Lock()


def _network() -> tuple[Any, Lock]:
    with _LOADING:
        return _loaded()


@cache
def _loaded() -> tuple[Any, Lock]:
    with as_file(files("nuvett.imaging") / "nets" / "face_detection_short_range.tflite") as path:
        return cv2.dnn.readNetFromTFLite(str(path)), Lock()


@cache
def _anchors() -> Floats:
    """(896, 2) anchor centres in shares of the input."""
    places = []
    for cells, each in _GRIDS:
        at = (np.arange(cells, dtype=np.float32) + 0.5) / cells
        grid = np.stack(np.meshgrid(at, at), axis=-1).reshape(-1, 2)
        places.append(np.repeat(grid, each, axis=0))
    return np.concatenate(places)


def _in_square(pixels: np.ndarray) -> list[Face]:
    """Faces in one piece (h, w, 3) 8-bit RGB, in shares of that piece."""
    height, width = pixels.shape[:2]
    side = max(height, width)
    scale = _SIDE / side
    small = cv2.resize(pixels, (round(width * scale), round(height * scale)), interpolation=cv2.INTER_AREA)
    square = np.zeros((_SIDE, _SIDE, 3), dtype=np.uint8)
    square[: small.shape[0], : small.shape[1]] = small
    net, lock = _network()
    with lock:
        net.setInput(cv2.dnn.blobFromImage(square, 1 / 127.5, (_SIDE, _SIDE), (127.5, 127.5, 127.5)))
        scores, boxes = net.forward(("classificators", "regressors"))
    sure = 1 / (1 + np.exp(-np.clip(scores[0, :, 0], -50, 50)))
    found = []
    for i in np.flatnonzero(sure > _SURE):
        x, y = boxes[0, i, :2] / _SIDE + _anchors()[i]
        w, h = boxes[0, i, 2:4] / _SIDE
        found.append(
            Face(
                *(float(v) for v in ((x - w / 2) * side / width, (y - h / 2) * side / height)),
                *(float(v) for v in (w * side / width, h * side / height, sure[i])),
            )
        )
    return found


def _shared(one: Face, other: Face) -> float:
    """Intersection over union of two faces."""
    across = min(one.x + one.width, other.x + other.width) - max(one.x, other.x)
    down = min(one.y + one.height, other.y + other.height) - max(one.y, other.y)
    both = max(0.0, across) * max(0.0, down)
    return both / max(one.width * one.height + other.width * other.height - both, 1e-9)


def find_faces(proxy: Linear) -> list[Face]:
    """Faces in a proxy (H, W, 3), surest first: the whole is looked at, then overlapping pieces for smaller faces."""
    pixels = np.rint(np.clip(from_linear(proxy), 0, 1) * 255).astype(np.uint8)
    height, width = pixels.shape[:2]
    found: list[Face] = []
    for left, top, size in _TILES:
        y, x = int(top * height), int(left * width)
        piece = pixels[y : y + int(size * height), x : x + int(size * width)]
        if min(piece.shape[:2]) < _SIDE // 4:
            continue
        found += [
            Face(left + f.x * size, top + f.y * size, f.width * size, f.height * size, f.score)
            for f in _in_square(piece)
        ]
    kept: list[Face] = []
    for face in sorted(found, key=lambda f: -f.score):
        if all(_shared(face, other) < _OVERLAP for other in kept):
            kept.append(face)
    return kept[:_MOST]
