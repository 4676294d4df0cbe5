"""Readings: what was sampled from one reference, and their blend into a target."""

from typing import Literal

import numpy as np
from pydantic import Field, field_validator

from nuvett.core.errors import TargetError
from nuvett.core.fit.sliced import barycentre
from nuvett.core.fit.statistics import (
    PROBABILITIES,
    Statistics,
    interpolate_zones,
    measure,
    quantiles_of,
)
from nuvett.core.reading.family import Family, membership
from nuvett.core.reading.palette import LARGEST, SMALLEST, USUAL, Palette, find_palette
from nuvett.core.reading.sampling import patch_mask, stratified_sample
from nuvett.core.spaces.cielab import neutral_cielab
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.types import Document, Floats, Linear, Mask01, OKLab

ZONES: dict[str, tuple[float, float]] = {
    "shadow": (0.0, 0.25),
    "midtone": (0.25, 0.75),
    "highlight": (0.75, 1.0),
}
"""Named zones as shares of the pixels from dark to light."""


class Sampling(Document):
    """Which part of a reference is read.

    patch : x, y, width, height as shares of the picture, or none for the whole
    family : only colours of this family, or none for every colour
    colours : size of the palette
    """

    schema_version: Literal[1] = 1
    patch: tuple[float, float, float, float] | None = None
    family: Family | None = None
    colours: int = Field(default=USUAL, ge=SMALLEST, le=LARGEST)

    @field_validator("patch")
    @classmethod
    def _inside(cls, patch: tuple[float, float, float, float] | None) -> tuple[float, float, float, float] | None:
        if patch is None:
            return None
        x, y, w, h = patch
        if not (0 <= x < 1 and 0 <= y < 1 and w > 0 and h > 0 and x + w <= 1.000001 and y + h <= 1.000001):
            raise ValueError("the patch lies outside the picture")
        return patch


class Reading(Document):
    """What was sampled from one reference.

    share : part of the picture's pixels that was sampled, 0 to 1
    """

    schema_version: Literal[1] = 1
    sampling: Sampling
    share: float
    palette: Palette
    statistics: Statistics


class Weighed(Document):
    """A reading and its weights in a target, each 0 or more: for tone and for colour separately."""

    reading: Reading
    tone: float = Field(ge=0)
    colour: float = Field(ge=0)


class Target(Document):
    """The blend of readings that a series must arrive at."""

    schema_version: Literal[1] = 1
    palette: Palette
    statistics: Statistics


def sampling_weights(proxy: Linear, sampling: Sampling) -> Mask01:
    """How far each proxy pixel (H, W, 3) is sampled: (H, W), 0 to 1."""
    weights: Mask01 = np.ones(proxy.shape[:2], dtype=np.float32)
    if sampling.patch is not None:
        weights = patch_mask(proxy.shape[:2], sampling.patch)
    if sampling.family is not None:
        weights = np.asarray(weights * membership(linear_to_oklab(proxy), sampling.family))
    return weights


def read(proxy: Linear, sampling: Sampling | None = None) -> Reading:
    """Read a reference from its proxy (H, W, 3) linear. Raises TooFewPixelsError when too little is sampled."""
    sampling = sampling or Sampling()
    weights = sampling_weights(proxy, sampling)
    lab = linear_to_oklab(stratified_sample(proxy, weights))
    return Reading(
        sampling=sampling,
        share=float(weights.mean()),
        palette=find_palette(lab, sampling.colours),
        statistics=measure(lab),
    )


MARKS = (0.02, 0.1, 0.25, 0.5, 0.75, 0.9, 0.98)
"""Shares of the pixels, from the darkest, at which a tone column is marked."""


def lightness_marks(statistics: Statistics) -> dict[float, float]:
    """CIE L* below which each share of MARKS lies."""
    values = np.interp(MARKS, PROBABILITIES, statistics.lightness)
    return {share: neutral_cielab(float(value)) for share, value in zip(MARKS, values, strict=True)}


def zone_colours(statistics: Statistics) -> dict[str, OKLab]:
    """Mean OKLab colour (3,) of shadows, midtones and highlights."""
    found: dict[str, OKLab] = {}
    for name, (low, high) in ZONES.items():
        grid = np.linspace(low, high, 33)
        lightness = np.interp(grid, PROBABILITIES, statistics.lightness).astype(np.float32)
        tint = interpolate_zones(statistics.zone_tint, lightness).mean(axis=0)
        found[name] = np.array([lightness.mean(), *tint], dtype=np.float32)
    return found


def blend(weighed: list[Weighed], colours: int = USUAL) -> Target:
    """Target of weighed readings. Raises TargetError without any weight.

    Tone is the weighted mean of lightness quantile functions, the exact barycentre in one dimension (Agueh and
    Carlier 2011); colour is a barycentre of the clouds. A single reading is taken as it is.
    """
    tone = sum(w.tone for w in weighed)
    colour = sum(w.colour for w in weighed)
    if tone <= 0 or colour <= 0:
        raise TargetError
    active = [w for w in weighed if w.tone > 0 or w.colour > 0]
    if len(active) == 1:
        only = active[0].reading
        return Target(palette=only.palette, statistics=only.statistics)
    lightness = sum(np.asarray(w.reading.statistics.lightness) * np.float32(w.tone / tone) for w in active)
    coloured = [w for w in active if w.colour > 0]
    cloud = barycentre([w.reading.statistics.cloud for w in coloured], [w.colour / colour for w in coloured])
    rank = np.interp(cloud[:, 0], quantiles_of(cloud[:, 0]), PROBABILITIES)
    cloud[:, 0] = np.interp(rank, PROBABILITIES, np.asarray(lightness))
    statistics = measure(cloud).model_copy(update={"lightness": np.asarray(lightness, dtype=np.float32)})
    return Target(palette=find_palette(cloud, colours), statistics=statistics)


def density(statistics: Statistics, bins: int = 64) -> Floats:
    """(bins,) lightness density over OKLab L 0 to 1, summing to 1, from the quantile function."""
    edges = np.linspace(0, 1, bins + 1)
    cumulated = np.interp(edges, statistics.lightness, PROBABILITIES, left=0, right=1)
    raw = np.diff(cumulated)
    smooth = np.convolve(np.pad(raw, 1, mode="edge"), [0.25, 0.5, 0.25], mode="valid")
    return np.asarray(smooth / max(smooth.sum(), 1e-9), dtype=np.float32)
