"""Pixels of one picture through a compiled plan: shared by previews, the wall, deliveries and the command line."""

import os

import numpy as np

from nuvett.core.fit.plan import FramePlan
from nuvett.core.render import Pixels, Renderer
from nuvett.core.spaces.rgb import SPACES, Space, encode_curve, from_linear
from nuvett.core.table.table import compile_plan
from nuvett.core.types import Floats, Linear
from nuvett.imaging.decode import Picture
from nuvett.imaging.proxy import fit_within, shrink_linear

THREADS = os.cpu_count() or 1
_CLIPPED = 254 / 255


def renderer_of(plan: FramePlan, domain: Space = Space.SRGB, space: Space = Space.SRGB) -> Renderer:
    """The renderer of a plan for pictures of a domain, into a delivery space."""
    return Renderer(compile_plan(plan, domain=domain, space=space))


def shrink_encoded(picture: Picture, edge: int) -> Pixels:
    """A picture's pixels at a long edge, averaged over area in linear light; 16 bit, so that nothing is lost."""
    width, height = fit_within(picture.pixels.shape[1], picture.pixels.shape[0], edge)
    if (height, width) == picture.pixels.shape[:2]:
        return picture.pixels
    small = encode_curve(shrink_linear(picture.pixels, width, height, picture.domain), SPACES[picture.domain].curve)
    return np.asarray(np.rint(np.clip(small, 0, 1) * 65535), dtype=np.uint16)


def render_picture(renderer: Renderer, picture: Picture, depth: int, edge: int | None = None) -> Pixels:
    """Finished pixels of a whole picture, at full size or at a long edge, 8 or 16 bit."""
    pixels = picture.pixels if edge is None else shrink_encoded(picture, edge)
    return renderer.picture(pixels, depth, threads=THREADS)


def newly_clipped(sample: Linear, plan: FramePlan) -> float:
    """Share of sampled colours (N, 3) with a channel at an end of sRGB after a plan that was not there before."""
    before: Floats = np.clip(from_linear(sample), 0, 1)
    after = renderer_of(plan).picture(before[None], 16)[0] / np.float32(65535)
    return float((_at_an_end(after) & ~_at_an_end(before)).mean())


def _at_an_end(encoded: Floats) -> np.ndarray:
    return np.asarray((encoded.max(axis=1) >= _CLIPPED) | (encoded.min(axis=1) <= 1 - _CLIPPED))
