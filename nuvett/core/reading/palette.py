"""Palettes: a few colours with their shares, in which small vivid accents survive."""

import numpy as np

from nuvett.core.spaces.names import colour_name
from nuvett.core.spaces.oklab import oklab_to_linear, oklab_to_oklch
from nuvett.core.spaces.rgb import from_linear, to_hex
from nuvett.core.types import Document, Floats, OKLab

SMALLEST, LARGEST, USUAL = 2, 12, 6
_FINE_CLUSTERS = 48
_LLOYD_ROUNDS = 6
# Shares count by this power when clusters merge: 1 would be Ward's rule, which swallows accents; 0 would ignore area.
_SHARE_POWER = 0.45
_SEEDING_PIXELS = 2048


class PaletteColour(Document):
    """One palette colour: OKLab components and its share of the sampled area, 0 to 1."""

    lightness: float
    a: float
    b: float
    share: float

    @property
    def lab(self) -> OKLab:
        return np.array([self.lightness, self.a, self.b], dtype=np.float32)

    @property
    def hex(self) -> str:
        return to_hex(from_linear(oklab_to_linear(self.lab)))

    @property
    def name(self) -> str:
        return colour_name(self.lab)

    @property
    def lch(self) -> tuple[float, float, float]:
        """OKLCh: lightness 0 to 1, chroma, hue in degrees."""
        lightness, chroma, hue = oklab_to_oklch(self.lab)
        return float(lightness), float(chroma), float(hue)


Palette = tuple[PaletteColour, ...]


def nearest(points: OKLab, centres: OKLab) -> np.ndarray:
    """Index (N,) of the nearest centre (K, 3) for each point (N, 3)."""
    scores = points @ centres.T * 2 - np.einsum("ij,ij->i", centres, centres)
    return np.asarray(scores.argmax(axis=1))


def _means(points: OKLab, labels: np.ndarray, count: int) -> tuple[OKLab, Floats]:
    sizes = np.bincount(labels, minlength=count).astype(np.float64)
    sums = np.stack([np.bincount(labels, weights=points[:, c], minlength=count) for c in range(3)], axis=1)
    return (sums / np.maximum(sizes, 1)[:, None]).astype(np.float32), (sizes / len(points)).astype(np.float32)


def _farthest_first(points: OKLab, count: int) -> OKLab:
    """`count` seeds: the mean's nearest point, then always the point farthest from all seeds (Gonzalez 1985)."""
    first = np.argmin(((points - points.mean(axis=0)) ** 2).sum(axis=1))
    chosen = [int(first)]
    gap = ((points - points[first]) ** 2).sum(axis=1)
    while len(chosen) < count and gap.max() > 1e-7:
        chosen.append(int(gap.argmax()))
        gap = np.minimum(gap, ((points - points[chosen[-1]]) ** 2).sum(axis=1))
    return points[chosen]


def _merge(centres: OKLab, shares: Floats, count: int) -> OKLab:
    """Merge clusters pairwise, cheapest first, until `count` are left (Ward 1963, with shares to a power)."""
    centres, shares = centres.astype(np.float64), shares.astype(np.float64)
    while len(centres) > count:
        weight = shares**_SHARE_POWER
        pull = weight[:, None] * weight[None, :] / (weight[:, None] + weight[None, :])
        cost = pull * ((centres[:, None] - centres[None, :]) ** 2).sum(axis=2)
        np.fill_diagonal(cost, np.inf)
        i, j = sorted(np.unravel_index(int(cost.argmin()), cost.shape))
        total = shares[i] + shares[j]
        centres[i] = (centres[i] * shares[i] + centres[j] * shares[j]) / total
        shares[i] = total
        centres, shares = np.delete(centres, j, axis=0), np.delete(shares, j)
    return centres.astype(np.float32)


def find_palette(lab: OKLab, count: int = USUAL, fine: int = _FINE_CLUSTERS) -> Palette:
    """Palette of `count` colours, dark to light, of equally weighted OKLab colours (N, 3).

    Deterministic: fine clusters by Lloyd's k-means from farthest-first seeds, then merged with shares counted by a
    power below 1, so that a small area of a distinct colour keeps a place. A picture with fewer distinct
    colours gives a shorter palette.

    fine : clusters that the palette is merged from; fewer are faster and coarser

    Raises ValueError when `count` is outside SMALLEST to LARGEST.
    """
    if not SMALLEST <= count <= LARGEST:
        raise ValueError(f"a palette has {SMALLEST} to {LARGEST} colours, not {count}")
    step = max(1, len(lab) // _SEEDING_PIXELS)
    centres = _farthest_first(lab[::step], fine)
    for _ in range(_LLOYD_ROUNDS):
        means, shares = _means(lab, nearest(lab, centres), len(centres))
        centres = np.where(shares[:, None] > 0, means, centres)
    centres = _merge(centres[shares > 0], shares[shares > 0], count)
    centres, shares = _means(lab, nearest(lab, centres), len(centres))
    order = np.argsort(centres[:, 0], kind="stable")
    return tuple(
        PaletteColour(lightness=float(c[0]), a=float(c[1]), b=float(c[2]), share=float(s))
        for c, s in zip(centres[order], shares[order], strict=True)
        if s > 0
    )
