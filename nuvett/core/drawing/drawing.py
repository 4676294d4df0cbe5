"""Drawing a frame under a plan: the one way from pixels and a plan to pixels, at any size and of any part."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from nuvett.core.area.weights import WeightMap
from nuvett.core.drawing.boxes import Box, around_inner, inside
from nuvett.core.drawing.colouring import Colouring
from nuvett.core.drawing.layers import LayerStage
from nuvett.core.drawing.renderer import (
    BLOCK_PIXELS,
    STRIP_ROWS,
    Pixels,
    Renderer,
    by_rows,
    empty,
    in_floats,
    lay_rounded,
)
from nuvett.core.drawing.resampling import Resampling
from nuvett.core.geometry.geometry import Geometry, Placing
from nuvett.core.geometry.lens import LensCorrection
from nuvett.core.geometry.spots import Spots
from nuvett.core.guided import encoded_luminance
from nuvett.core.plan.compile import compile_shaped
from nuvett.core.plan.finish import FinishOperation, SoftColourOperation
from nuvett.core.plan.frame_plan import FramePlan, Layer
from nuvett.core.spaces.rgb import Space
from nuvett.core.spatial.enlarging import Part
from nuvett.core.spatial.finish import Finisher, InArea, maps_for, needs_maps
from nuvett.core.spatial.maps import BASE_EDGE, FrameMaps
from nuvett.core.spatial.mending import Mending
from nuvett.core.spatial.soft_colour import MIN_SCALE, SoftColour
from nuvett.core.table.table import USUAL_SIZE
from nuvett.core.types import Encoded01, Floats, Mask01

_SCENE_SIZE = 45  # points a side for pictures with headroom, whose white lies inside the table
_MAX_HALOS = 24  # a strip is as many times as high as what is drawn around it, if a picture is so small
_NOTHING = 119 / 255  # encoded grey of what lies beside the picture


@dataclass(frozen=True)
class Stages:
    """A plan compiled: geometry, runs of colour operations as one table, layers, then what needs more than a colour.

    spots : painted out of the source; lens : what it did, which is undone with the geometry
    domain : of the pixels that come in
    light : the plan that only evens the light, which is how areas look at the frame
    soft : what keeps soft colour whole; as_it_came : the table that changes nothing, where pixels go to another space
    """

    renderer: Renderer
    layers: tuple[LayerStage, ...] = ()
    finish: tuple[FinishOperation, ...] = ()
    geometry: Geometry = field(default_factory=Geometry)
    lens: LensCorrection | None = None
    spots: Spots = ()
    domain: Space = Space.SRGB
    light: FramePlan = field(default_factory=FramePlan)
    seed: int = 0
    soft: SoftColourOperation | None = None
    as_it_came: Renderer | None = None

    def laid_out(self, plan: FramePlan) -> "Stages":
        """The same tables where another plan, which differs in areas and geometry alone, has them."""
        layers = (replace(stage, area=layer.area) for stage, layer in zip(self.layers, plan.layers, strict=True))
        return replace(self, layers=tuple(layers), geometry=plan.geometry, lens=plan.lens, spots=plan.spots)

    def placed(self, size: tuple[int, int]) -> Placing:
        """Where what is seen of a frame of a size comes from."""
        return replace(self.geometry.placed(size), lens=self.lens)

    @property
    def finishes(self) -> tuple[InArea, ...]:
        """All that needs more than a colour, with the number of the layer that it lies in."""
        everywhere = [InArea(operation) for operation in self.finish]
        return (*everywhere, *(InArea(o, i) for i, layer in enumerate(self.layers) for o in layer.finish))

    @property
    def needs_maps(self) -> bool:
        """Whether the frame as a whole has to be looked at, small, before any part of it can be drawn."""
        return needs_maps(self.finishes)

    @property
    def is_plain(self) -> bool:
        """Whether every pixel is a function of its own colour and place alone."""
        changed = self.finishes or self.soft or self.spots or self.lens is not None
        return not changed and self.geometry.is_none


def compile_stages(
    plan: FramePlan,
    domain: Space = Space.SRGB,
    space: Space = Space.SRGB,
    points: int = USUAL_SIZE,
    threads: int = 1,
) -> Stages:
    """Stages of a plan for pictures of a domain, into a space, with tables of some points a side."""
    if domain is Space.SCENE and points == USUAL_SIZE:
        points = _SCENE_SIZE

    def table(of: FramePlan, source: Space) -> Renderer:
        return Renderer(compile_shaped(of, points, source, space, threads))

    def compiled(layer: Layer) -> LayerStage:
        instead = None if layer.look is None else table(plan.with_look_at(layer.look), domain)
        over = table(FramePlan(groups=(layer.colours,)), space) if layer.colours.operations else None
        return LayerStage(layer.area, instead, over, layer.finish)

    layers = tuple(compiled(layer) for layer in plan.layers)
    light = FramePlan(groups=(plan.group("light"),))
    renderer = table(plan, domain)
    finish = tuple(operation for operation in plan.finish if not isinstance(operation, SoftColourOperation))
    soft = next((operation for operation in plan.finish if isinstance(operation, SoftColourOperation)), None)
    own = table(FramePlan(), domain) if soft and domain is not space else None
    return Stages(renderer, layers, finish, plan.geometry, plan.lens, plan.spots, domain, light, plan.seed, soft, own)


class Drawing:
    """One frame under compiled stages, drawn at a size (width, height) in pixels of what is seen of it.

    source : size in pixels of what it is drawn from, uncut; none for the same as `size`
    original : size of the frame in its own pixels, uncut; none for the same as `source`
    weights : of each layer; small : (h, w, 3) the frame in its own domain at BASE_EDGE or more, uncut, from which maps
        are made where they are needed
    """

    def __init__(
        self,
        stages: Stages,
        size: tuple[int, int],
        small: Pixels | None = None,
        weights: Sequence[WeightMap] = (),
        source: tuple[int, int] | None = None,
        original: tuple[int, int] | None = None,
    ) -> None:
        self._stages, self.size = stages, size
        self._weights = tuple(weights)
        if len(self._weights) != len(stages.layers):
            raise ValueError("every layer needs its weights")
        source = source or size
        placing = stages.placed(original or source)
        self._resampling = Resampling(placing, size, source)
        self._mending = Mending(stages.spots, source)
        self._soft = None
        scale = size[0] / placing.size[0]
        if stages.soft and scale >= MIN_SCALE:
            self._soft = SoftColour(stages.soft, scale)
        self._finisher = None
        if stages.finishes:
            maps = self._maps(small) if stages.needs_maps and small is not None else None
            self._finisher = Finisher(stages.finishes, size, stages.seed, maps)

    @property
    def by_strips(self) -> bool:
        """Whether rows can be drawn by themselves, with nothing around them."""
        return self._is_colour_alone and self._resampling.is_plain and self._mending.is_none

    @property
    def _is_colour_alone(self) -> bool:
        """Whether a pixel that is drawn depends on no other one."""
        return self._finisher is None and self._soft is None

    @property
    def halo(self) -> int:
        """Pixels around a part that are looked at to keep its soft colour whole, and to finish it."""
        return (self._finisher.halo if self._finisher else 0) + (self._soft.halo if self._soft else 0)

    def _outer(self, box: Box, halo: int | None = None) -> Box:
        halo = self.halo if halo is None else halo
        left, top, width, height = box
        first, above = max(0, left - halo), max(0, top - halo)
        last, below = min(self.size[0], left + width + halo), min(self.size[1], top + height + halo)
        return first, above, last - first, below - above

    def around(self, box: Box) -> Box:
        """The part of the source that is needed to draw a part of the picture."""
        return self._mending.around(self._drawn_from(box))

    def _drawn_from(self, box: Box) -> Box:
        """The part of the source that a part of the picture is drawn from, its spots mended."""
        return self._resampling.around(self._outer(box))

    def lay(self, pixels: Pixels, box: Box, out: Pixels) -> None:
        """A part of the picture laid into `out`, 8 or 16 bit, from the source's pixels (H, W, 3) `around` it.

        The pixels that `picture` has there, whatever the part. Where `by_strips`, `out` may be the pixels themselves.
        """
        if self.by_strips and not self._weights:
            self._stages.renderer.lay(pixels, box[0], box[1], out)
        elif self.by_strips and out.dtype == pixels.dtype == np.uint8:
            self._lay_layered(pixels, box, out)
        else:
            self._lay_made(*self._mended(pixels, box), box, out)

    def _mended(self, pixels: Pixels, box: Box) -> tuple[Pixels, tuple[int, int]]:
        """What a part of the picture is drawn from, of the source's pixels `around` it, and where that begins."""
        at, inner = self.around(box)[:2], self._drawn_from(box)
        if self._mending.is_none:
            return pixels, at
        left, top = inner[0] - at[0], inner[1] - at[1]
        return self._mending.mended(pixels, at)[top : top + inner[3], left : left + inner[2]], inner[:2]

    def part(self, pixels: Pixels, box: Box, depth: int = 8) -> Pixels:
        """A part of the picture, 8 or 16 bit; as `lay` has it."""
        out = empty((box[3], box[2]), depth)
        self.lay(pixels, box, out)
        return out

    def _lay_layered(self, pixels: Pixels, box: Box, out: Pixels) -> None:
        """A part of a picture of eight bits that can be drawn by strips: in floating point where layers lie."""
        touched = self._touched(box)
        for around in around_inner(touched, box):
            where = inside(around, box)
            self._stages.renderer.lay(pixels[where], around[0], around[1], out[where])
        if touched is not None:
            where = inside(touched, box)
            self._lay_made(pixels[where], touched[:2], touched, out[where])

    def picture(self, pixels: Pixels, depth: int = 8, threads: int = 1, rows: int = STRIP_ROWS) -> Pixels:
        """The whole picture, 8 or 16 bit, from the whole source (H, W, 3); the same pixels whatever the strips are."""
        width, height = self.size
        out = empty((height, width), depth)
        rows = max(rows, min(-(-height // threads), _MAX_HALOS * self.halo))

        def work(top: int) -> None:
            box = (0, top, width, min(rows, height - top))
            left, first, across, down = self.around(box)
            self.lay(pixels[first : first + down, left : left + across], box, out[top : top + box[3]])

        by_rows(work, height, rows, threads)
        return out

    def _touched(self, box: Box) -> Box | None:
        """The part of a part of the uncut frame in which layers weigh anything."""
        found = [weight.extent for weight in self._weights if weight.extent is not None]
        if not found:
            return None
        left, top, width, height = box
        (across, down), ends = self.size, np.array(found)
        first = max(left, int(ends[:, 0].min() * across)), max(top, int(ends[:, 1].min() * down))
        last = (
            min(left + width, int(np.ceil(ends[:, 2].max() * across))),
            min(top + height, int(np.ceil(ends[:, 3].max() * down))),
        )
        if first[0] >= last[0] or first[1] >= last[1]:
            return None
        return first[0], first[1], last[0] - first[0], last[1] - first[1]

    def _lay_made(self, pixels: Pixels, at: tuple[int, int], box: Box, out: Pixels) -> None:
        """A part of the picture from pixels of the source that begin at `at`."""
        if self._is_point_by_point:
            self._lay_moved(pixels, at, box, out)
            return
        outer = self._outer(box)
        source, places = pixels, None
        if not self._resampling.is_plain:
            if self._weights or self._stages.geometry.uncut:
                places = self._resampling.places(outer)
            source = self._resampling.drawn(pixels, at, outer, self._stages.domain)
        weights = self._weighed(source, outer, places) if self._weights else ()
        if self._finisher is not None and self._finisher.has_noise_reduction:
            source = self._finisher.denoise(in_floats(source), outer[0], outer[1], weights)
            inner = self._outer(box, self._finisher.finish_halo + (self._soft.halo if self._soft else 0))
            cut = inside(inner, outer)
            source, weights = source[cut], tuple(weight[cut] for weight in weights)
            places, outer = places and (places[0][cut], places[1][cut]), inner
        stages = self._stages
        part = Part(*outer, self.size)
        colouring = Colouring(stages.renderer, stages.layers, stages.as_it_came, source, weights, part)
        if self._soft is not None:
            colouring = colouring.kept_whole(self._soft)
        if self._finisher is None and box != outer:
            cut = inside(box, outer)
            colouring, outer = colouring.cut(cut), box
            places = places and (places[0][cut], places[1][cut])
        if self._finisher is None and not stages.geometry.uncut:
            for rows in _rows(colouring.part):
                colouring.lay(rows, out[rows])
            return
        rows, columns = inside(box, outer)
        for first, made in self._finished(colouring):
            if places is not None and stages.geometry.uncut:
                block = slice(first, first + made.shape[1])
                made[:, _beside((places[0][block], places[1][block]))] = _NOTHING
            begins, ends = max(first, rows.start), min(first + made.shape[1], rows.stop)
            if begins < ends:
                within = made[:, begins - first : ends - first, columns]
                lay_rounded(within, box[0], outer[1] + begins, out[begins - rows.start : ends - rows.start])

    def _finished(self, colouring: Colouring) -> Iterator[tuple[int, Floats]]:
        """Planes (3, n, w) of rows of a part with its colours and its finish, and which row each begins at."""
        if self._finisher is None:
            yield from ((rows.start, colouring.planes(rows)) for rows in _rows(colouring.part))
        else:
            yield from self._finisher.blocks(colouring.planes, colouring.part, colouring.weights)

    @property
    def _is_point_by_point(self) -> bool:
        """Whether nothing is needed after the resampling but the table."""
        plain = self._is_colour_alone and not self._weights and not self._stages.geometry.uncut
        return plain and not self._resampling.is_plain

    def _lay_moved(self, pixels: Pixels, at: tuple[int, int], box: Box, out: Pixels) -> None:
        """A part of the picture that is resampled and coloured, by as many rows as fit the processor's cache."""
        left, top, width, _ = box
        rows = max(1, BLOCK_PIXELS // width)
        for first, planes in self._resampling.blocks(pixels, at, box, self._stages.domain, rows):
            self._stages.renderer.lay_planes(planes, left, top + first, out[first : first + planes.shape[1]])

    def _weighed(self, source: Pixels, box: Box, places: tuple[Floats, Floats] | None) -> tuple[Mask01, ...]:
        """Weights (h, w) of each layer in a part; places of the original, none where the frame is uncut."""
        follows = any(weight.follows_edges for weight in self._weights)
        luminance = encoded_luminance(in_floats(source)) if follows else None
        if places is None:
            return tuple(weight.part(box, self.size, luminance) for weight in self._weights)
        return tuple(weight.at(*places, luminance) for weight in self._weights)

    def _maps(self, small: Pixels) -> FrameMaps:
        """Maps of what is seen, with its colours; layers change it too little to be looked at for them."""
        source = (small.shape[1], small.shape[0])
        width, height = self.size
        scale = min(1.0, BASE_EDGE / max(width, height), max(source) / max(width, height))
        size = (max(1, round(width * scale)), max(1, round(height * scale)))
        if self._resampling.placing.is_plain:
            base = np.asarray(cv2.resize(small, size, interpolation=cv2.INTER_AREA))
        else:
            shrunk = _shrunk(small, max(size) * self._resampling.placing.density)
            resampling = Resampling(self._resampling.placing, size, (shrunk.shape[1], shrunk.shape[0]))
            whole = (0, 0, *size)
            base = resampling.drawn(shrunk, (0, 0), whole, self._stages.domain)
        coloured = self._stages.renderer.picture(base, 16).astype(np.float32) / np.float32(65535)
        return maps_for(self._stages.finishes, Encoded01(coloured), max(self.size))


def _rows(part: Part) -> Iterator[slice]:
    """Rows of a part, as many at once as fit the processor's cache."""
    count = max(1, BLOCK_PIXELS // part.width)
    return (slice(first, min(first + count, part.height)) for first in range(0, part.height, count))


def _beside(places: tuple[Floats, Floats]) -> NDArray[np.bool_]:
    """Which places (h, w) lie beside the picture."""
    x, y = places
    return np.asarray((x < 0) | (x > 1) | (y < 0) | (y > 1))


def _shrunk(pixels: Pixels, edge: float) -> Pixels:
    scale = min(1.0, edge / max(pixels.shape[:2]))
    size = (max(1, round(pixels.shape[1] * scale)), max(1, round(pixels.shape[0] * scale)))
    return np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA))
