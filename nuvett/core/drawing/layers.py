"""Layers: what is done in areas, over the colours that the table has made."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from nuvett.core.area.area import Area
from nuvett.core.drawing.renderer import Pixels, Renderer
from nuvett.core.plan.finish import FinishOperation
from nuvett.core.types import Floats, Mask01


@dataclass(frozen=True)
class LayerStage:
    """A layer compiled: in place of the look, from the source; then over it, from the colours made so far; finish.

    instead, over : tables, none where there is nothing to do
    """

    area: Area
    instead: Renderer | None
    over: Renderer | None
    finish: tuple[FinishOperation, ...] = ()


def laid(stages: Sequence[LayerStage], weights: Sequence[Mask01], source: Pixels, made: Floats) -> Floats:
    """Planes (3, h, w) after layers, from the source's own colours (h, w, 3) and those made so far, which are changed.

    weights : (h, w) of each layer
    """
    each = [(stage, weight, touched(weight)) for stage, weight in zip(stages, weights, strict=True)]
    for stage, weight, where in each:
        if stage.instead is not None and where is not None:
            _lay(stage.instead.coloured(source[where]), made[:, *where], weight[where])
    for stage, weight, where in each:
        if stage.over is not None and where is not None:
            below = made[:, *where]
            _lay(stage.over.coloured_planes(below), below, weight[where])
    return made


def _lay(above: Floats, below: Floats, weight: Mask01) -> None:
    """Lay planes (3, h, w) over others, which are changed, by weights (h, w)."""
    above -= below
    above *= weight
    below += above


def touched(weight: Mask01) -> tuple[slice, slice] | None:
    """The rows and columns in which weights (h, w) lie."""
    over = weight > 0
    rows = np.flatnonzero(over.any(axis=1))
    if rows.size == 0:
        return None
    columns = np.flatnonzero(over[rows[0] : rows[-1] + 1].any(axis=0))
    return slice(int(rows[0]), int(rows[-1]) + 1), slice(int(columns[0]), int(columns[-1]) + 1)
