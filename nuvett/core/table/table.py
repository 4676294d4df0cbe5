"""Lookup tables: colours on a cube, with a shaper or without."""

from dataclasses import dataclass

import numpy as np

from nuvett.core.errors import TableError
from nuvett.core.types import Encoded01, Floats

USUAL_SIZE = 33
LARGEST_SIZE = 129


def grid(size: int) -> Encoded01:
    """(size, size, size, 3) colours of an even grid, 0 to 1, indexed red, green, blue."""
    axis = np.linspace(0, 1, size, dtype=np.float32)
    return Encoded01(np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1))


@dataclass(frozen=True)
class ShapedTable:
    """A table whose points lie closer together where the plan bends most.

    shaper : (513,) rising from 0 to 1, for every channel: where an encoded value lies among the table's points
    table : (S, S, S, 3), indexed red, green, blue, at the values that the shaper spreads evenly
    """

    shaper: Floats
    table: Floats


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
