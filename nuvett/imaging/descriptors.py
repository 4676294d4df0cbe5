"""What kind of place each part of a picture is, described by two small networks that ship with the application.

XFeat (Potje, Cadar, Araujo, Martins and Nascimento, "XFeat: Accelerated Features for Lightweight Image Matching",
2024) describes places so that they are found again from elsewhere; the subject's net on its way describes what is seen
there. Both, on axes that tell places apart best (`tools/derive_following.py`), are kept as 8-bit numbers.
"""

from collections.abc import Sequence
from functools import cache
from importlib.resources import as_file, files

import cv2
import numpy as np
from numpy.typing import NDArray

from nuvett.core.drawing.renderer import Pixels
from nuvett.core.even.even_light import EvenLight
from nuvett.core.guided import LUMINANCE
from nuvett.core.look.look import Look
from nuvett.core.planning.planning import evened
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.thread.cells import COLUMNS, ROWS, UNIT, Described, layout
from nuvett.core.types import Floats, Linear, OKLab
from nuvett.imaging.networks import answers_of
from nuvett.imaging.subject import asked_of_net

_CELL = 8  # pixels of the network's input that a cell has on each side
_STAGES = ("onnx_node!Add_245", "onnx_node!Add_331", "onnx_node!Add_392", "onnx_node!Add_413")
_LAYERS = ("feats", "mid")
WEIGHTS = (0.8, 0.5, 0.9, 0.6, 0.9, 0.5)
"""How the answers of both networks count, after each is brought to length one."""


@cache
def _axes() -> dict[str, Floats]:
    with as_file(files("nuvett.imaging") / "nets" / "descriptors.npz") as path, np.load(path) as kept:
        return {name: kept[name].astype(np.float32) for name in kept.files}


def _fitted(pixels: Pixels) -> tuple[Pixels, tuple[slice, slice]]:
    """A picture with its own proportions in the middle of the network's input, and the cells that it fills there."""
    rows, columns = layout(pixels.shape[1], pixels.shape[0])
    down, across = (ROWS - rows) // 2, (COLUMNS - columns) // 2
    small = cv2.resize(pixels, (columns * _CELL, rows * _CELL), interpolation=cv2.INTER_AREA)
    made = np.empty((ROWS * _CELL, COLUMNS * _CELL, 3), dtype=np.uint8)
    made[:] = small.mean(axis=(0, 1)).round()
    made[down * _CELL :, across * _CELL :][: small.shape[0], : small.shape[1]] = small
    return made, (slice(down, down + rows), slice(across, across + columns))


def seen_in_cells(pixels: Pixels) -> list[Floats]:
    """What both networks answer about each cell (rows, columns, channels) of a picture (h, w, 3) 8-bit RGB."""
    whole, inside = _fitted(pixels)
    return [_in_cells(answer)[inside] for answer in (*_places(whole), *asked_of_net(whole, _STAGES))]


def _places(whole: Pixels) -> Sequence[Floats]:
    light = whole.astype(np.float32) @ LUMINANCE
    scaled = (light - light.mean()) / max(float(light.std()), 1e-6)
    return answers_of("xfeat.onnx", scaled[None, None].astype(np.float32), _LAYERS)


def _in_cells(answer: Floats) -> Floats:
    how = cv2.INTER_AREA if answer.shape[1] > ROWS else cv2.INTER_LINEAR
    return np.stack([cv2.resize(channel, (COLUMNS, ROWS), interpolation=how) for channel in answer], axis=-1)


def joined(answers: Sequence[Floats], axes: dict[str, Floats]) -> Floats:
    """Answers about places (n, channels), each on its own axes and of length one, weighed and joined (n, m)."""
    parts = []
    for index, (answer, weight) in enumerate(zip(answers, WEIGHTS, strict=True)):
        turned = (answer - axes[f"middle{index}"]) @ axes[f"axes{index}"]
        parts.append(weight * turned / np.maximum(np.linalg.norm(turned, axis=1, keepdims=True), 1e-6))
    return np.concatenate(parts, axis=1)


def in_cells(kinds: NDArray[np.int8], picture: Linear, light: EvenLight) -> Described:
    """A linear picture (h, w, 3) in cells, evened; kinds : what kind of place each of them is, as `describe` has it."""
    small = cv2.resize(picture, (kinds.shape[1], kinds.shape[0]), interpolation=cv2.INTER_AREA)
    colours = linear_to_oklab(evened(Linear(np.asarray(small.reshape(-1, 3), dtype=np.float32)), light, Look()))
    return Described.of(kinds, OKLab(colours.reshape(*kinds.shape[:2], 3)))


def describe(pixels: Pixels) -> NDArray[np.int8]:
    """What kind of place each cell (rows, columns, KINDS) of a picture (h, w, 3) 8-bit RGB is, times UNIT."""
    answers, axes = seen_in_cells(pixels), _axes()
    rows, columns = answers[0].shape[:2]
    flat = (joined([a.reshape(rows * columns, -1) for a in answers], axes) - axes["middle"]) @ axes["axes"]
    unit = flat / np.maximum(np.linalg.norm(flat, axis=1, keepdims=True), 1e-6)
    kept = np.clip(np.rint(unit * UNIT), -127, 127).reshape(rows, columns, -1)
    return np.asarray(kept, dtype=np.int8)
