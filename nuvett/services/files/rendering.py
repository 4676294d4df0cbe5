"""Whole files through a compiled plan: what deliveries and the command line write."""

import os
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cache
from math import ceil
from pathlib import Path
from threading import BoundedSemaphore

import numpy as np

from nuvett.core.area.area import Area
from nuvett.core.area.scene import Found
from nuvett.core.area.weights import WeightMap, weigh
from nuvett.core.drawing.boxes import Box
from nuvett.core.drawing.drawing import Drawing, Stages
from nuvett.core.drawing.renderer import Pixels, empty
from nuvett.core.drawing.weighing import scene_of
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.spaces.curves import encode_curve
from nuvett.core.spaces.rgb import SPACES, Space
from nuvett.imaging.decode import open_picture
from nuvett.imaging.opened import Header, Limits, Opened, Picture
from nuvett.imaging.person import find_people
from nuvett.imaging.proxy import VIEW_EDGE, fit_within, shrink_linear
from nuvett.imaging.sky import find_sky
from nuvett.imaging.subject import find_subject
from nuvett.imaging.views import decode_view, encoded_view

THREADS = os.cpu_count() or 1
_PART_ROWS = 256  # of a picture, drawn at once where they come from another place
_HALO_ROWS = 384  # and where what is about them is drawn with them, so that it is not most of the work
_DECODED_ROWS = 64  # rows decoded at once; taller regions are slower to fetch
_STRIPS_AHEAD = 2 * THREADS  # decoded strips that may wait


@dataclass(frozen=True)
class Rendered:
    """Finished pixels (H, W, 3), 8 or 16 bit, and what the file said; dpi : pixels an inch, none where it did not."""

    pixels: Pixels
    header: Header
    dpi: float | None

    @property
    def size(self) -> tuple[int, int]:
        """Width and height."""
        return self.pixels.shape[1], self.pixels.shape[0]


@dataclass(frozen=True)
class LookedAt:
    """A frame as maps and areas look at it.

    small : asks for its 8-bit view in its own domain; weights : for the weights of the layers that it is drawn with
    """

    small: Callable[[], Pixels]
    weights: Callable[[], tuple[WeightMap, ...]]


def shrink_encoded(picture: Picture, edge: int) -> Pixels:
    """A picture's pixels at a long edge, averaged over area in linear light; 16 bit, so that nothing is lost."""
    width, height = fit_within(picture.pixels.shape[1], picture.pixels.shape[0], edge)
    if (height, width) == picture.pixels.shape[:2]:
        return picture.pixels
    small = encode_curve(shrink_linear(picture.pixels, width, height, picture.domain), SPACES[picture.domain].curve)
    return np.asarray(np.rint(np.clip(small, 0, 1) * 65535), dtype=np.uint16)


def render_file(
    path: Path,
    limits: Limits,
    stages_for: Callable[[Space], Stages],
    depth: int,
    edge: int | None = None,
    seen: LookedAt | None = None,
) -> Rendered:
    """Finished pixels of a picture file, 8 or 16 bit, at full size or at a long edge.

    stages_for : compiled stages for pictures of a domain
    seen : the frame as maps and areas look at it; none to look at the file

    At full size one strip is rendered while the next is decoded, so the decoded picture is never held beside the
    finished one unless something needs its neighbourhood or another place. What is decoded quicker at once becomes the
    finished one strip by strip. Raises as `decode`.
    """
    opened = open_picture(path, limits)
    stages = stages_for(opened.header.domain)
    whole = (opened.header.width, opened.header.height)
    full = edge is None or edge >= max(stages.placed(whole).size)
    if full and stages.is_plain and (seen is not None or not stages.layers):
        drawing = Drawing(stages, whole, weights=seen.weights() if seen and stages.layers else ())
        return Rendered(_by_strips(opened, drawing, depth), opened.header, opened.dpi)
    if full and seen is not None:
        placing = stages.placed(whole)
        small = seen.small() if stages.needs_maps else None
        drawing = Drawing(stages, placing.size, small, seen.weights(), whole, whole)
        return Rendered(_by_parts(opened, drawing, depth), opened.header, opened.dpi)
    picture = opened.whole()
    seen = seen or looked_at(picture, [layer.area for layer in stages.layers], stages.light)
    placing = stages.placed(whole)
    size = placing.size if edge is None else fit_within(*placing.size, edge)
    pixels = picture.pixels if full else shrink_encoded(picture, ceil(max(size) * placing.density))
    small = seen.small() if stages.needs_maps else None
    source = (pixels.shape[1], pixels.shape[0])
    drawing = Drawing(stages, source if placing.is_plain else size, small, seen.weights(), source, whole)
    return Rendered(drawing.picture(pixels, depth, THREADS), picture.header, opened.dpi)


def looked_at(picture: Picture, areas: Sequence[Area], light: FramePlan) -> LookedAt:
    """A file as maps and areas look at it: what is kept of it when it is measured, made now."""

    @cache
    def small() -> Pixels:
        return decode_view(encoded_view(picture))

    def weights() -> tuple[WeightMap, ...]:
        width, height = picture.pixels.shape[1], picture.pixels.shape[0]
        size = fit_within(width, height, VIEW_EDGE)
        found = Found(lambda: find_subject(small()), lambda: find_people(small()), lambda: find_sky(small()))
        scene = scene_of(small, size, picture.domain, light, found)
        return tuple(weigh(area, scene) for area in areas)

    return LookedAt(small, weights)


def _by_strips(opened: Opened, drawing: Drawing, depth: int) -> Pixels:
    quickly = opened.quick() if depth == 8 else None
    if quickly is None:
        out = empty(opened.shape[:2], depth)
        strips = opened.strips(_DECODED_ROWS)
    else:  # each strip is drawn in its own place
        out = quickly
        strips = ((top, out[top : top + _DECODED_ROWS]) for top in range(0, len(out), _DECODED_ROWS))
    free = BoundedSemaphore(_STRIPS_AHEAD)

    def work(top: int, pixels: Pixels) -> None:
        try:
            box = (0, top, pixels.shape[1], len(pixels))
            drawing.lay(pixels, box, out[top : top + len(pixels)])
        finally:
            free.release()

    with ThreadPoolExecutor(THREADS) as pool:
        waiting = []
        for top, pixels in strips:
            free.acquire()
            waiting.append(pool.submit(work, top, pixels))
        for done in waiting:
            done.result()
    return out


def _arriving(opened: Opened, pixels: Pixels) -> Iterator[int]:
    """Put a picture into an array as it is decoded; how many rows are there."""
    for top, strip in opened.strips(_DECODED_ROWS):
        pixels[top : top + len(strip)] = strip
        yield top + len(strip)


def _by_parts(opened: Opened, drawing: Drawing, depth: int) -> Pixels:
    """A picture whose parts need more of the source than their own place: each is drawn once that has been decoded."""
    width, height = drawing.size
    out = empty((height, width), depth)
    quickly = opened.quick()
    pixels: Pixels = np.empty(opened.shape, dtype=opened.kind) if quickly is None else quickly
    rows = _HALO_ROWS if drawing.halo else _PART_ROWS
    boxes = [(0, top, width, min(rows, height - top)) for top in range(0, height, rows)]
    due = sorted(((drawing.around(box), box) for box in boxes), key=lambda pair: pair[0][1] + pair[0][3])

    def work(around: Box, box: Box) -> None:
        left, first, across, down = around
        drawing.lay(pixels[first : first + down, left : left + across], box, out[box[1] : box[1] + box[3]])

    with ThreadPoolExecutor(THREADS) as pool:
        waiting = []
        for known in [len(pixels)] if quickly is not None else _arriving(opened, pixels):
            while due and due[0][0][1] + due[0][0][3] <= known:
                waiting.append(pool.submit(work, *due.pop(0)))
        for done in waiting:
            done.result()
    return out
