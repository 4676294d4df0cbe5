"""Gamut mapping by chroma reduction at constant lightness and hue."""

from functools import cache

import numpy as np
from numpy.typing import NDArray

from nuvett.core import lanes
from nuvett.core.quick import joined, planes_of
from nuvett.core.spaces.oklab import LINEAR_TO_LMS, LMS_TO_OKLAB, TO_LINEAR, linear_to_oklab, oklab_to_linear
from nuvett.core.spaces.rgb import SPACES, Space, matrix_between
from nuvett.core.types import Encoded01, Floats, Linear, OKLab

JUST_NOTICEABLE = 0.02  # difference in OKLab below which clipping is accepted; CSS Color 4, section 13.2
_BOUNDARY_STEPS = 11  # bisection of chroma: 0.4 / 2**11 is far below anything visible
_CLIP_REACH = 0.06  # chroma beyond the boundary within which clipping can still be unnoticeable
_CLIP_STEPS = 5
_TOLERANCE = 1e-5
_BELOW_WHITE = 0.994  # linear light; 254.3 of 255 in sRGB
KNEE, EDGE = 0.8, 0.985  # shares of the boundary's chroma between which colours pushed outward are eased
LIGHTNESSES, HUES = 201, 360  # grid of directions that limits are kept for
_FARTHEST = 0.5  # chroma beyond every space here


def _in_space(linear: Linear, space: Space) -> Floats:
    if space is Space.SRGB:
        return linear
    return np.asarray(linear @ matrix_between(Space.SRGB, space).T, dtype=np.float32)


def _outside(planes: Floats, top: float = 1) -> NDArray[np.bool_]:
    """Which of (3, N) RGB colours lie outside 0 to `top`; channel planes, as reducing a last axis of 3 is slow."""
    return np.asarray((planes.min(axis=0) < -_TOLERANCE) | (planes.max(axis=0) > top + _TOLERANCE))


def _boundary(lab: OKLab, space: Space, top: float = 1) -> Floats:
    """Largest share (N,) of each colour's chroma that keeps every channel of `space` between 0 and `top`.

    Along constant lightness and hue each RGB channel is a cubic polynomial of chroma, so the search evaluates
    three polynomials instead of converting colours.
    """
    to_rgb = matrix_between(Space.SRGB, space).astype(np.float64) @ np.linalg.inv(LINEAR_TO_LMS)
    slopes = np.linalg.inv(LMS_TO_OKLAB)[:, 1:] @ lab[:, 1:].T.astype(np.float64)
    lightness = lab[:, 0].astype(np.float64)
    constant = (lightness**3).astype(np.float32)
    first = (to_rgb @ (3 * lightness**2 * slopes)).astype(np.float32)
    second = (to_rgb @ (3 * lightness * slopes**2)).astype(np.float32)
    third = (to_rgb @ slopes**3).astype(np.float32)
    low = np.zeros(len(lab), dtype=np.float32)
    high = np.ones(len(lab), dtype=np.float32)
    for _ in range(_BOUNDARY_STEPS):
        middle = (low + high) / 2
        inside = ~_outside(constant + middle * (first + middle * (second + middle * third)), top)
        low = np.where(inside, middle, low)
        high = np.where(inside, high, middle)
    return low


def _most_chroma(lab: OKLab, space: Space) -> Floats:
    """Largest share (N,) of each colour's chroma whose clipped colour cannot be told from it."""
    low = _boundary(lab, space)
    chroma = np.maximum(np.hypot(lab[:, 1], lab[:, 2]), 1e-6)
    high = np.minimum(1, low + _CLIP_REACH / chroma)
    back = matrix_between(space, Space.SRGB).T
    for _ in range(_CLIP_STEPS):
        middle = (low + high) / 2
        current = lab * np.stack([np.ones_like(middle), middle, middle], axis=1)
        clipped = np.clip(_in_space(oklab_to_linear(OKLab(current)), space), 0, 1)
        moved = linear_to_oklab(Linear(clipped if space is Space.SRGB else clipped @ back)) - current
        accept = np.einsum("ij,ij->i", moved, moved) < JUST_NOTICEABLE**2
        low = np.where(accept, middle, low)
        high = np.where(accept, high, middle)
    return np.asarray(low, dtype=np.float32)


def _directions() -> OKLab:
    """Far colours, (LIGHTNESSES * (HUES + 1), 3), in every direction that limits are kept for."""
    lightness = np.linspace(0, 1, LIGHTNESSES, dtype=np.float32)
    hue = np.linspace(0, 2 * np.pi, HUES + 1, dtype=np.float32)
    grid = np.stack(np.meshgrid(lightness, hue, indexing="ij"), axis=-1).reshape(-1, 2)
    a, b = _FARTHEST * np.cos(grid[:, 1]), _FARTHEST * np.sin(grid[:, 1])
    return OKLab(np.stack([grid[:, 0], a, b], axis=1).astype(np.float32))


def _kept(shares: Floats) -> Floats:
    """Limits by cell of lightness and hue, (LIGHTNESSES - 1, HUES, 4), as `lanes` takes them."""
    grid = (shares * _FARTHEST).reshape(LIGHTNESSES, HUES + 1).astype(np.float32)
    corner, right, down = grid[:-1, :-1], grid[:-1, 1:] - grid[:-1, :-1], grid[1:, :-1] - grid[:-1, :-1]
    cells = np.stack([corner, right, down, grid[1:, 1:] - grid[1:, :-1] - right], axis=-1)
    cells.setflags(write=False)
    return cells


@cache
def chroma_limits(space: Space) -> Floats:
    """Largest usable OKLab chroma of a space on even grids of lightness 0 to 1 and hue, as `_kept` gives it.

    The search of CSS Color 4 ends at the same chroma wherever along a hue and lightness it starts, so it is run
    once for a grid of directions; each colour then only looks its limit up.
    """
    return _kept(_most_chroma(_directions(), space))


@cache
def gamut_boundary(space: Space) -> Floats:
    """Chroma at the boundary, without what clipping may take unseen; on the grid of `chroma_limits`.

    White is taken a little lower, so that what stays inside does not round to the last code of 8 bits.
    """
    return _kept(_boundary(_directions(), space, _BELOW_WHITE))


@cache
def _reduced(space: Space, encoded: bool) -> Floats:
    """What reducing into a space depends on, as `lanes.within` takes it."""
    curve = SPACES[space].curve
    if encoded and curve.stops:
        raise ValueError("a space with room above white has no gamut to be encoded in")
    numbers = curve.numbers if encoded else (0, 0, 0, 0)
    lms_to_light = matrix_between(Space.SRGB, space).astype(np.float64) @ np.linalg.inv(LINEAR_TO_LMS)
    cells = chroma_limits(space)
    return joined(TO_LINEAR[:9], lms_to_light, numbers, [_TOLERANCE], cells.shape[:2], cells)


@cache
def _eased(space: Space) -> Floats:
    """What easing before the boundary of a space depends on, as `lanes.eased` takes it."""
    cells = gamut_boundary(space)
    return joined([KNEE, EDGE], cells.shape[:2], cells)


def ease_outward(before: OKLab, after: OKLab, space: Space = Space.SRGB) -> OKLab:
    """Colours (N, 3) after a look, those it pushes toward the boundary of a gamut eased so that they do not clip.

    Chroma relative to the boundary, above a knee and above what the colour had before, nears 0.985 but never passes
    it: k + r t / (t + r) with t the part above the knee k and r the room left. What was near the boundary already
    keeps its place; hue and lightness are kept.
    """
    return OKLab(lanes.eased(planes_of(after), planes_of(before), _eased(space)).T)


def map_to_gamut(lab: OKLab, space: Space = Space.SRGB) -> Floats:
    """Linear RGB (N, 3) of `space`, inside 0 to 1, for OKLab colours (N, 3).

    Colours inside the gamut are kept. Others lose chroma at constant OKLab lightness and hue until clipping what
    is left is not noticeable: the method of CSS Color Module Level 4, section 13.2 (MINDE with local clip).
    """
    return lanes.within(planes_of(lab), _reduced(space, encoded=False)).T


def encoded_in(lab: OKLab, space: Space) -> Encoded01:
    """OKLab colours (N, 3) mapped into the gamut of a space that finished files can be in, encoded there."""
    return Encoded01(lanes.within(planes_of(lab), _reduced(space, encoded=True)).T)
