"""The broad look of a before/after pair: what it does to tone, to tints and to colourfulness at each lightness.

A pair shows few of the cube's colours. What it does to the others is guessed from what every look has: a curve of
lightness, a tint at each lightness, and a turn and gain of chroma that changes slowly with lightness.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nuvett.core.spaces.gamut import encoded_in
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import Space, to_linear
from nuvett.core.types import Encoded01, Floats, OKLab

_KNOTS = 12  # along lightness 0 to 1
_CURVED = 0.3  # weight of second differences along lightness, against one pixel a knot on average
_SLOPES = 0.05  # pull of the factors of a and b toward those of neighbouring lightness
_NO_CHANGE = 1e-3  # pull toward no change, felt where a knot was not seen
_CHROMA = 10.0  # a and b are scaled by this, so that one pull suits tints and factors alike


@dataclass(frozen=True)
class BroadLook:
    """Changes of OKLab at (K,) lightnesses: parts (3, K, 3), of 1, a and b to the changes of L, a and b."""

    parts: NDArray[np.float64]

    def change(self, lab: Floats) -> NDArray[np.float64]:
        """Change of OKLab colours (N, 3)."""
        basis = _basis(lab)
        return np.asarray(basis @ self.parts.reshape(-1, 3))

    def encoded(self, colours: Encoded01) -> Floats:
        """What the look makes of encoded sRGB colours (N, 3), mapped into the gamut."""
        lab = linear_to_oklab(to_linear(colours))
        out = (lab + self.change(lab)).astype(np.float32)
        return encoded_in(OKLab(out), Space.SRGB)


def _basis(lab: Floats) -> NDArray[np.float64]:
    """(N, 3 K): hat functions of lightness, each times 1, a and b."""
    position = np.clip(lab[:, 0].astype(np.float64), 0, 1) * (_KNOTS - 1)
    hats = np.clip(1 - np.abs(position[:, None] - np.arange(_KNOTS)), 0, 1)
    return np.concatenate([hats, hats * lab[:, 1:2] * _CHROMA, hats * lab[:, 2:3] * _CHROMA], axis=1)


def broad_look(before: Floats, after: Floats, weight: NDArray[np.float64]) -> BroadLook:
    """Broad look of OKLab pixels (N, 3) before and after, weighed (N,), by ridge regression."""
    basis = _basis(before)
    weighed = basis * weight[:, None]
    bend = np.diff(np.eye(_KNOTS), n=2, axis=0)
    step = np.diff(np.eye(_KNOTS), axis=0)
    pull = np.zeros((3 * _KNOTS, 3 * _KNOTS))
    for part in range(3):
        at = slice(part * _KNOTS, (part + 1) * _KNOTS)
        pull[at, at] = _CURVED * bend.T @ bend + _NO_CHANGE * np.eye(_KNOTS) + (_SLOPES if part else 0) * step.T @ step
    pull *= len(before) / _KNOTS
    found = np.linalg.solve(basis.T @ weighed + pull, weighed.T @ (after - before).astype(np.float64))
    return BroadLook(np.asarray(found, dtype=np.float64).reshape(3, _KNOTS, 3))
