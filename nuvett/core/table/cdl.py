"""ASC CDL: slope, offset, power and saturation that come nearest to a table, and their text (ASC CDL 1.2)."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

from nuvett.core.spaces.cielab import difference
from nuvett.core.spaces.rgb import to_linear
from nuvett.core.table.table import check_table, grid
from nuvett.core.types import Encoded01, Floats

_LUMA = np.array([0.2126, 0.7152, 0.0722])  # ASC CDL 1.2, saturation
_FITTED_POINTS = 9


@dataclass(frozen=True)
class Cdl:
    """A colour decision: three slopes, offsets and powers, one saturation; residual in mean CIEDE2000."""

    slope: tuple[float, float, float]
    offset: tuple[float, float, float]
    power: tuple[float, float, float]
    saturation: float
    residual: float


def apply_cdl(values: NDArray[np.float64], colours: Encoded01) -> NDArray[np.float64]:
    """Colours (N, 3) under ten numbers: slopes, offsets, powers, saturation (ASC CDL 1.2, in that order)."""
    slope, offset, power = values[:3], values[3:6], values[6:9]
    out = np.clip(colours * slope + offset, 0, 1) ** power
    luma = (out @ _LUMA)[:, None]
    return np.asarray(np.clip(luma + values[9] * (out - luma), 0, 1))


def nearest_cdl(table: Floats) -> Cdl:
    """The CDL nearest to a table (S, S, S, 3) on encoded colours, by least squares over its cube."""
    size = check_table(table).shape[0]
    index = np.rint(np.linspace(0, size - 1, min(size, _FITTED_POINTS))).astype(int)
    part = np.ix_(index, index, index)
    asked, wanted = grid(size)[part].reshape(-1, 3), table[part].reshape(-1, 3)
    start = np.array([1, 1, 1, 0, 0, 0, 1, 1, 1, 1], dtype=np.float64)
    low, high = [0.05] * 3 + [-1.0] * 3 + [0.2] * 3 + [0.0], [8.0] * 3 + [1.0] * 3 + [5.0] * 3 + [4.0]
    found = least_squares(lambda v: (apply_cdl(v, asked) - wanted).ravel(), start, bounds=(low, high)).x
    made = to_linear(apply_cdl(found, asked).astype(np.float32))
    residual = float(difference(made, to_linear(wanted.astype(np.float32))).mean())
    s, o, p = (tuple(round(float(v), 6) for v in found[i : i + 3]) for i in (0, 3, 6))
    return Cdl((s[0], s[1], s[2]), (o[0], o[1], o[2]), (p[0], p[1], p[2]), round(float(found[9]), 6), residual)


def write_cdl(cdl: Cdl, name: str) -> str:
    """Text of a colour decision list with one decision."""
    plain = "".join(c for c in name if c.isalnum() or c in "-_. ")[:80]
    rows = {"Slope": cdl.slope, "Offset": cdl.offset, "Power": cdl.power}
    sop = "\n".join(f"        <{key}>{' '.join(f'{v:.6f}' for v in values)}</{key}>" for key, values in rows.items())
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        '<ColorDecisionList xmlns="urn:ASC:CDL:v1.2">\n  <ColorDecision>\n'
        f'    <ColorCorrection id="{plain}">\n      <SOPNode>\n{sop}\n      </SOPNode>\n'
        f"      <SatNode>\n        <Saturation>{cdl.saturation:.6f}</Saturation>\n      </SatNode>\n"
        "    </ColorCorrection>\n  </ColorDecision>\n</ColorDecisionList>\n"
    )
