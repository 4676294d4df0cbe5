"""Stage 1, tone: a smooth monotone curve that takes a frame's lightness distribution to the target's."""

from functools import cache

import numpy as np
from numpy.typing import NDArray

from nuvett.core.fit.iterations import bounded
from nuvett.core.measure.statistics import PROBABILITIES
from nuvett.core.types import Floats, Quantiles

TONE_KNOTS = 129
TONE_GRID: Floats = np.linspace(0, 1, TONE_KNOTS, dtype=np.float32)
GENTLEST = 0.35  # least slope at full strength: below it, detail is lost for good
_CELLS = 64
_SMOOTHNESS = 2e-4
_ROUNDS, _RHO = 80, 0.02
_END = 0.005  # probability at which black and white points are read
_MIDDLE = np.linspace(0.3, 0.7, 9)  # probabilities that a picture's middle is the mean of
_NEAR, _FARTHEST = 0.1, 0.22  # OKLab lightness by which a target's middle is followed whole, and at most
_WHITE, _BLACK = 0.955, 0.26  # OKLab lightness of CIE L* 95 and 9: tops and bottoms that are white and black
_FADED_WHITE, _FADED_BLACK = 0.78, 0.5  # of L* 74 and 42: beyond them no faded end is meant as white or black
_MASS_WITHIN, _MASS, _MORE = 0.03, 0.02, 1.3  # within such a lightness of its end lies such a share of a faded picture
_PURE = 0.985  # OKLab lightness of CIE L* 98: paper white
_MIN_WAY, _WIDEST_WAY, _BACK_SLOPE = 0.12, 0.5, 1.1


def aim_ends(target: Quantiles, black: float | None, white: float | None) -> Quantiles:
    """Target quantiles (65,) with their ends moved to black and white aims (OKLab L), fading out at the median."""
    moved = np.asarray(target, dtype=np.float64)
    low, high = (float(np.interp(p, PROBABILITIES, target)) for p in (_END, 1 - _END))
    fade_low = np.clip((0.5 - PROBABILITIES) / (0.5 - _END), 0, 1)
    fade_high = np.clip((PROBABILITIES - 0.5) / (0.5 - _END), 0, 1)
    if black is not None:
        moved = moved + (black - low) * fade_low
    if white is not None:
        moved = moved + (white - high) * fade_high
    return np.maximum.accumulate(np.clip(moved, 0, 1)).astype(np.float32)


def tonality(source: Quantiles, target: Quantiles) -> Quantiles:
    """Target quantiles (65,) with their middle brought nearer to the frame's (65,).

    How dark a still is as a whole is partly what it shows and partly how it was meant. A forest at night is meant dark
    and shows dark things; aimed at whole, it makes a day unreadable. So a middle that lies far off is followed only so
    far; a near one, as stills of one light and series lie, is followed whole.
    """
    away = float(np.mean(np.interp(_MIDDLE, PROBABILITIES, target) - np.interp(_MIDDLE, PROBABILITIES, source)))
    beyond = abs(away) - _NEAR
    if beyond <= 0:
        return target
    followed = _NEAR + (_FARTHEST - _NEAR) * float(np.tanh(beyond / (_FARTHEST - _NEAR)))
    back = np.sign(away) * (followed - abs(away))
    # What is brought back up keeps its blacks, what is brought back down its whites.
    there = np.minimum(1, 2 * (PROBABILITIES if back > 0 else 1 - PROBABILITIES))
    back = back * there
    return np.maximum.accumulate(np.clip(target + back, 0, 1)).astype(np.float32)


def has_faded_whites(target: Quantiles) -> bool:
    """Whether a target (65,) has whites of its own that are lower than white: pixels gather at a top that is light."""
    top = float(np.interp(1 - _END, PROBABILITIES, target))
    return _FADED_WHITE <= top < _WHITE and _gathers(1 - target[::-1], 1 - top)


def has_faded_blacks(target: Quantiles) -> bool:
    """Whether a target (65,) has blacks of its own that are lighter than black: pixels gather at a dark bottom."""
    bottom = float(np.interp(_END, PROBABILITIES, target))
    return _BLACK < bottom <= _FADED_BLACK and _gathers(target, bottom)


def _gathers(quantiles: Quantiles, end: float) -> bool:
    """Whether many pixels lie at the lower end of a distribution (65,), more than beside it."""
    there, beside = (float(np.interp(end + n * _MASS_WITHIN, quantiles, PROBABILITIES)) for n in (1, 2))
    return there >= _MASS and there >= _MORE * (beside - there)


def keep_ends(curve: Floats, whites: float, blacks: float) -> Floats:
    """A tone curve (129,) whose whites are not lowered and whose blacks are not lifted, but for shares that follow it.

    The way back to white and black is as wide as keeps it from being steep.
    """
    kept = np.asarray(curve, dtype=np.float64)
    for share, end, sign in ((whites, _PURE, 1.0), (blacks, 1 - _PURE, -1.0)):
        gap = sign * (end - float(np.interp(end, TONE_GRID, kept)))
        if share >= 1 or gap <= 0:
            continue
        width = min(max(_MIN_WAY, 1.5 * gap / _BACK_SLOPE), _WIDEST_WAY)
        near = np.clip((sign * (TONE_GRID - end) + width) / width, 0, 1)
        near = near * near * (3 - 2 * near) * (1 - share)
        kept = kept + np.where(sign * (TONE_GRID - kept) > 0, near * (TONE_GRID - kept), 0)
    return np.asarray(np.maximum.accumulate(kept), dtype=np.float32)


def _goal(source: Quantiles, target: Quantiles, grid: NDArray[np.float64]) -> NDArray[np.float64]:
    """Target lightness at each grid point by matching quantiles, continued at slope 1 beyond the source's ends."""
    x, keep = np.unique(np.asarray(source, dtype=np.float64), return_index=True)
    y = np.asarray(target, dtype=np.float64)[keep]
    inner = np.interp(grid, x, y)
    below = np.maximum(y[0] - (x[0] - grid), 0)
    above = np.minimum(y[-1] + (grid - x[-1]), 1)
    return np.where(grid < x[0], below, np.where(grid > x[-1], above, inner))


@cache
def _programme() -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """What turns the unknowns, the value at black and then one slope a cell, into values; and the cost of bending."""
    integrate = np.tril(np.ones((_CELLS + 1, _CELLS + 1)))
    integrate[:, 1:] /= _CELLS
    integrate[:, 0] = 1
    integrate[0, 1:] = 0
    bend = np.zeros((_CELLS - 1, _CELLS + 1))
    index = np.arange(_CELLS - 1)
    bend[index, index + 1], bend[index, index + 2] = -1, 1
    return integrate, _SMOOTHNESS * _CELLS * bend.T @ bend


def fit_tone(source: Quantiles, target: Quantiles, steepest: float = 2.6) -> Floats:
    """Tone curve: OKLab lightness out at TONE_GRID (129,), from quantiles (65,) of frame and target.

    Least squares on the matched quantiles, weighed by the frame's density, with smooth slopes held between GENTLEST
    and `steepest`: a quadratic programme with bounds, solved by the alternating direction method of multipliers
    (Boyd et al. 2011, section 5.2).
    """
    edges = np.linspace(0, 1, _CELLS + 1)
    goal = _goal(source, target, edges)
    cumulated = np.interp(edges, source, PROBABILITIES, left=0, right=1)
    density = np.gradient(cumulated) * _CELLS
    weight = 0.02 + np.convolve(np.pad(density, 2, mode="edge"), np.full(5, 0.2), mode="valid")
    integrate, roughness = _programme()
    quadratic = integrate.T @ (weight[:, None] * integrate) / _CELLS + roughness
    linear = integrate.T @ (weight * goal) / _CELLS
    low = np.full(_CELLS + 1, GENTLEST)
    high = np.full(_CELLS + 1, steepest)
    low[0], high[0] = 0, 0.6
    inverse = np.asarray(np.linalg.inv(quadratic + _RHO * np.eye(_CELLS + 1)), dtype=np.float64)
    slopes = np.ones(_CELLS + 1)
    slopes[0] = 0
    bounded(_RHO * inverse, inverse @ linear, low, high, slopes, _ROUNDS)
    values = integrate @ slopes
    curve = np.interp(TONE_GRID, edges, values)
    return np.asarray(_into_range(curve), dtype=np.float32)


def within_slopes(curve: Floats, steepest: float) -> Floats:
    """A tone curve (129,) with its slopes from GENTLEST to `steepest`, through its middle, in 0 to 1."""
    slopes = np.clip(np.diff(np.asarray(curve, dtype=np.float64)) * (TONE_KNOTS - 1), GENTLEST, steepest)
    made = np.concatenate([[0.0], np.cumsum(slopes)]) / (TONE_KNOTS - 1)
    middle = TONE_KNOTS // 2
    lifted = max(0.0, float(curve[middle]) - made[middle])  # black stays what it is, however steep the rest would be
    return np.asarray(_into_range(made + lifted), dtype=np.float32)


def _into_range(curve: NDArray[np.float64]) -> NDArray[np.float64]:
    """Bend a curve that passes 1 back under it over its upper part, keeping it strictly rising."""
    top = float(curve[-1])
    if top <= 1:
        return np.asarray(np.maximum(curve, 0))
    knee = min(0.85, 2 - top)
    reach, room = top - knee, 1 - knee
    over = np.clip((curve - knee) / reach, 0, 1)
    # Slope reach/room at the knee matched to 1; rational shoulder x(1)/(1 + (k-1)x) passes through (1, 1).
    shoulder = knee + room * over * (reach / room) / (1 + (reach / room - 1) * over)
    return np.asarray(np.maximum(np.where(curve > knee, shoulder, curve), 0))


def apply_curve(curve: Floats, lightness: Floats) -> Floats:
    """Lightness (N,) through a curve (129,) on TONE_GRID; outside 0 to 1 the curve goes on at slope 1."""
    inside = np.clip(lightness, 0, 1)
    position = inside * (TONE_KNOTS - 1)
    lower = np.minimum(position.astype(np.int32), TONE_KNOTS - 2)
    fraction = position - lower
    value = curve[lower] * (1 - fraction) + curve[lower + 1] * fraction
    return np.asarray(value + (lightness - inside), dtype=np.float32)


def steepest_slope(curve: Floats) -> float:
    """Largest slope of a tone curve (129,), output over input lightness."""
    return float(np.diff(curve).max() * (TONE_KNOTS - 1))
