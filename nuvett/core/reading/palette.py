"""Palettes: a few colours with their shares, in which small vivid accents survive."""

from typing import Literal

import numpy as np
from pydantic import Field

from nuvett.core.reading.clusters import farthest, gathered, merged
from nuvett.core.spaces.names import colour_name
from nuvett.core.spaces.oklab import oklab_to_linear, oklab_to_oklch
from nuvett.core.spaces.rgb import from_linear, to_hex
from nuvett.core.types import Document, Floats, OKLab

SMALLEST, LARGEST, USUAL = 2, 12, 6
_FINE_CLUSTERS = 48
FINE = 24  # for palettes that are found again and again, while planning and for summaries
_LLOYD_ROUNDS = 6
# Shares count by this power when clusters merge: 1 would be Ward's rule, which swallows accents; 0 would ignore area.
_SHARE_POWER = 0.45
_SEEDING_PIXELS = 2048
_SAME = 1e-6  # squared OKLab distance below which points count as one
_ACCENTS = 2  # small vivid colours that keep a place at most
_VIVID, _SMALLEST_ACCENT, _OFF = 0.08, 0.0015, 0.11  # chroma, share, and distance from the palette's nearest colour
_LIGHTNESS_COUNTS = 0.5  # of a difference in lightness, for an accent is one of hue
_MIN_ANCHOR = 0.004  # share that a colour chosen by hand counts for at least


class PaletteColour(Document):
    """One palette colour: OKLab components and its share of the sampled area, 0 to 1; held when a person chose it."""

    lightness: float
    a: float
    b: float
    share: float
    held: bool = False

    @property
    def lab(self) -> OKLab:
        return OKLab(np.array([self.lightness, self.a, self.b], dtype=np.float32))

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
Colour = tuple[float, float, float]
"""OKLab components."""
Order = Literal["lightness", "share", "hue"]


class Held(Document):
    """A palette colour that stays while the others are found: what it shows, and which colours it stands for."""

    colour: Colour
    stands_for: Colour


class Edits(Document):
    """What a person decided about a palette.

    held : colours that stay
    dropped : colours that are left out, with all that look most like them
    order : in which the colours are shown
    """

    held: tuple[Held, ...] = Field(default=(), max_length=LARGEST)
    dropped: tuple[Colour, ...] = Field(default=(), max_length=LARGEST)
    order: Order = "lightness"


def _means(planes: Floats, centres: OKLab) -> tuple[OKLab, Floats]:
    """Means (K, 3) and shares (K,) of the points (3, N) nearest to each centre (K, 3)."""
    sums, sizes = gathered(planes, centres)
    means = OKLab((sums / np.maximum(sizes, 1)[:, None]).astype(np.float32))
    return means, (sizes / planes.shape[1]).astype(np.float32)


def _farthest_first(planes: Floats, count: int) -> OKLab:
    """`count` seeds among points (3, N): the mean's nearest, then always the one farthest from all seeds."""
    first = int(((planes - planes.mean(axis=1, keepdims=True)) ** 2).sum(axis=0).argmin())
    return OKLab(planes.T[farthest(planes, first, count, _SAME)])


def _merge(centres: OKLab, shares: Floats, count: int, fixed: int = 0) -> OKLab:
    """Clusters merged until `count` are left; the first `fixed` stay where they are."""
    places = centres.astype(np.float64)
    left = merged(places, shares.astype(np.float64), _SHARE_POWER, count, fixed)
    return OKLab(places[left].astype(np.float32))


def _accent(centres: OKLab, shares: Floats, palette: OKLab, first: int) -> int | None:
    """Index of the fine cluster (K, 3), from `first` on, that a palette (M, 3) leaves out and an eye goes to."""
    gap = (centres[:, None] - palette[None]) * np.array([_LIGHTNESS_COUNTS, 1, 1], dtype=np.float32)
    off = np.linalg.norm(gap, axis=2).min(axis=1)
    counts = (np.hypot(centres[:, 1], centres[:, 2]) > _VIVID) & (shares >= _SMALLEST_ACCENT) & (off > _OFF)
    counts[:first] = False
    return int(np.argmax(np.where(counts, off, 0))) if counts.any() else None


def _merged_with_accents(centres: OKLab, shares: Floats, count: int, fixed: int) -> tuple[OKLab, Floats]:
    """Clusters merged until `count` are left, the first `fixed` where they are and accents next; shares of accents."""
    own: list[float] = []
    found = _merge(centres, shares, count, fixed)
    for accents in range(min(_ACCENTS, count - fixed - 1)):
        place = _accent(centres, shares, found, fixed + accents)
        if place is None:
            break
        order = [*range(fixed + accents), place, *(i for i in range(fixed + accents, len(centres)) if i != place)]
        centres, shares = OKLab(centres[order]), shares[order]
        own.append(float(shares[fixed + accents]))
        shares[fixed + accents] = max(float(shares[fixed + accents]), _MIN_ANCHOR)
        found = _merge(centres, shares, count, fixed + accents + 1)
    return found, np.array(own, dtype=np.float32)


def _fine_clusters(planes: Floats, fine: int, anchors: OKLab) -> tuple[OKLab, Floats]:
    """Centres and shares of fine clusters of colours (3, N) by Lloyd's k-means; anchors (K, 3) come first.

    Anchors stay where they are, and with a share that lets them take others in.
    """
    step = max(1, planes.shape[1] // _SEEDING_PIXELS)
    centres = np.concatenate([anchors, _farthest_first(np.ascontiguousarray(planes[:, ::step]), fine)])
    for _ in range(_LLOYD_ROUNDS):
        means, shares = _means(planes, OKLab(centres))
        centres = np.where(shares[:, None] > 0, means, centres)
        centres[: len(anchors)] = anchors
    kept = shares > 0
    kept[: len(anchors)] = True
    shares[: len(anchors)] = np.maximum(shares[: len(anchors)], _MIN_ANCHOR)
    return OKLab(centres[kept]), shares[kept]


def find_palette(
    lab: OKLab, count: int = USUAL, fine: int = _FINE_CLUSTERS, edits: Edits | None = None, accents: bool = False
) -> Palette:
    """Palette of `count` colours, dark to light, of equally weighted OKLab colours (N, 3).

    Deterministic: fine clusters by Lloyd's k-means from farthest-first seeds, then merged with shares counted by a
    power below 1, so that a small area of a distinct colour keeps a place. A picture with fewer distinct
    colours gives a shorter palette.

    fine : clusters that the palette is merged from; fewer are faster and coarser
    edits : colours that stay or are left out; the rest of `count` is found around them
    accents : whether one or two small vivid colours have a place of their own, as a person would name them

    Raises ValueError when `count` is outside SMALLEST to LARGEST.
    """
    if not SMALLEST <= count <= LARGEST:
        raise ValueError(f"a palette has {SMALLEST} to {LARGEST} colours, not {count}")
    edits = edits or Edits()
    held, anchors = len(edits.held), [*(h.stands_for for h in edits.held), *edits.dropped]
    fixed = np.array(anchors, dtype=np.float32).reshape(-1, 3)
    planes = np.ascontiguousarray(lab.T, dtype=np.float32)
    centres, shares = _fine_clusters(planes, fine, OKLab(fixed))
    most, found = max(count, held) + len(edits.dropped), np.empty(0, dtype=np.float32)
    if accents:
        centres, found = _merged_with_accents(centres, shares, most, len(fixed))
    else:
        centres = _merge(centres, shares, most, len(fixed))
    means, shares = _means(planes, centres)
    # What merely lies nearest to an accent is none of it.
    own = slice(len(fixed), len(fixed) + len(found))
    means[own], shares[own] = centres[own], np.minimum(shares[own], found)
    means[:held] = np.array([h.colour for h in edits.held], dtype=np.float32).reshape(-1, 3)
    shown = [i for i in range(len(means)) if i < held or (i >= len(fixed) and shares[i] > 0)]
    total = float(shares[shown].sum()) or 1.0
    return _ordered(
        [
            PaletteColour(
                lightness=float(means[i, 0]),
                a=float(means[i, 1]),
                b=float(means[i, 2]),
                share=float(shares[i]) / total,
                held=i < held,
            )
            for i in shown
        ],
        edits.order,
    )


def _ordered(colours: list[PaletteColour], order: Order) -> Palette:
    keys = {"lightness": lambda c: c.lightness, "share": lambda c: -c.share, "hue": lambda c: c.lch[2]}
    return tuple(sorted(colours, key=keys[order]))


def nearest_colour(palette: Palette, lab: OKLab) -> tuple[PaletteColour, float]:
    """The palette's colour nearest to an OKLab colour (3,), and how far it is. The palette has a colour at least."""
    gaps = [float(np.linalg.norm(colour.lab - lab)) for colour in palette]
    nearest = int(np.argmin(gaps))
    return palette[nearest], gaps[nearest]
