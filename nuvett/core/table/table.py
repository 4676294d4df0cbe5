"""Lookup tables: the colour part of a frame plan, compiled."""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from nuvett.core.errors import TableError
from nuvett.core.fit.plan import FramePlan, apply_plan
from nuvett.core.spaces.gamut import map_to_gamut
from nuvett.core.spaces.rgb import SPACES, Space, encode_curve, to_linear
from nuvett.core.types import Encoded01, Floats

USUAL_SIZE = 33
LARGEST_SIZE = 129
_SHAPED_AT = np.linspace(0, 1, 513)
_SMOOTH = 33  # of the 513 values that the bend is averaged over
_ROUNDING = 1e-6  # of second differences, in single precision
_BENDS = 1e-3  # mean root of the bend below which a response is as good as straight, and points lie evenly
_DENSEST, _FITTED = 4.0, 0.6  # times the mean density at most; share of the fitted density, the rest even


def grid(size: int) -> Encoded01:
    """(size, size, size, 3) colours of an even grid, 0 to 1, indexed red, green, blue."""
    axis = np.linspace(0, 1, size, dtype=np.float32)
    return np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1)


@lru_cache(maxsize=8)
def _grid_linear(size: int, domain: Space) -> Floats:
    """Linear light (size^3, 3) of the grid's colours, which is the same for every plan."""
    linear = to_linear(grid(size).reshape(-1, 3), domain)
    linear.setflags(write=False)
    return linear


def compile_plan(
    plan: FramePlan, size: int = USUAL_SIZE, domain: Space = Space.SRGB, space: Space = Space.SRGB
) -> Floats:
    """Table (size, size, size, 3), indexed red, green, blue: encoded `domain` colours to encoded `space` colours.

    Both ends are encoded with their transfer curves, which space the grid perceptually. Colours outside the gamut
    of `space` have been mapped into it, so entries lie in 0 to 1.
    """
    lab = apply_plan(plan, _grid_linear(size, domain), space)
    encoded = encode_curve(map_to_gamut(lab, space), SPACES[space].curve)
    return np.ascontiguousarray(np.clip(encoded, 0, 1).reshape(size, size, size, 3))


@dataclass(frozen=True)
class ShapedTable:
    """A table whose points lie closer together where the plan bends most.

    shaper : (513,) rising from 0 to 1, for every channel: where an encoded value lies among the table's points
    table : (S, S, S, 3) as in `compile_plan`, at the values that the shaper spreads evenly
    """

    shaper: Floats
    table: Floats


def compile_shaped(
    plan: FramePlan, size: int = USUAL_SIZE, domain: Space = Space.SRGB, space: Space = Space.SRGB
) -> ShapedTable:
    """A plan's table with a shaper fitted to it; arguments as in `compile_plan`."""
    shaper = fit_shaper(plan, domain, space)
    axis = np.interp(np.linspace(0, 1, size), shaper, _SHAPED_AT).astype(np.float32)
    encoded = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)
    return ShapedTable(shaper, direct(plan, encoded, domain, space).reshape(size, size, size, 3))


def fit_shaper(plan: FramePlan, domain: Space, space: Space) -> Floats:
    """Shaper (513,) of a plan, by how its response along greys bends.

    Linear interpolation is off by the second derivative times the square of the step, so points are as dense as its
    root (de Boor, "A Practical Guide to Splines", 1978, chapter 12), smoothed, bounded, and mixed with an even
    spacing for what bends elsewhere. All channels share it, so that greys stay on the diagonal of the table.
    """
    greys = np.repeat(_SHAPED_AT[:, None], 3, axis=1).astype(np.float32)
    response = direct(plan, greys, domain, space).astype(np.float64)
    bend = np.maximum(np.abs(np.diff(response, 2, axis=0)).sum(axis=1) - _ROUNDING, 0)
    bend = np.pad(bend, 1, mode="edge")
    smooth = np.convolve(np.pad(bend, _SMOOTH // 2, mode="edge"), np.full(_SMOOTH, 1 / _SMOOTH), mode="valid")
    density = np.sqrt(smooth)
    if density.mean() < _BENDS:
        return _SHAPED_AT.astype(np.float32)
    density = _FITTED * np.minimum(density / float(density.mean()), _DENSEST) + (1 - _FITTED)
    risen = np.concatenate([[0.0], np.cumsum((density[1:] + density[:-1]) / 2)])
    return np.asarray(risen / risen[-1], dtype=np.float32)


def direct(plan: FramePlan, encoded: Encoded01, domain: Space = Space.SRGB, space: Space = Space.SRGB) -> Encoded01:
    """What the table stands for, computed without it: encoded colours (N, 3) to encoded colours (N, 3)."""
    linear = map_to_gamut(apply_plan(plan, to_linear(encoded, domain), space), space)
    return np.clip(encode_curve(linear, SPACES[space].curve), 0, 1)


def weaken(table: Floats, strength: float) -> Floats:
    """A table at a strength from 0 (identity) to 1, mixed in the encoded values it holds."""
    identity = grid(table.shape[0])
    return np.asarray(identity + (table - identity) * np.float32(strength), dtype=np.float32)


def check_table(table: Floats) -> Floats:
    """The table itself, if it is cubic, of a usable size and finite. Raises TableError otherwise."""
    if table.ndim != 4 or table.shape[3] != 3 or len(set(table.shape[:3])) != 1:
        raise TableError("The lookup table is not a cube of colours.")
    if not 2 <= table.shape[0] <= LARGEST_SIZE:
        raise TableError(f"The lookup table has {table.shape[0]} points a side; 2 to {LARGEST_SIZE} are accepted.")
    if not np.isfinite(table).all():
        raise TableError("The lookup table holds values that are not numbers.")
    return table
