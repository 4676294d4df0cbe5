"""Layers: what is done in areas, over the colours that the table has made."""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from nuvett.core.area.area import Area
from nuvett.core.drawing.renderer import Pixels, Renderer
from nuvett.core.plan.finish import FinishOperation
from nuvett.core.types import Encoded01, Floats, Mask01


@dataclass(frozen=True)
class LayerStage:
    """A layer compiled: in place of the look, from the source; then over it, from the colours made so far; finish.

    instead, over : tables, none where there is nothing to do
    """

    area: Area
    instead: Renderer | None
    over: Renderer | None
    finish: tuple[FinishOperation, ...] = ()


def laid(stages: Sequence[LayerStage], weights: Sequence[Mask01], source: Pixels, made: Encoded01) -> Encoded01:
    """Colours (h, w, 3) after layers, from the source's own (h, w, 3) and those made so far, which are changed.

    weights : (h, w) of each layer
    """
    for stage, weight in zip(stages, weights, strict=True):
        if stage.instead is not None:
            _lay(stage.instead, source, made, weight)
    for stage, weight in zip(stages, weights, strict=True):
        if stage.over is not None:
            _lay(stage.over, made, made, weight)
    return made


def _lay(table: Renderer, source: Pixels, made: Encoded01, weight: Mask01) -> None:
    where = touched(weight)
    if where is None:
        return
    below = np.ascontiguousarray(made[where])
    above = table.coloured(below if source is made else source[where])
    made[where] = blended(below, above, weight[where])


def touched(weight: Mask01) -> tuple[slice, slice] | None:
    """The rows and columns in which weights (h, w) lie."""
    over = weight > 0
    rows = np.flatnonzero(over.any(axis=1))
    if rows.size == 0:
        return None
    columns = np.flatnonzero(over[rows[0] : rows[-1] + 1].any(axis=0))
    return slice(int(rows[0]), int(rows[-1]) + 1), slice(int(columns[0]), int(columns[-1]) + 1)


def blended(below: Floats, above: Floats, weight: Mask01) -> Encoded01:
    """Colours (h, w, 3) on the way from some to others, by weights (h, w); the others' array is used for them."""
    thrice = cv2.merge([np.ascontiguousarray(weight)] * 3)
    cv2.subtract(above, below, dst=above)
    cv2.multiply(above, thrice, dst=above)
    return Encoded01(np.asarray(cv2.add(above, below, dst=above)))
