"""Colours gathered about fixed places, so that pictures that are nearly alike are gathered nearly alike.

Clusters are found from seeds, and a little noise makes other seeds and so other clusters: two shots of one burst were
moved apart by what neither of them showed. About fixed places every colour counts for the eight around it, by how near
it is, so that a small change of colours is a small change of all that is gathered.
"""

import numpy as np
from numpy.typing import NDArray

from nuvett.core.reading.palette import FINE, Edits, Palette, PaletteColour, find_palette
from nuvett.core.smooth import smooth_step
from nuvett.core.types import Floats, OKLab

CLUSTERS = 10  # of the palette that says what a held or dropped colour takes with it
_STEPS = np.array([0.15, 0.1, 0.1])  # between places, OKLab: colours take others of about one step along
_FIRST, _COUNTS = np.array([-0.4, -0.6, -0.6]), (14, 14, 14)
_CORNERS = np.ravel_multi_index(np.indices((2, 2, 2)).reshape(3, -1), _COUNTS)
_LEAST = 0.008
"""Share of a cloud below which a place is none; what comes of a place fades before that."""


def find_cells(lab: OKLab, edits: Edits | None = None) -> Palette:
    """Colours that equally weighted ones (N, 3) gather about, dark to light, with their shares.

    edits : a held colour stands for what looks most like the one that it was, and what looks most like a dropped one
        is left out
    """
    edits = edits or Edits()
    anchors = np.array([*(held.stands_for for held in edits.held), *edits.dropped]).reshape(-1, 3)
    label = _nearest(lab, np.concatenate([anchors, _others(lab, edits)])) if len(anchors) else np.zeros(len(lab))
    free = label >= len(anchors)
    if not (free.any() or edits.held):
        free = np.ones(len(lab), dtype=np.bool_)
    found = [(held.colour, float((label == place).mean()), True) for place, held in enumerate(edits.held)]
    if free.any():
        found += [(colour, share * float(free.mean()), False) for colour, share in _cells(OKLab(lab[free]))]
    total = sum(share for _, share, _ in found) or 1.0
    colours = [
        PaletteColour(lightness=lightness, a=a, b=b, share=share / total, held=held)
        for (lightness, a, b), share, held in found
    ]
    return tuple(sorted(colours, key=lambda colour: colour.lightness))


def faded(shares: NDArray[np.float64]) -> Floats:
    """How much what comes of places with shares (K,) counts, above 0 to 1: little where they hardly are places."""
    return smooth_step(np.maximum((shares - _LEAST) / (1.5 * _LEAST), 1e-3).astype(np.float32))


def _others(lab: OKLab, edits: Edits) -> NDArray[np.float64]:
    """Colours (K, 3) that held and dropped ones stand beside."""
    palette = find_palette(lab, CLUSTERS, FINE, edits)
    return np.array([(c.lightness, c.a, c.b) for c in palette if not c.held]).reshape(-1, 3)


def _nearest(lab: OKLab, centres: NDArray[np.float64]) -> NDArray[np.intp]:
    return np.asarray(((lab[:, None] - centres[None]) ** 2).sum(axis=2).argmin(axis=1))


def _cells(lab: OKLab) -> list[tuple[tuple[float, float, float], float]]:
    """Means of what counts for each place, and its share, of colours (N, 3); the largest alone where all are small."""
    where = np.clip((lab.astype(np.float64) - _FIRST) / _STEPS, 0, np.array(_COUNTS) - 1.001)
    base = where.astype(np.intp)
    x, y, z = (np.stack([1 - part, part], axis=1) for part in (where - base).T)
    weight = (x[:, :, None, None] * y[:, None, :, None] * z[:, None, None, :]).reshape(len(lab), -1)
    place = (np.ravel_multi_index(tuple(base.T), _COUNTS)[:, None] + _CORNERS).ravel()
    size = int(np.prod(_COUNTS))
    mass = np.bincount(place, weight.ravel(), size)
    sums = np.stack([np.bincount(place, (weight * plane[:, None]).ravel(), size) for plane in lab.T])
    shares = mass / len(lab)
    kept = np.flatnonzero(shares >= min(_LEAST, shares.max()))
    means = (sums[:, kept] / mass[kept]).T.tolist()
    return [((x, a, b), float(share)) for (x, a, b), share in zip(means, shares[kept], strict=True)]
