"""The tone column: how lightness is spread, over CIE L*, from the quantiles that the fit works with."""

from dataclasses import dataclass

import numpy as np

from nuvett.core.measure.statistics import PROBABILITIES
from nuvett.core.spaces.cielab import lightness_of_oklab, neutral_cielab
from nuvett.core.types import Floats, Quantiles

MARKS = (0.02, 0.1, 0.25, 0.5, 0.75, 0.9, 0.98)
"""Shares of the pixels, from the darkest, at which a tone column is marked."""

_BINS = 64
_NARROWEST = 0.2  # CIE L* that a bin spans at least, so that the darkest do not stand out for being narrow


@dataclass(frozen=True)
class ToneColumn:
    """A distribution of lightness.

    lightness : (64,) CIE L* of the middles of the bins, rising
    width : (64,) density over CIE L*, the largest being 1
    marks : CIE L* below which each share of MARKS lies
    """

    lightness: Floats
    width: Floats
    marks: dict[float, float]


def tone_column(quantiles: Quantiles) -> ToneColumn:
    """Column of a distribution given by its quantiles (65,) of OKLab lightness at PROBABILITIES."""
    edges = np.linspace(0, 1, _BINS + 1, dtype=np.float32)
    middles = ((edges[1:] + edges[:-1]) / 2).astype(np.float32)
    # Density over L*, not over OKLab L: dark bins cover less of the axis.
    spans = np.maximum(np.diff(lightness_of_oklab(edges)), _NARROWEST)
    heights = density(quantiles) / spans
    return ToneColumn(
        lightness=np.clip(lightness_of_oklab(middles), 0, 100),
        width=np.asarray(heights / max(float(heights.max()), 1e-9), dtype=np.float32),
        marks=lightness_marks(quantiles),
    )


def lightness_marks(quantiles: Quantiles) -> dict[float, float]:
    """CIE L* below which each share of MARKS lies."""
    values = np.interp(MARKS, PROBABILITIES, quantiles)
    return {share: neutral_cielab(float(value)) for share, value in zip(MARKS, values, strict=True)}


def density(quantiles: Quantiles, bins: int = _BINS) -> Floats:
    """(bins,) lightness density over OKLab L 0 to 1, summing to 1, from quantiles (65,)."""
    edges = np.linspace(0, 1, bins + 1)
    cumulated = np.interp(edges, quantiles, PROBABILITIES, left=0, right=1)
    raw = np.diff(cumulated)
    smooth = np.convolve(np.pad(raw, 1, mode="edge"), [0.25, 0.5, 0.25], mode="valid")
    return np.asarray(smooth / max(smooth.sum(), 1e-9), dtype=np.float32)
