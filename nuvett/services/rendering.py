"""Whole files through a compiled plan: what deliveries and the command line write."""

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from threading import BoundedSemaphore

import numpy as np

from nuvett.core.drawing.drawing import Drawing, Stages, compile_stages
from nuvett.core.drawing.renderer import Pixels
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.warnings import newly_at_ends
from nuvett.core.spaces.rgb import SPACES, Space, encode_curve, from_linear
from nuvett.core.types import Floats, Linear
from nuvett.imaging.decode import Header, Limits, Opened, Picture, decode, open_picture
from nuvett.imaging.facts import FileFacts
from nuvett.imaging.proxy import fit_within, shrink_linear
from nuvett.imaging.views import decode_view, encoded_view

THREADS = os.cpu_count() or 1
_DECODED_ROWS = 64  # rows decoded at once; taller regions are slower to fetch
_STRIPS_AHEAD = 2 * THREADS  # decoded strips that may wait


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
    small: Pixels | None = None,
) -> tuple[Pixels, Header, FileFacts]:
    """Finished pixels of a picture file, 8 or 16 bit, at full size or at a long edge; its header and facts.

    stages_for : compiled stages for pictures of a domain
    small : 8-bit view of the frame in its own domain, from which maps are made; none to make one from the file

    At full size one strip is rendered while the next is decoded, so the decoded picture is never held whole unless
    something needs its neighbourhood. Raises as `decode`.
    """
    opened = open_picture(path, limits)
    stages = stages_for(opened.header.domain)
    whole = Drawing(stages, (opened.header.width, opened.header.height)) if not stages.finish else None
    if whole is not None and (edge is None or edge >= max(opened.header.width, opened.header.height)):
        return _by_strips(opened, whole, depth), opened.header, opened.facts
    picture = decode(path, limits)
    pixels = picture.pixels if edge is None else shrink_encoded(picture, edge)
    if stages.needs_maps and small is None:
        small = decode_view(encoded_view(picture))
    drawing = Drawing(stages, (pixels.shape[1], pixels.shape[0]), small)
    return drawing.picture(pixels, depth, THREADS), picture.header, picture.facts


def _by_strips(opened: Opened, drawing: Drawing, depth: int) -> Pixels:
    out: Pixels = np.empty(opened.shape, dtype=np.uint16 if depth == 16 else np.uint8)
    free = BoundedSemaphore(_STRIPS_AHEAD)

    def work(top: int, pixels: Pixels) -> None:
        try:
            out[top : top + len(pixels)] = drawing.strip(pixels, top, depth)
        finally:
            free.release()

    with ThreadPoolExecutor(THREADS) as pool:
        waiting = []
        for top, pixels in opened.strips(_DECODED_ROWS):
            free.acquire()
            waiting.append(pool.submit(work, top, pixels))
        for done in waiting:
            done.result()
    return out


def newly_clipped(sample: Linear, plan: FramePlan) -> float:
    """Share of sampled colours (N, 3) that become white in a channel, or black, under a plan."""
    before: Floats = np.clip(from_linear(sample), 0, 1)
    stages = compile_stages(plan)
    after = stages.renderer.picture(before[None], 16)[0] / np.float32(65535)
    return sum(newly_at_ends(before, after))
