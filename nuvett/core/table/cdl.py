"""ASC CDL: slope, offset, power and saturation that come nearest to a table (ASC CDL 1.2)."""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

from nuvett.core.spaces.cielab import difference
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import to_linear
from nuvett.core.table.table import check_table, grid
from nuvett.core.types import Encoded01, Floats

_LUMA = np.array([0.2126, 0.7152, 0.0722])  # ASC CDL 1.2, saturation
_FITTED_POINTS = 9
_USUAL_CHROMA = 0.1  # OKLab chroma within which most of a photograph lies; purer corners of the cube count for less
_MIN_WEIGHT = 0.1  # what the purest colours still count for
_GREYS, _ENDS = 4.0, 120.0  # weight of a grey, and of black and white, against one colour of the grid

# Slopes, offsets, powers and saturation that a person at another program can still read and turn further.
SANE_LOW = np.array([0.4] * 3 + [-0.25] * 3 + [0.4] * 3 + [0.0])
SANE_HIGH = np.array([2.5] * 3 + [0.25] * 3 + [2.5] * 3 + [2.0])


@dataclass(frozen=True)
class Cdl:
    """A colour decision: three slopes, offsets and powers, one saturation, and what it misses of its table.

    residual : mean CIEDE2000 from the table's colours, each counted as often as photographs show such colours
    worst : the CIEDE2000 that 95 % of those colours stay under
    """

    slope: tuple[float, float, float]
    offset: tuple[float, float, float]
    power: tuple[float, float, float]
    saturation: float
    residual: float
    worst: float

    @property
    def words(self) -> str:
        """How far to trust it."""
        return (
            f"It misses the Cube by {self.residual:.1f} CIEDE2000 on average, and by up to {self.worst:.1f} "
            "for 95 % of usual colours."
        )


def apply_cdl(values: NDArray[np.float64], colours: Encoded01) -> NDArray[np.float64]:
    """Colours (N, 3) under ten numbers: slopes, offsets, powers, saturation (ASC CDL 1.2, in that order)."""
    slope, offset, power = values[:3], values[3:6], values[6:9]
    out = np.clip(colours * slope + offset, 0, 1) ** power
    luma = (out @ _LUMA)[:, None]
    return np.asarray(np.clip(luma + values[9] * (out - luma), 0, 1))


def nearest_cdl(table: Floats) -> Cdl:
    """The CDL nearest to a table (S, S, S, 3) on encoded colours, within bounds a person would set.

    Least squares of OKLab differences over the cube, where near-greys count for more than pure colours, as they do in
    photographs; black, white and the greys between are held near where the table puts them.
    """
    asked, wanted, weight = _fitted_colours(check_table(table))
    root = np.sqrt(weight)[:, None]
    tries = [
        least_squares(lambda v: ((apply_cdl(v, asked) - wanted) * root).ravel(), start, bounds=(SANE_LOW, SANE_HIGH))
        for start in _starts(wanted)
    ]
    found = min(tries, key=lambda t: float(t.cost)).x.round(6)
    made = apply_cdl(found, asked)
    usual = _usualness(asked)
    error = difference(*(to_linear(Encoded01(c.astype(np.float32))) for c in (made, wanted)))
    order = np.argsort(error)
    share = np.cumsum(usual[order]) / usual.sum()
    numbers = [float(v) for v in found]
    slope, offset, power = (tuple(numbers[a:b]) for a, b in pairwise((0, 3, 6, 9)))
    return Cdl(
        slope=slope,  # type: ignore[arg-type]
        offset=offset,  # type: ignore[arg-type]
        power=power,  # type: ignore[arg-type]
        saturation=numbers[9],
        residual=float(np.average(error, weights=usual)),
        worst=float(error[order][np.searchsorted(share, 0.95)]),
    )


def _starts(wanted: Floats) -> list[NDArray[np.float64]]:
    """Where to look from: no change, and the line from the table's black to its white, at three powers.

    A colour cut off at 0 or 1 says nothing about which way to go, so that one start alone would stop short.
    """
    starts = [np.array([1, 1, 1, 0, 0, 0, 1, 1, 1, 1], dtype=np.float64)]
    for power in (0.8, 1.2, 1.8):
        black, white = (np.clip(end, 0, 1) ** (1 / power) for end in (wanted[0], wanted[-1]))
        line = np.concatenate([white - black, black, np.full(3, power), [0.9]])
        starts.append(np.clip(line, SANE_LOW + 1e-3, SANE_HIGH - 1e-3))
    return starts


def _lab(encoded: NDArray[np.float64] | Floats) -> NDArray[np.float64]:
    return linear_to_oklab(to_linear(Encoded01(encoded.astype(np.float32)))).astype(np.float64)


def _usualness(encoded: Encoded01) -> NDArray[np.float64]:
    """How much a colour (N, 3) counts: 1 at grey, little for the purest."""
    chroma = np.linalg.norm(_lab(encoded)[:, 1:], axis=1)
    return np.asarray(_MIN_WEIGHT + (1 - _MIN_WEIGHT) * np.exp(-((chroma / _USUAL_CHROMA) ** 2)))


def _fitted_colours(table: Floats) -> tuple[Encoded01, Floats, NDArray[np.float64]]:
    """Colours (N, 3) of the table's cube, what it makes of them (N, 3), and their weights (N,)."""
    size = table.shape[0]
    index = np.rint(np.linspace(0, size - 1, min(size, _FITTED_POINTS))).astype(int)
    part = np.ix_(index, index, index)
    asked, wanted = grid(size)[part].reshape(-1, 3), table[part].reshape(-1, 3)
    weight = _usualness(asked)
    weight[np.ptp(asked, axis=1) == 0] = _GREYS
    weight[[0, -1]] = _ENDS
    return asked, wanted, weight
