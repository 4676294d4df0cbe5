"""Colours of a part of a frame, by rows: the table, the layers over it, and soft colour kept whole."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Self

from nuvett.core.drawing.layers import LayerStage, laid
from nuvett.core.drawing.renderer import Pixels, Renderer, in_floats, lay_rounded
from nuvett.core.quick import planes_of
from nuvett.core.spatial.enlarging import Part
from nuvett.core.spatial.soft_colour import OverPart, SoftColour, Torn
from nuvett.core.types import Floats, Mask01


@dataclass(frozen=True)
class Colouring:
    """A part of a frame and what its colours are made by.

    as_it_came : the table that changes nothing, where pixels go to another space
    source : (h, w, 3) its pixels before that; weights : (h, w) of each layer
    torn : where soft colour is to be mended, none where it is not looked at
    """

    renderer: Renderer
    layers: Sequence[LayerStage]
    as_it_came: Renderer | None
    source: Pixels
    weights: Sequence[Mask01]
    part: Part
    torn: Torn | None = None

    @cached_property
    def _over(self) -> OverPart | None:
        return self.torn.over(self.part) if self.torn else None

    def kept_whole(self, soft: SoftColour) -> Self:
        """The same with soft colour kept whole; what lies within its halo of a cut edge is not valid."""
        return replace(self, torn=soft.torn(self.part, self._coloured, self._came))

    def cut(self, inside: tuple[slice, slice]) -> Self:
        """The rows and columns of a part that lies in it."""
        rows, columns = inside
        left, top = self.part.left + columns.start, self.part.top + rows.start
        part = Part(left, top, columns.stop - columns.start, rows.stop - rows.start, self.part.frame)
        weights = tuple(weight[inside] for weight in self.weights)
        return replace(self, source=self.source[inside], weights=weights, part=part)

    def planes(self, rows: slice) -> Floats:
        """Planes (3, n, w) of some rows, encoded."""
        made = self._coloured(rows)
        if self._over is not None:
            self._over.mend(rows.start, made)
        return made

    def lay(self, rows: slice, out: Pixels) -> None:
        """Some rows laid into `out` (n, w, 3), 8 or 16 bit: straight from the source where no layer lies over them."""
        at = self.part.left, self.part.top + rows.start
        torn = None if self._over is None else self._over.rows(rows.start)
        if self.weights:
            lay_rounded(self._coloured(rows), *at, out, torn)
        else:
            self.renderer.lay(self.source[rows], *at, out, torn)

    def _coloured(self, rows: slice) -> Floats:
        made = self.renderer.coloured(self.source[rows])
        return laid(self.layers, [weight[rows] for weight in self.weights], self.source[rows], made)

    def _came(self, rows: slice) -> Floats:
        """Planes of the frame as it came, in the space that is drawn in."""
        pixels = self.source[rows]
        if self.as_it_came is not None:
            return self.as_it_came.coloured(pixels)
        return planes_of(in_floats(pixels)).reshape(3, *pixels.shape[:2])
