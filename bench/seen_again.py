"""Photographs of packages seen again from elsewhere in other light: things followed there, and in other photographs."""

from dataclasses import dataclass
from functools import cache

import cv2
import numpy as np

from bench.pictures import photographs
from bench.report import Table
from nuvett.core.drawing.renderer import Pixels, in_floats
from nuvett.core.even.even_light import EvenLight
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import Space, from_linear, to_linear
from nuvett.core.thread.cells import Described, shared
from nuvett.core.thread.following import DOUBTFUL, SURE, look_for, region_of
from nuvett.core.thread.growth import EDGE, Mask, Pointed, grown
from nuvett.core.types import Linear, OKLab
from nuvett.imaging.descriptors import describe, in_cells
from nuvett.imaging.proxy import VIEW_EDGE, fit_within

_CLICKS = 6  # on each photograph, of which those that stay in view count
_INSIDE = (0.03, 0.97)


@dataclass(frozen=True)
class _Photo:
    """A photograph in cells, and small; the same seen again, and how places go there, in shares of both."""

    described: Described
    small: OKLab
    again: Described
    goes: np.ndarray


def _in_cells(pixels: Pixels) -> tuple[Described, Linear]:
    linear = to_linear(in_floats(pixels), Space.SRGB)
    return in_cells(describe(pixels), linear, EvenLight()), linear


def _seen_again(linear: Linear, rng: np.random.Generator) -> tuple[Pixels, np.ndarray]:
    """A part of a picture (h, w, 3) in perspective, exposed and balanced otherwise, and how places go there."""
    share = rng.uniform(0.6, 0.95)
    corners = np.array([[0, 0], [1, 0], [1, 1], [0, 1]]) * share + rng.uniform(0, 1 - share, 2)
    whole = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], dtype=np.float32)
    goes = cv2.getPerspectiveTransform((corners + 0.03 * rng.normal(size=(4, 2))).astype(np.float32), whole)
    height, width = linear.shape[:2]
    scale = np.diag([width, height, 1.0])
    light = (linear * 2 ** (0.3 * rng.normal() + 0.05 * rng.normal(size=3))).astype(np.float32)
    way = scale @ goes @ np.linalg.inv(scale)
    turned = np.asarray(cv2.warpPerspective(light, way, (width, height), flags=cv2.INTER_AREA), dtype=np.float32)
    return np.asarray(np.rint(np.clip(from_linear(Linear(turned)), 0, 1) * 255), dtype=np.uint8), goes


@cache
def _photos() -> list[_Photo]:
    rng, made = np.random.default_rng(11), []
    for photo in photographs():
        size = fit_within(photo.pixels.shape[1], photo.pixels.shape[0], VIEW_EDGE)
        described, linear = _in_cells(cv2.resize(photo.pixels, size, interpolation=cv2.INTER_AREA))
        again, goes = _seen_again(linear, rng)
        edge = fit_within(*size, EDGE)
        small = linear_to_oklab(Linear(cv2.resize(linear, edge, interpolation=cv2.INTER_AREA).astype(np.float32)))
        made.append(_Photo(described, OKLab(small), _in_cells(again)[0], goes))
    return made


def _is_on(place: tuple[float, float], thing: Mask, goes: np.ndarray) -> bool:
    """Whether a place of the second view lies on a thing of the first, give or take a little."""
    there = cv2.perspectiveTransform(np.array([[place]]), np.linalg.inv(goes))[0, 0]
    wide = cv2.dilate(thing.astype(np.uint8), np.ones((5, 5), np.uint8))
    column, row = (int(np.clip(v * n, 0, n - 1)) for v, n in zip(there, thing.shape[::-1], strict=True))
    return bool(wide[row, column])


def photo_table() -> Table:
    """Things clicked at random: found in the second view, and in photographs of other places."""
    columns = (
        "clicks still in view",
        "found",
        "found or asked",
        "taken",
        "wrong",
        "others looked at",
        "taken there",
        "asked there",
    )
    table = Table("Photographs seen again in perspective and other light, and other photographs", columns)
    rng, photos = np.random.default_rng(12), _photos()
    seen, others = [], []
    for photo in photos:
        both = shared(photo.described, photo.again)
        for x, y in rng.uniform(0.15, 0.85, (_CLICKS, 2)):
            outlines = grown(photo.small, [Pointed(x, y)])
            thing = outlines.masks[outlines.likeliest]
            region = region_of(thing, photo.described)
            there = cv2.perspectiveTransform(np.array([[[x, y]]]), photo.goes)[0, 0]
            best = next(iter(look_for(photo.described, region, photo.again, both)), None)
            visible = bool(((there > _INSIDE[0]) & (there < _INSIDE[1])).all())
            right = best is not None and _is_on(best.place, thing, photo.goes)
            seen.append((visible, best.sure if best is not None else 0.0, right))
            for other in photos:
                if other is not photo:
                    found = look_for(photo.described, region, other.described, shared(photo.described, other.described))
                    others.append(found[0].sure if found else 0.0)
    visible, sure, right = np.array(seen).T
    taken, away = sure >= SURE, np.array(others)
    shown = visible > 0
    table.add(
        int(shown.sum()),
        round(float((taken & (right > 0))[shown].mean()), 2),
        round(float(((sure >= DOUBTFUL) & (right > 0))[shown].mean()), 2),
        int(taken.sum()),
        int((taken & (right == 0)).sum()),
        len(others),
        int((away >= SURE).sum()),
        int(((away >= DOUBTFUL) & (away < SURE)).sum()),
    )
    return table
