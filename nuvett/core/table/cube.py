"""The Cube LUT text format (Cube LUT Specification 1.0): read strictly, one- and three-dimensional, and written."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nuvett.core.errors import TableError
from nuvett.core.table.table import LARGEST_SIZE, check_table, grid
from nuvett.core.types import Floats

_LONGEST_CURVE, _CURVE_POINTS = 65536, 65
_LONGEST = 250  # characters a line, as the specification has it


def write_cube(table: Floats, title: str, comments: tuple[str, ...] = ()) -> str:
    """Text of a table (S, S, S, 3) indexed red, green, blue; the file runs with red fastest."""
    check_table(table)
    size = table.shape[0]
    clean = "".join(c for c in title if c.isprintable() and c != '"')[:200]
    head = [f'TITLE "{clean}"', *(f"# {line}"[:_LONGEST] for line in comments), f"LUT_3D_SIZE {size}"]
    rows = np.ascontiguousarray(table.transpose(2, 1, 0, 3)).reshape(-1, 3)
    return "\n".join(head) + "\n" + "\n".join(f"{r:.6f} {g:.6f} {b:.6f}" for r, g, b in rows.tolist()) + "\n"


@dataclass(frozen=True)
class CubeHead:
    """What a Cube LUT says before its lines: title, points of its curves or a side of its cube, domain.

    lines : of the text that the head takes
    """

    title: str
    curve_size: int
    size: int
    low: NDArray[np.float64]
    high: NDArray[np.float64]
    lines: int

    @property
    def words(self) -> str:
        """What kind of table it is."""
        kind = f"curves of {self.curve_size} points" if self.curve_size else f"{self.size} points a side"
        if (self.low == 0).all() and (self.high == 1).all():
            return kind
        return f"{kind}, for values from {self.low.min():g} to {self.high.max():g}"


def read_head(text: str) -> CubeHead:
    """The head of a Cube LUT. Raises TableError as `read_cube`, for what stands before its lines."""
    size = curve_size = 0
    title, number = "", 0
    low, high = np.zeros(3), np.ones(3)
    at = 0
    while at < len(text):
        end = text.find("\n", at)
        end = len(text) if end < 0 else end
        line = text[at:end].strip()
        if line and not line.startswith("#") and not line[0].isalpha():
            break
        number, at = number + 1, end + 1
        word, *words = line.split() or [""]
        if word == "TITLE":
            title = line[5:].strip().strip('"')
        elif word == "LUT_3D_SIZE":
            size = _size(words)
        elif word == "DOMAIN_MIN":
            low = _three(words, number)
        elif word == "DOMAIN_MAX":
            high = _three(words, number)
        elif word == "LUT_1D_SIZE":
            curve_size = _size(words, _LONGEST_CURVE)
        elif word and not word.startswith("#"):
            raise TableError(f"Line {number} of the table starts with {word[:40]!r}, which has no meaning here.")
    if not (high > low).all():
        raise TableError("The table's domain is empty.")
    if size and curve_size:
        raise TableError("The table says that it is one-dimensional and three-dimensional.")
    if not size and not curve_size:
        raise TableError("The table does not say its size (LUT_3D_SIZE or LUT_1D_SIZE).")
    return CubeHead(title[:200], curve_size, size, low, high, number)


def refuse_cut_off(head: CubeHead, lines: int) -> None:
    """Raise TableError for a table with fewer lines, head and all, than its size needs; that is known unread."""
    count = head.curve_size or head.size**3
    if lines - head.lines < count:
        raise TableError(f"The table is cut off: it needs {count} lines and holds {max(0, lines - head.lines)}.")


def read_cube(text: str) -> Floats:
    """Table (S, S, S, 3) of a Cube LUT, its domain resampled to 0 to 1; curves become a table of 65 points a side.

    Raises TableError on a wrong count of lines, values that are not finite, unknown keywords and absurd sizes.
    """
    head = read_head(text)
    count = head.curve_size or head.size**3
    values = _rows_of(text, head.lines, head.curve_size or head.size, count)
    if head.curve_size:
        return _from_curves(values, head.low, head.high)
    size = head.size
    table = check_table(np.ascontiguousarray(values.reshape(size, size, size, 3).transpose(2, 1, 0, 3)))
    unit = (head.low == 0).all() and (head.high == 1).all()
    return table if unit else _to_unit_domain(table, head.low, head.high)


def _rows_of(text: str, skipped: int, size: int, count: int) -> Floats:
    """Rows of three numbers (count, 3), after some lines of head."""
    lines = text.splitlines()[skipped:]
    try:
        # A table that breaks off in its head has no lines, at which the reader below would only warn.
        values = np.loadtxt(lines, np.float32, max_rows=count + 1, ndmin=2) if any(lines) else np.empty((0, 3))
    except ValueError as error:
        raise TableError("A line of the table does not hold three numbers.") from error
    if len(values) != count:
        more = "more" if len(values) > count else f"{len(values)}"
        raise TableError(f"The table says {size} points, which are {count} lines, but holds {more}.")
    if values.shape[1] != 3:
        raise TableError("A line of the table does not hold three numbers.")
    if not np.isfinite(values).all():
        raise TableError("The lookup table holds values that are not numbers.")
    return np.asarray(values, dtype=np.float32)


def _from_curves(curves: Floats, low: np.ndarray, high: np.ndarray) -> Floats:
    """Table of three curves (N, 3) over a domain, sampled at as many points as a table may have, up to 65."""
    axis = np.linspace(0, 1, min(_CURVE_POINTS, max(2, len(curves))))
    at = np.linspace(0, 1, len(curves))
    columns = [np.interp((axis - low[c]) / (high[c] - low[c]), at, curves[:, c]).astype(np.float32) for c in range(3)]
    return np.stack(np.meshgrid(*columns, indexing="ij"), axis=-1)


def _size(values: list[str], most: int = LARGEST_SIZE) -> int:
    if len(values) != 1 or not values[0].isdigit() or not 2 <= int(values[0]) <= most:
        raise TableError(f"The table's size must be a number from 2 to {most}.")
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
