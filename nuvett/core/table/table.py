"""Lookup tables: the colour part of a frame plan, compiled."""

from functools import lru_cache

import numpy as np

from nuvett.core.errors import TableError
from nuvett.core.fit.plan import FramePlan, apply_plan
from nuvett.core.spaces.gamut import map_to_gamut
from nuvett.core.spaces.rgb import SPACES, Space, encode_curve, to_linear
from nuvett.core.types import Encoded01, Floats

USUAL_SIZE = 33
LARGEST_SIZE = 129


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
