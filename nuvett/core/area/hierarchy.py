"""Regions of a picture by the edges about them, and those of them that score most.

Pixels that differ least are joined first, which gives every region that some strength of edge closes off: the
quasi-flat zones of Cousty, Najman, Kenmochi and Guimaraes, "Hierarchical Segmentations with Graphs: Quasi-flat Zones,
Minimum Spanning Trees, and Saliency Maps" (2018). The regions taken are the best cut through that hierarchy (Guigues,
Cocquerez and Le Men, "Scale-Sets Image Analysis", 2006): no other choice of regions apart from each other scores more.
"""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import minimum_spanning_tree

from nuvett.core.types import Floats

_APART = 1e-6  # added to every difference: a graph leaves out edges of nothing


class BestRegions(NamedTuple):
    """Regions that score most.

    chosen : (h, w) where they are; score : the sum of their scores, per pixel of the picture
    """

    chosen: NDArray[np.bool_]
    score: float


def best_regions(colours: Floats, scores: Floats, least: float) -> BestRegions:
    """Regions that touch the upper border and score most together.

    colours : (h, w, n) in which pixels differ; scores : (h, w) of each pixel, below 0 for what should stay out
    least : share of the picture below which a region is left out
    """
    height, width = scores.shape
    count = height * width
    joins, total = _joins(colours), [*scores.ravel().tolist(), *[0.0] * (count - 1)]
    size, top = [1] * count + [0] * (count - 1), [True] * width + [False] * (2 * count - 1 - width)
    best = [max(score, 0.0) if n < width else 0.0 for n, score in enumerate(total)]
    whole = [n < width and score > 0 for n, score in enumerate(total)]
    root, halves = list(range(2 * count - 1)), [(-1, -1)] * (2 * count - 1)
    for made, (one, other) in enumerate(joins, start=count):
        first, second = _root_of(one, root), _root_of(other, root)
        root[first] = root[second] = made
        halves[made] = (first, second)
        total[made], size[made] = total[first] + total[second], size[first] + size[second]
        top[made] = top[first] or top[second]
        apart = best[first] + best[second]
        whole[made] = top[made] and total[made] >= apart and total[made] > 0
        best[made] = total[made] if whole[made] else apart
    chosen = np.zeros(count, dtype=bool)
    for region in _outermost(whole, halves):
        if size[region] >= least * count:
            chosen[_pixels_of(region, halves, count)] = True
    return BestRegions(chosen.reshape(height, width), best[-1] / count)


def enclosed(region: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """A region (h, w) with all that it shuts off from the lower border: a bird, a cloud at the side."""
    below = np.vstack([~region, np.ones((1, region.shape[1]), dtype=bool)])
    _, parts = cv2.connectedComponents(below.astype(np.uint8), connectivity=4)
    return np.asarray(parts[:-1] != parts[-1, 0], dtype=np.bool_)


def _joins(colours: Floats) -> list[tuple[int, int]]:
    """Pairs of neighbouring pixels that join all of a picture, the least different first."""
    height, width = colours.shape[:2]
    places = np.arange(height * width).reshape(height, width)
    ends = ((np.s_[:, :-1], np.s_[:, 1:]), (np.s_[:-1], np.s_[1:]))
    one = np.concatenate([places[a].ravel() for a, _ in ends])
    other = np.concatenate([places[b].ravel() for _, b in ends])
    apart = np.concatenate([np.linalg.norm(colours[a] - colours[b], axis=-1).ravel() for a, b in ends])
    graph = coo_matrix((apart + _APART, (one, other)), shape=(places.size, places.size))
    tree = minimum_spanning_tree(graph.tocsr()).tocoo()
    order = np.argsort(tree.data, kind="stable")
    return list(zip(tree.row[order].tolist(), tree.col[order].tolist(), strict=True))


def _root_of(node: int, root: list[int]) -> int:
    while root[node] != node:
        root[node] = root[root[node]]
        node = root[node]
    return node


def _outermost(whole: list[bool], halves: list[tuple[int, int]]) -> list[int]:
    """Regions of a hierarchy that are taken whole and lie in no other such."""
    found, ahead = [], [len(whole) - 1]
    while ahead:
        node = ahead.pop()
        if whole[node]:
            found.append(node)
        else:
            ahead.extend(half for half in halves[node] if half >= 0)
    return found


def _pixels_of(region: int, halves: list[tuple[int, int]], count: int) -> list[int]:
    found, ahead = [], [region]
    while ahead:
        node = ahead.pop()
        if node < count:
            found.append(node)
        else:
            ahead.extend(halves[node])
    return found
