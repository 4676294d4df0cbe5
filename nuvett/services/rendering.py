"""Pixels of one picture through a compiled plan: shared by previews, the wall, deliveries and the command line."""

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from threading import BoundedSemaphore

import cv2
import numpy as np

from nuvett.core.fit.plan import FramePlan
from nuvett.core.fit.warnings import newly_at_ends
from nuvett.core.look.steps import FinishStep
from nuvett.core.render import Pixels, Renderer
from nuvett.core.spaces.rgb import SPACES, Space, encode_curve, from_linear
from nuvett.core.spatial.finish import BASE_EDGE, Finisher, make_maps
from nuvett.core.table.table import USUAL_SIZE, compile_shaped
from nuvett.core.types import Floats, Linear
from nuvett.imaging.decode import Header, Limits, Picture, decode, open_picture
from nuvett.imaging.facts import FileFacts
from nuvett.imaging.proxy import fit_within, shrink_linear, view

THREADS = os.cpu_count() or 1
_DECODED_ROWS = 64  # rows decoded at once; taller regions are slower to fetch
_STRIPS_AHEAD = 2 * THREADS  # decoded strips that may wait


def renderer_of(
    plan: FramePlan, domain: Space = Space.SRGB, space: Space = Space.SRGB, points: int = USUAL_SIZE
) -> Renderer:
    """The renderer of a plan for pictures of a domain, into a delivery space, from a table of some points a side."""
    return Renderer(compile_shaped(plan, points, domain, space))


@dataclass(frozen=True)
class Finish:
    """What is done to one frame beside its colours.

    small : 8-bit view of the frame in its own domain, from which its maps are made; none to make one from the file
    """

    step: FinishStep
    seed: int
    amount: float
    small: Pixels | None = None

    @classmethod
    def of(cls, plan: FramePlan, small: Pixels | None = None) -> "Finish | None":
        """The finish of a plan, none when it has none."""
        if plan.finish.is_none or plan.strength == 0:
            return None
        return cls(plan.finish, plan.seed, plan.strength, small)


def finisher_of(finish: Finish, small: Pixels, renderer: Renderer, size: tuple[int, int]) -> Finisher:
    """The finisher of a frame of a size (width, height), with maps from its view under the colours."""
    width, height = fit_within(small.shape[1], small.shape[0], BASE_EDGE)
    base = np.asarray(cv2.resize(small, (width, height), interpolation=cv2.INTER_AREA))
    coloured = renderer.picture(base, 16).astype(np.float32) / np.float32(65535)
    return Finisher(finish.step, size, finish.seed, make_maps(coloured), finish.amount)


def _finished_file(opened: Picture, renderer: Renderer, finish: Finish, depth: int, edge: int | None) -> Pixels:
    """Finished pixels of a decoded picture that needs its neighbourhood."""
    small = finish.small if finish.small is not None else view(opened.pixels, opened.domain)
    pixels = opened.pixels if edge is None else shrink_encoded(opened, edge)
    finisher = finisher_of(finish, small, renderer, (pixels.shape[1], pixels.shape[0]))
    return renderer.finished_picture(pixels, finisher, depth, THREADS)


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
    plan_renderer: Callable[[Space], Renderer],
    depth: int,
    edge: int | None = None,
    finish: Finish | None = None,
) -> tuple[Pixels, Header, FileFacts]:
    """Finished pixels of a picture file, 8 or 16 bit, at full size or at a long edge; its header and facts.

    At full size one strip is rendered while the next is decoded, so the decoded picture is never held whole.
    Raises as `decode`.
    """
    if finish is not None:
        picture = decode(path, limits)
        made = _finished_file(picture, plan_renderer(picture.domain), finish, depth, edge)
        return made, picture.header, picture.facts
    opened = open_picture(path, limits)
    renderer = plan_renderer(opened.header.domain)
    if edge is not None and edge < max(opened.header.width, opened.header.height):
        picture = decode(path, limits)
        return renderer.picture(shrink_encoded(picture, edge), depth, threads=THREADS), picture.header, picture.facts
    out: Pixels = np.empty(opened.shape, dtype=np.uint16 if depth == 16 else np.uint8)
    free = BoundedSemaphore(_STRIPS_AHEAD)

    def work(top: int, pixels: Pixels) -> None:
        try:
            out[top : top + len(pixels)] = renderer.strip(pixels, top, depth)
        finally:
            free.release()

    with ThreadPoolExecutor(THREADS) as pool:
        waiting = []
        for top, pixels in opened.strips(_DECODED_ROWS):
            free.acquire()
            waiting.append(pool.submit(work, top, pixels))
        for done in waiting:
            done.result()
    return out, opened.header, opened.facts


def newly_clipped(sample: Linear, plan: FramePlan) -> float:
    """Share of sampled colours (N, 3) that become white in a channel, or black, under a plan."""
    before: Floats = np.clip(from_linear(sample), 0, 1)
    after = renderer_of(plan).picture(before[None], 16)[0] / np.float32(65535)
    return sum(newly_at_ends(before, after))
