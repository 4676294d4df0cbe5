"""Faces grouped by the complexion that they seem to have under even light."""

from collections.abc import Sequence

import numpy as np
from scipy.cluster.hierarchy import fcluster, linkage

from nuvett.core.types import OKLab

ALIKE = 0.08
"""OKLab by which faces of one complexion lie apart at most; those of the demo under even light 0.02 to 0.05."""
_WORDS = ((0.58, "light"), (0.48, "medium"), (0.36, "deep"), (-1.0, "very deep"))


def complexions(colours: OKLab) -> list[int]:
    """Which complexion each face (n, 3) has, counted from 0 for the lightest; none is more than ALIKE from another."""
    if len(colours) < 2:
        return [0] * len(colours)
    groups = fcluster(linkage(np.asarray(colours, dtype=np.float64), "complete"), ALIKE, "distance")
    lightness = {int(group): float(np.mean(colours[groups == group, 0])) for group in np.unique(groups)}
    order = sorted(lightness, key=lambda group: -lightness[group])
    return [order.index(int(group)) for group in groups]


def words_for(colours: Sequence[OKLab]) -> str:
    """How light a complexion is, in words, by its faces (3,)."""
    light = float(np.mean([colour[0] for colour in colours]))
    return next(word for least, word in _WORDS if light >= least)


def nearest(colour: OKLab, middles: Sequence[OKLab]) -> int | None:
    """Which of some complexions (3,) a face (3,) has; none where it has none of them."""
    away = [float(np.linalg.norm(colour - middle)) for middle in middles]
    best = int(np.argmin(away)) if away else None
    return best if best is not None and away[best] <= ALIKE else None
