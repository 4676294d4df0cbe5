"""Compiling: the colours of a frame plan as a lookup table."""

from concurrent.futures import ThreadPoolExecutor

import numpy as np

from nuvett.core.plan.apply import finished
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.spaces.rgb import Space, cube_to_linear, to_linear
from nuvett.core.table.table import USUAL_SIZE, ShapedTable, grid
from nuvett.core.types import Encoded01, Floats, Linear

_SHAPED_AT = np.linspace(0, 1, 513)
_WORTH_A_THREAD = 30_000  # colours below which a thread costs more than it saves
_SMOOTH = 33  # of the 513 values that the bend is averaged over
_ROUNDING = 1e-6  # of second differences, in single precision
_BENDS = 1e-3  # mean root of the bend below which a response is as good as straight, and points lie evenly
_DENSEST, _FITTED = 4.0, 0.6  # times the mean density at most; share of the fitted density, the rest even


def compile_plan(
    plan: FramePlan, size: int = USUAL_SIZE, domain: Space = Space.SRGB, space: Space = Space.SRGB
) -> Floats:
    """Table (size, size, size, 3), indexed red, green, blue: encoded `domain` colours to encoded `space` colours.

    Both ends are encoded with their transfer curves, which space the grid perceptually. Colours outside the gamut
    of `space` have been mapped into it, so entries lie in 0 to 1.
    """
    made = direct(plan, Encoded01(grid(size).reshape(-1, 3)), domain, space)
    return np.ascontiguousarray(made.reshape(size, size, size, 3))


def compile_shaped(
    plan: FramePlan,
    size: int = USUAL_SIZE,
    domain: Space = Space.SRGB,
    space: Space = Space.SRGB,
    threads: int = 1,
) -> ShapedTable:
    """A plan's table with a shaper fitted to it; arguments as in `compile_plan`. The same on any number of threads."""
    shaper = fit_shaper(plan, domain, space)
    axis = np.interp(np.linspace(0, 1, size), shaper, _SHAPED_AT).astype(np.float32)
    linear = cube_to_linear(axis, domain)
    if threads == 1 or len(linear) < _WORTH_A_THREAD * threads:
        return ShapedTable(shaper, finished(plan, linear, space).reshape(size, size, size, 3))
    with ThreadPoolExecutor(threads) as pool:
        parts = [Linear(part) for part in np.array_split(linear, threads)]
        made = np.concatenate(list(pool.map(lambda part: finished(plan, part, space), parts)))
    return ShapedTable(shaper, made.reshape(size, size, size, 3))


def fit_shaper(plan: FramePlan, domain: Space, space: Space) -> Floats:
    """Shaper (513,) of a plan, by how its response along greys bends.

    Linear interpolation is off by the second derivative times the square of the step, so points are as dense as its
    root (de Boor, "A Practical Guide to Splines", 1978, chapter 12), smoothed, bounded, and mixed with an even
    spacing for what bends elsewhere. All channels share it, so that greys stay on the diagonal of the table.
    """
    greys = Encoded01(np.repeat(_SHAPED_AT[:, None], 3, axis=1).astype(np.float32))
    response = direct(plan, greys, domain, space).astype(np.float64)
    bend = np.maximum(np.abs(np.diff(response, 2, axis=0)).sum(axis=1) - _ROUNDING, 0)
    bend = np.pad(bend, 1, mode="edge")
    smooth = np.convolve(np.pad(bend, _SMOOTH // 2, mode="edge"), np.full(_SMOOTH, 1 / _SMOOTH), mode="valid")
    density = np.sqrt(smooth)
    if density.mean() < _BENDS:
        return _SHAPED_AT.astype(np.float32)
    density = _FITTED * np.minimum(density / float(density.mean()), _DENSEST) + (1 - _FITTED)
    risen = np.concatenate([[0.0], np.cumsum(density[1:] + density[:-1])])
    return np.asarray(risen / risen[-1], dtype=np.float32)


def direct(plan: FramePlan, encoded: Encoded01, domain: Space = Space.SRGB, space: Space = Space.SRGB) -> Encoded01:
    """What the table stands for, computed without it: encoded colours (N, 3) to encoded colours (N, 3)."""
    return Encoded01(np.ascontiguousarray(finished(plan, to_linear(encoded, domain), space)))
