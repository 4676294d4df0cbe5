"""Drawing a frame under a plan: the one way from pixels and a plan to pixels, at any size and of any part."""

from dataclasses import dataclass

import cv2
import numpy as np

from nuvett.core.drawing.renderer import STRIP_ROWS, Cut, Pixels, Renderer
from nuvett.core.plan.compile import compile_shaped
from nuvett.core.plan.finish import FinishOperation, HazeOperation, LocalOperation
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.spaces.rgb import Space
from nuvett.core.spatial.finish import BASE_EDGE, Finisher, FrameMaps, make_maps
from nuvett.core.table.table import USUAL_SIZE
from nuvett.core.types import Encoded01

Box = tuple[int, int, int, int]
"""Left, top, width and height in pixels."""


@dataclass(frozen=True)
class Stages:
    """A plan compiled: runs of colour operations as one table, then what needs more than a colour."""

    renderer: Renderer
    finish: tuple[FinishOperation, ...] = ()
    seed: int = 0

    @property
    def needs_maps(self) -> bool:
        """Whether the frame as a whole has to be looked at, small, before any part of it can be drawn."""
        return any(isinstance(o, HazeOperation | LocalOperation) for o in self.finish)


def compile_stages(
    plan: FramePlan,
    domain: Space = Space.SRGB,
    space: Space = Space.SRGB,
    points: int = USUAL_SIZE,
    threads: int = 1,
) -> Stages:
    """Stages of a plan for pictures of a domain, into a space, with a table of some points a side."""
    return Stages(Renderer(compile_shaped(plan, points, domain, space, threads)), plan.finish, plan.seed)


class Drawing:
    """One frame of a size (width, height) under compiled stages.

    small : (h, w, 3) the frame in its own domain at BASE_EDGE or more, from which maps are made where they are needed
    """

    def __init__(self, stages: Stages, size: tuple[int, int], small: Pixels | None = None) -> None:
        self._renderer, self.size = stages.renderer, size
        self._finisher = None
        if stages.finish:
            maps = _maps(stages.renderer, small) if stages.needs_maps and small is not None else None
            self._finisher = Finisher(stages.finish, size, stages.seed, maps)

    @property
    def by_strips(self) -> bool:
        """Whether rows can be drawn by themselves, with nothing around them."""
        return self._finisher is None

    def around(self, box: Box) -> Box:
        """The part of the frame that is needed to draw a part of it."""
        halo = self._finisher.halo if self._finisher else 0
        left, top, width, height = box
        first, above = max(0, left - halo), max(0, top - halo)
        return first, above, left + width + halo - first, top + height + halo - above

    def part(self, pixels: Pixels, box: Box) -> Pixels:
        """A part of the frame as 8 bit, from the pixels (H, W, 3) of `around` it; the pixels that `picture` has there.

        Where the frame ends, `pixels` may end sooner.
        """
        left, top, width, height = box
        if self._finisher is None:
            return self._renderer.part(pixels, left, top)
        first, above, _, _ = self.around(box)
        inner = (slice(top - above, top - above + height), slice(left - first, left - first + width))
        return self._renderer.finished(pixels, self._finisher, Cut(first, above, inner), 8)

    def strip(self, pixels: Pixels, first_row: int, depth: int) -> Pixels:
        """Rows (H, W, 3) of a frame that can be drawn by strips, 8 or 16 bit."""
        return self._renderer.strip(pixels, first_row, depth)

    def picture(self, pixels: Pixels, depth: int = 8, threads: int = 1, rows: int = STRIP_ROWS) -> Pixels:
        """The whole frame (H, W, 3), 8 or 16 bit; the same pixels whatever the strips and threads are."""
        if self._finisher is None:
            return self._renderer.picture(pixels, depth, threads=threads, rows=rows)
        return self._renderer.finished_picture(pixels, self._finisher, depth, threads, rows)


def _maps(renderer: Renderer, small: Pixels) -> FrameMaps:
    height, width = small.shape[:2]
    scale = min(1.0, BASE_EDGE / max(width, height))
    size = (max(1, round(width * scale)), max(1, round(height * scale)))
    base = np.asarray(cv2.resize(small, size, interpolation=cv2.INTER_AREA))
    coloured = renderer.picture(base, 16).astype(np.float32) / np.float32(65535)
    return make_maps(Encoded01(coloured))
