"""Stage 4, colour moves: palettes paired by entropic optimal transport, turned into smooth local moves."""

from itertools import chain

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from nuvett.core import lanes
from nuvett.core.fields import number
from nuvett.core.fit.iterations import scaled
from nuvett.core.fit.parts import Part, only
from nuvett.core.quick import planes_of
from nuvett.core.reading.cells import faded, find_cells
from nuvett.core.reading.palette import Colour, Palette
from nuvett.core.smooth import smooth_step
from nuvett.core.types import Document, Floats, OKLab

MOST_OF_THE_MOVE = 0.95  # going all the way tears neighbouring colours apart
_ENTROPY = 0.0015
_SINKHORN_ROUNDS = 150
_LIGHTNESS_COST, _HUE_COST = 0.5, 0.02
_LIGHTNESS_COUNTS = 0.5  # of a difference in lightness, when it is judged whether a move by hand reaches a colour
_WHITE, _COLOURLESS = (0.85, 0.94), 0.04  # lightness between which a colour comes to be white, and chroma of one
BACKGROUND = 0.1  # weight of "no move" in the partition of unity


class Move(Document):
    """From one OKLab colour by a difference, within a reach (OKLab distance, one standard deviation).

    share : of the frame that has the colour; weight : how much it counts beside others that reach a colour
    """

    source: tuple[float, float, float]
    by: tuple[float, float, float]
    reach: float = Field(gt=0)
    share: float = Field(default=0, ge=0, le=1)
    weight: float = Field(default=1, gt=0, le=1)


class OwnMove(Document):
    """A colour move made by hand: from a colour by a turn of hue in degrees, a share of chroma and L*, within a reach.

    came : the same colour as it came, evened, where it was picked in a frame
    chroma : percent added; reach : OKLab distance times 100, one standard deviation
    """

    on: bool = True
    source: Colour
    came: Colour | None = None
    hue: float = number(0, -180, 180, "Hue turned by", "°")
    chroma: float = number(0, -100, 150, "Chroma added")
    lightness: float = number(0, -40, 40, "Lightness added", "L*", 0.5)
    reach: float = number(8, 2, 30, "Takes along", "ΔE", 0.5)


def _colours(palette: Palette) -> tuple[OKLab, NDArray[np.float64]]:
    lab = OKLab(np.array([(c.lightness, c.a, c.b) for c in palette], dtype=np.float32))
    share = np.array([c.share for c in palette], dtype=np.float64)
    return lab, share / share.sum()


def pairing_cost(source: OKLab, target: OKLab) -> NDArray[np.float64]:
    """Cost (K, M) of turning one colour into another: distance in OKLab with lightness counting less, plus hue.

    Hue counts by the lesser chroma of the two, so that greys pair freely.
    """
    difference = source[:, None].astype(np.float64) - target[None].astype(np.float64)
    plain = _LIGHTNESS_COST * difference[..., 0] ** 2 + (difference[..., 1:] ** 2).sum(axis=2)
    chroma_s, chroma_t = (np.hypot(c[:, 1], c[:, 2]) for c in (source, target))
    hue_s, hue_t = (np.arctan2(c[:, 2], c[:, 1]) for c in (source, target))
    turn = 1 - np.cos(hue_s[:, None] - hue_t[None])
    coloured = np.minimum(np.minimum(chroma_s[:, None], chroma_t[None]) / 0.1, 1)
    return np.asarray(plain + _HUE_COST * turn * coloured)


def sinkhorn(
    cost: NDArray[np.float64], rows: NDArray[np.float64], columns: NDArray[np.float64], entropy: float = _ENTROPY
) -> NDArray[np.float64]:
    """Entropic transport plan (K, M) with the given margins (Cuturi 2013); each row's least cost is taken off first."""
    plan: NDArray[np.float64] = np.exp((cost.min(axis=1, keepdims=True) - cost) / entropy) + 1e-200
    scaled(plan, rows, columns, _SINKHORN_ROUNDS)
    return plan


def pair_moves(moves: tuple[Move, ...], target: Palette) -> NDArray[np.float64]:
    """How much of each move's source travels to each target colour (K, M), summing to 1: as `fit_moves` had it.

    moves : without the one that stands for white
    """
    source = np.array([m.source for m in moves], dtype=np.float32)
    share = np.array([m.share for m in moves], dtype=np.float64)
    target_lab, target_share = _colours(target)
    return sinkhorn(pairing_cost(OKLab(source), target_lab), share / share.sum(), target_share)


def _landing(plan: NDArray[np.float64], target: OKLab) -> OKLab:
    """Mean target colour (K, 3) of what leaves each source colour: barycentric projection of a transport plan."""
    return OKLab(np.asarray(plan @ target / plan.sum(axis=1, keepdims=True), dtype=np.float32))


def fit_moves(cloud: OKLab, target: Palette, reach: float) -> tuple[Move, ...]:
    """Moves that take a frame's cloud (N, 3), already toned and tinted, to the target's palette.

    Each source colour goes to where its share lands, less where the blur of the entropic plan alone would take it
    (debiased as in Feydy et al. 2019, so that equal palettes do not move), MOST_OF_THE_MOVE of the way.

    The last one stays at white and has no share: greys below white that are moved, as far as a palette at night lies,
    would otherwise take white along.
    """
    palette = find_cells(cloud)
    source_lab, source_share = _colours(palette)
    target_lab, target_share = _colours(target)
    plan = sinkhorn(pairing_cost(source_lab, target_lab), source_share, target_share)
    itself = sinkhorn(pairing_cost(source_lab, source_lab), source_share, source_share)
    away = _landing(plan, target_lab) - _landing(itself, source_lab)
    away *= 1 - _is_white(source_lab)[:, None]
    moves = (
        Move(source=_triple(s), by=_triple(d), reach=reach, share=min(1.0, float(share)), weight=float(weight))
        for s, d, share, weight in zip(
            source_lab, away * MOST_OF_THE_MOVE, source_share, faded(source_share), strict=True
        )
    )
    return (*moves, Move(source=(1.0, 0.0, 0.0), by=(0.0, 0.0, 0.0), reach=reach))


def _is_white(lab: OKLab) -> Floats:
    """How far colours (N, 3) are white, 0 to 1: tone says where whites go, and no pairing."""
    light = smooth_step((lab[:, 0] - np.float32(_WHITE[0])) / np.float32(_WHITE[1] - _WHITE[0]))
    return np.asarray(light * np.exp(-(lab[:, 1] ** 2 + lab[:, 2] ** 2) / _COLOURLESS**2), dtype=np.float32)


def _triple(values: Floats) -> tuple[float, float, float]:
    return float(values[0]), float(values[1]), float(values[2])


def apply_moves(lab: OKLab, moves: tuple[Move, ...]) -> OKLab:
    """OKLab colours (N, 3) after moves: a partition of unity of Gaussian weights, with some weight for staying."""
    if not moves:
        return lab
    each = [[*move.source, *move.by, 0.5 / move.reach**2, move.weight] for move in moves]
    how = np.array([len(moves), BACKGROUND, *chain.from_iterable(each)], dtype=np.float32)
    return OKLab(lanes.moved(planes_of(lab), how).T)


def move_by_hand(lab: OKLab, moves: tuple[OwnMove, ...]) -> OKLab:
    """OKLab colours (N, 3) after moves made by hand: turned, made richer and lighter by smooth weights about sources.

    At a lone source the whole of its move is taken; where several reach, they share by weight. Neutrals stay neutral.
    """
    moves = tuple(move for move in moves if move.on)
    if not moves:
        return lab
    sources = np.array([m.source for m in moves], dtype=np.float32)
    reach = np.array([m.reach for m in moves], dtype=np.float32) / 100
    gap = (lab[:, None] - sources[None]) * np.array([_LIGHTNESS_COUNTS**0.5, 1, 1], dtype=np.float32)
    weight = np.exp(-0.5 * (gap**2).sum(axis=2) / reach**2)
    weight /= np.maximum(weight.sum(axis=1, keepdims=True), 1)
    turn = weight @ np.radians([m.hue for m in moves]).astype(np.float32)
    richer = 1 + weight @ np.array([m.chroma / 100 for m in moves], dtype=np.float32)
    lighter = weight @ np.array([m.lightness / 116 for m in moves], dtype=np.float32)
    cos, sin = np.cos(turn) * richer, np.sin(turn) * richer
    return OKLab(
        np.stack(
            [lab[:, 0] + lighter, lab[:, 1] * cos - lab[:, 2] * sin, lab[:, 1] * sin + lab[:, 2] * cos], axis=1
        ).astype(np.float32)
    )


def landings(moves: tuple[OwnMove, ...], part: Part) -> OKLab:
    """Where moves made by hand take their own sources, OKLab (K, 3): others that reach a source count too."""
    sources = OKLab(np.array([m.source for m in moves], dtype=np.float32).reshape(-1, 3))
    return only(part, sources, move_by_hand(sources, moves))
