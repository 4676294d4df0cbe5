"""The Cube LUT text format (Cube LUT Specification 1.0): three-dimensional tables, read strictly and written."""

import numpy as np

from nuvett.core.errors import TableError
from nuvett.core.table.table import LARGEST_SIZE, check_table, grid
from nuvett.core.types import Floats

_LONGEST = 250  # characters a line, as the specification has it


def write_cube(table: Floats, title: str, comments: tuple[str, ...] = ()) -> str:
    """Text of a table (S, S, S, 3) indexed red, green, blue; the file runs with red fastest."""
    check_table(table)
    size = table.shape[0]
    clean = "".join(c for c in title if c.isprintable() and c != '"')[:200]
    head = [f'TITLE "{clean}"', *(f"# {line}"[:_LONGEST] for line in comments), f"LUT_3D_SIZE {size}"]
    rows = np.ascontiguousarray(table.transpose(2, 1, 0, 3)).reshape(-1, 3)
    return "\n".join(head) + "\n" + "\n".join(f"{r:.6f} {g:.6f} {b:.6f}" for r, g, b in rows.tolist()) + "\n"


def read_cube(text: str) -> Floats:
    """Table (S, S, S, 3) of a 3-D Cube LUT, its domain resampled to 0 to 1.

    Raises TableError on a wrong count of lines, values that are not finite, unknown keywords and absurd sizes.
    """
    size = 0
    low, high = np.zeros(3), np.ones(3)
    rows: list[str] = []
    for number, raw in enumerate(text.splitlines(), start=1):
        line = raw.strip()
        if not line or line.startswith(("#", "TITLE")):
            continue
        if line[0].isalpha():
            word, *words = line.split()
            if word == "LUT_3D_SIZE":
                size = _size(words)
            elif word == "DOMAIN_MIN":
                low = _three(words, number)
            elif word == "DOMAIN_MAX":
                high = _three(words, number)
            elif word == "LUT_1D_SIZE":
                raise TableError("This is a one-dimensional table; a three-dimensional one is needed.")
            else:
                raise TableError(f"Line {number} of the table starts with {word[:40]!r}, which has no meaning here.")
        else:
            rows.append(line)
            if len(rows) > LARGEST_SIZE**3:
                raise TableError("The table holds more lines than any accepted size.")
    table = _table_of(rows, size)
    if not (high > low).all():
        raise TableError("The table's domain is empty.")
    return table if (low == 0).all() and (high == 1).all() else _to_unit_domain(table, low, high)


def _table_of(rows: list[str], size: int) -> Floats:
    if size == 0:
        raise TableError("The table does not say its size (LUT_3D_SIZE).")
    if len(rows) != size**3:
        raise TableError(f"The table says {size} points a side, which are {size**3} lines, but holds {len(rows)}.")
    try:
        values: Floats = np.array([row.split() for row in rows], dtype=np.float32)
    except ValueError as error:
        raise TableError("A line of the table does not hold three numbers.") from error
    if values.ndim != 2 or values.shape[1] != 3:
        raise TableError("A line of the table does not hold three numbers.")
    return check_table(np.ascontiguousarray(values.reshape(size, size, size, 3).transpose(2, 1, 0, 3)))


def _size(values: list[str]) -> int:
    if len(values) != 1 or not values[0].isdigit() or not 2 <= int(values[0]) <= LARGEST_SIZE:
        raise TableError(f"The table's size must be a number from 2 to {LARGEST_SIZE}.")
    return int(values[0])


def _three(values: list[str], number: int) -> np.ndarray:
    try:
        found = np.array([float(v) for v in values])
    except ValueError as error:
        raise TableError(f"Line {number} of the table does not hold three numbers.") from error
    if found.shape != (3,) or not np.isfinite(found).all():
        raise TableError(f"Line {number} of the table does not hold three numbers.")
    return found


def _to_unit_domain(table: Floats, low: np.ndarray, high: np.ndarray) -> Floats:
    """The same table over the domain 0 to 1, sampled trilinearly; outside its own domain it is held."""
    size = table.shape[0]
    position = np.clip((grid(size) - low) / (high - low), 0, 1) * (size - 1)
    lower = np.minimum(position.astype(np.int64), size - 2)
    fraction = (position - lower).astype(np.float32)
    out = np.zeros_like(table)
    for corner in range(8):
        step = np.array([corner >> 2 & 1, corner >> 1 & 1, corner & 1])
        weight = np.where(step == 1, fraction, 1 - fraction).prod(axis=-1, keepdims=True)
        r, g, b = np.moveaxis(lower + step, -1, 0)
        out += weight * table[r, g, b]
    return out
