"""Table files: every format that is written comes back, and what is no table is refused."""

from pathlib import Path

import numpy as np
import pytest

from nuvett.core.errors import TableError
from nuvett.core.table.cdl import SANE_HIGH, SANE_LOW, apply_cdl, nearest_cdl
from nuvett.core.table.table import grid
from nuvett.imaging.tables import TableFormat, format_of, read_table, table_text


def graded(values: list[float], size: int = 33) -> np.ndarray:
    made = apply_cdl(np.array(values), grid(size).reshape(-1, 3))
    return made.reshape(size, size, size, 3).astype(np.float32)


TABLE = graded([1.1, 1.0, 0.9, 0.02, 0.0, -0.01, 0.9, 1.0, 1.2, 0.8])


@pytest.mark.parametrize("fmt", list(TableFormat))
def test_every_format_comes_back(fmt: TableFormat, tmp_path: Path) -> None:
    path = tmp_path / f"look{fmt.value}"
    path.write_text(table_text(TABLE, fmt, 'A "look" & more', ("first", "second")))
    assert format_of(path) is fmt
    found = read_table(path)
    step = (found.shape[0] - 1) // 8
    coarse, wanted = found[::step, ::step, ::step], TABLE[::4, ::4, ::4]
    assert np.abs(coarse - wanted).max() < (0.02 if fmt is TableFormat.CDL else 1e-4)
    assert np.abs(coarse - wanted).mean() < 2e-3


def test_a_cdl_is_found_again_exactly() -> None:
    found = nearest_cdl(TABLE)
    assert found.residual < 0.1
    assert found.slope == pytest.approx((1.1, 1.0, 0.9), abs=0.01) and found.saturation == pytest.approx(0.8, abs=0.01)


@pytest.mark.parametrize("lift", [0.0, 0.12])
def test_a_cdl_of_a_look_it_cannot_hold_stays_sane_keeps_the_ends_and_says_what_it_misses(lift: float) -> None:
    cube = grid(33)
    rolled = np.stack([cube[..., 0], 0.5 * cube[..., 1] + 0.5 * cube[..., 2], cube[..., 0]], axis=-1)
    table = (lift + (0.97 - lift) * (0.6 * cube + 0.4 * rolled) ** [1.6, 1.3, 1.1]).astype(np.float32)
    found = nearest_cdl(table)
    numbers = np.array([*found.slope, *found.offset, *found.power, found.saturation])
    assert (numbers >= SANE_LOW).all() and (numbers <= SANE_HIGH).all()
    ends = apply_cdl(numbers, np.array([[0, 0, 0], [1, 1, 1]], dtype=np.float32))
    assert np.abs(ends - table[[0, -1], [0, -1], [0, -1]]).max() < 0.05
    assert 3 < found.residual < found.worst < 60
    assert found.words in table_text(table, TableFormat.CDL, "x")


def test_curves_become_a_table(tmp_path: Path) -> None:
    path = tmp_path / "curves.cube"
    rows = "\n".join(f"{v**2} {v} {1 - v}" for v in np.linspace(0, 1, 256))
    path.write_text(f"LUT_1D_SIZE 256\n{rows}\n")
    axis = grid(65)
    wanted = np.stack([axis[..., 0] ** 2, axis[..., 1], 1 - axis[..., 2]], axis=-1)
    assert np.abs(read_table(path) - wanted).max() < 1e-3


@pytest.mark.parametrize("name", ["a.clf", "a.cdl", "a.cc", "a.ccc", "a.cube"])
@pytest.mark.parametrize("text", ["", "hello", "<?xml version='1.0'?><x/>"])
def test_what_is_no_table_is_refused(name: str, text: str, tmp_path: Path) -> None:
    (tmp_path / name).write_text(text)
    with pytest.raises(TableError):
        read_table(tmp_path / name)
    with pytest.raises(TableError, match=r"\.cube"):
        format_of(Path("look.txt"))
