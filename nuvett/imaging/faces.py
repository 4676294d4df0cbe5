"""Faces in a picture, found by a small detection network that ships with the application."""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from functools import cache

import cv2
import numpy as np

from nuvett.core.area.faces import FaceSeen
from nuvett.core.skin import SKIN_HUE, face_colour, skin
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import from_linear
from nuvett.core.types import Floats, Linear
from nuvett.imaging.networks import answers_of_light

_SIDE = 128  # the network's input
_GRIDS = ((16, 2), (8, 6))  # cells a side, anchors a cell: short-range single-shot detector of Bazarevsky et al. 2019
_CANDIDATE = 0.4  # answer of the network at which a place is looked at more closely
_OVERLAP = 0.3
_SIZES = (1.0, 0.7, 0.5, 0.35)  # of the pieces that are looked at, in shares of the picture; each overlaps by half
_MAX_CANDIDATES, _MAX = 8, 8
_LOOKS = tuple((size, flip, turn) for size in (1.6, 2.2, 3.0) for flip in (False, True) for turn in (-12, 0, 12))
_OFF_CENTRE = 0.18  # how far from the middle of a closer look a face may lie
_STEADY = 0.16  # spread of the logarithm of a face's width over the closer looks; faces of people 0.03 to 0.14
_SKIN_COUNTS = 0.2  # of the score: whether the place has the colour of skin
_INNER = 0.22  # margin of a face's box that may hold hair or background
_MIN = 12  # pixels that a face needs to say anything
_HUE_WIDTH, _COLOURLESS, _MOSTLY, _NEAR = 14.0, 0.025, 0.84, 1.7
_EVEN = (0.18, 0.26)  # chroma of the palest tenth against the purest: glass and metal have parts without colour
FOUND = 0.67
"""Score from which a place counts as a face."""


@dataclass(frozen=True)
class Face:
    """A face: left, top, width and height in shares of the picture, how sure it is, 0 to 1, and its colour.

    colour : linear, of its middle
    """

    x: float
    y: float
    width: float
    height: float
    score: float
    colour: tuple[float, float, float] = (0.0, 0.0, 0.0)


def faces_seen(faces: Iterable[Face]) -> tuple[FaceSeen, ...]:
    """Faces as plans, areas and notes know them."""
    return tuple(FaceSeen(box=(f.x, f.y, f.width, f.height), colour=f.colour) for f in faces)


@cache
def _anchors() -> Floats:
    """(896, 2) anchor centres in shares of the input."""
    places = []
    for cells, each in _GRIDS:
        at = (np.arange(cells, dtype=np.float32) + 0.5) / cells
        grid = np.stack(np.meshgrid(at, at), axis=-1).reshape(-1, 2)
        places.append(np.repeat(grid, each, axis=0))
    return np.concatenate(places)


def _ask(square: np.ndarray) -> tuple[Floats, Floats]:
    """Answers (896,) 0 to 1 and boxes (896, 4) in shares of the input, for a square (128, 128, 3) 8-bit RGB."""
    given = square.astype(np.float32) * np.float32(1 / 127.5) - np.float32(1)
    scores, boxes = answers_of_light("face_detection_short_range.tflite", given, ("classificators", "regressors"))
    found = np.asarray(boxes[:, :4] / _SIDE, dtype=np.float32)
    found[:, :2] += _anchors()
    return np.asarray(1 / (1 + np.exp(-np.clip(scores[:, 0], -50, 50))), dtype=np.float32), found


def _in_square(pixels: np.ndarray) -> list[Face]:
    """Faces in one piece (h, w, 3) 8-bit RGB, in shares of that piece."""
    height, width = pixels.shape[:2]
    side = max(height, width)
    scale = _SIDE / side
    small = cv2.resize(pixels, (round(width * scale), round(height * scale)), interpolation=cv2.INTER_AREA)
    square = np.zeros((_SIDE, _SIDE, 3), dtype=np.uint8)
    square[: small.shape[0], : small.shape[1]] = small
    sure, boxes = _ask(square)
    found = []
    for i in np.flatnonzero(sure > _CANDIDATE):
        x, y, w, h = boxes[i]
        left, top = (x - w / 2) * side / width, (y - h / 2) * side / height
        across, down = w * side / width, h * side / height
        found.append(Face(float(left), float(top), float(across), float(down), float(sure[i])))
    return found


def _shared(one: Face, other: Face) -> float:
    """Intersection over union of two faces."""
    across = min(one.x + one.width, other.x + other.width) - max(one.x, other.x)
    down = min(one.y + one.height, other.y + other.height) - max(one.y, other.y)
    both = max(0.0, across) * max(0.0, down)
    return both / max(one.width * one.height + other.width * other.height - both, 1e-9)


def _pieces() -> list[tuple[float, float, float]]:
    """Left, top and size of the pieces that are looked at, in shares of the picture."""
    found = []
    for size in _SIZES:
        places = np.linspace(0, 1 - size, 1 if size == 1 else int(np.ceil((1 - size) / size * 2)) + 1)
        found += [(float(x), float(y), size) for y in places for x in places]
    return found


def _closer(pixels: np.ndarray, face: Face, needed: float) -> tuple[float, float] | None:
    """Mean answer of the network to closer looks at a face, and the spread of the logarithm of the widths it gives.

    The looks are at three sizes, mirrored, and turned a little; none further once the mean cannot be as `needed`.
    """
    height, width = pixels.shape[:2]
    middle = ((face.x + face.width / 2) * width, (face.y + face.height / 2) * height)
    answers, widths = list[float](), list[float]()
    for size, flip, turn in _LOOKS:
        if sum(answers) + len(_LOOKS) - len(answers) < needed * len(_LOOKS):
            return None
        scale = _SIDE / (size * max(face.width * width, face.height * height))
        shrink = min(1.0, 2 * scale)  # most of the way by area, so that the turn does not skip pixels
        small = cv2.resize(pixels, None, fx=shrink, fy=shrink, interpolation=cv2.INTER_AREA) if shrink < 1 else pixels
        centre = (middle[0] * shrink, middle[1] * shrink)
        matrix = cv2.getRotationMatrix2D(centre, turn, scale / shrink)
        matrix[:, 2] = matrix[:, 2] + _SIDE / 2 - np.array(centre)
        square = cv2.warpAffine(small, matrix, (_SIDE, _SIDE), borderMode=cv2.BORDER_REFLECT)
        sure, boxes = _ask(np.ascontiguousarray(square[:, ::-1]) if flip else square)
        best = int(np.where(np.abs(boxes[:, :2] - 0.5).max(axis=1) < _OFF_CENTRE, sure, -1).argmax())
        answers.append(float(sure[best]))
        widths.append(max(float(boxes[best, 2]), 1e-3) / scale)
    return float(np.mean(answers)), float(np.std(np.log(widths)))


def _looks_like_skin(pixels: Linear) -> float:
    """How far a face's middle (N, 3) has the colour of skin: 0 to 1, half where it is too dark or grey to tell."""
    lab = linear_to_oklab(Linear(face_colour(pixels)[None]))[0]
    off = (np.degrees(np.arctan2(lab[2], lab[1])) - SKIN_HUE + 180) % 360 - 180
    alike = 0.5 if np.hypot(lab[1], lab[2]) < _COLOURLESS else float(np.exp(-((off / _HUE_WIDTH) ** 2)))
    every = linear_to_oklab(pixels)
    if alike > 0.5:
        pale, pure = np.quantile(np.hypot(every[:, 1], every[:, 2]), (0.1, 0.9))
        alike *= float(np.interp(pale / max(pure, 1e-6), _EVEN, (0, 1)))
    mostly = float((skin().near(every).radius < _NEAR).mean()) >= _MOSTLY
    return alike if mostly else alike / 2


def _judged(face: Face, proxy: Linear, pixels: np.ndarray) -> Face | None:
    """A candidate with its score and colour; none where it is too small, too unsteady in size, or no face for sure."""
    height, width = proxy.shape[:2]
    left, right = (round(min(1, max(0, face.x + share * face.width)) * width) for share in (_INNER, 1 - _INNER))
    top, bottom = (round(min(1, max(0, face.y + share * face.height)) * height) for share in (_INNER, 1 - _INNER))
    inner = proxy[top:bottom, left:right].reshape(-1, 3)
    if len(inner) < _MIN:
        return None
    by_skin = _SKIN_COUNTS * (2 * _looks_like_skin(Linear(inner)) - 1)
    looked = _closer(pixels, face, 2 * (FOUND - by_skin) - face.score)
    if looked is None or looked[1] > _STEADY:
        return None
    score = (face.score + looked[0]) / 2 + by_skin
    red, green, blue = (float(v) for v in face_colour(Linear(inner)))
    return replace(face, score=float(np.clip(score, 0, 1)), colour=(red, green, blue))


def find_faces(proxy: Linear) -> list[Face]:
    """Faces in a proxy (H, W, 3), surest first.

    Overlapping pieces of several sizes are searched; what looks like a face there is looked at again more closely, and
    counts when it does so from near and far, mirrored and turned, and has the colour of skin. All are returned that
    reach FOUND.
    """
    pixels = np.rint(np.clip(from_linear(proxy), 0, 1) * 255).astype(np.uint8)
    height, width = pixels.shape[:2]
    found: list[Face] = []
    for left, top, size in _pieces():
        y, x = int(top * height), int(left * width)
        piece = pixels[y : y + int(size * height), x : x + int(size * width)]
        if min(piece.shape[:2]) < _SIDE // 4:
            continue
        found += [
            Face(left + f.x * size, top + f.y * size, f.width * size, f.height * size, f.score)
            for f in _in_square(piece)
        ]
    places = _apart(found)[:_MAX_CANDIDATES]
    judged = [face for face in (_judged(place, proxy, pixels) for place in places) if face is not None]
    return _apart([face for face in judged if face.score >= FOUND])[:_MAX]


def _apart(faces: list[Face]) -> list[Face]:
    """Faces surest first, without those that lie on a surer one."""
    kept: list[Face] = []
    for face in sorted(faces, key=lambda f: -f.score):
        if all(_shared(face, other) < _OVERLAP for other in kept):
            kept.append(face)
    return kept
