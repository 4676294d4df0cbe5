"""Pictures for screens: frames at a size or in part under a plan, references, colours at a place."""

from collections.abc import Callable, Hashable
from dataclasses import replace

import cv2
import numpy as np
import simplejpeg

from nuvett.core.drawing.boxes import Box
from nuvett.core.drawing.drawing import Drawing, Stages, compile_stages
from nuvett.core.drawing.renderer import Pixels
from nuvett.core.errors import InvalidChangeError
from nuvett.core.measure.sampling import Sample
from nuvett.core.plan.apply import apply_plan, before_kind, in_layers
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.plan.operation import ColourOperation
from nuvett.core.planning.framed import weights_at
from nuvett.core.planning.planning import UNTOUCHED
from nuvett.core.reading.palette import Colour
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear
from nuvett.core.spaces.rgb import Space, to_linear
from nuvett.core.table.table import USUAL_SIZE
from nuvett.core.types import Encoded01, Linear, OKLab
from nuvett.imaging.encode import Format, encode
from nuvett.imaging.proxy import VIEW_EDGE, fit_within
from nuvett.services.caching.caches import Cache
from nuvett.services.engine.areas import Areas
from nuvett.services.engine.facts import FrameFacts
from nuvett.services.engine.originals import Originals
from nuvett.services.engine.sources import Sources
from nuvett.services.files.rendering import THREADS

_POINT_BYTES = 24  # of a table, with what the colour library makes of it
PREVIEW_QUALITY, QUICK_QUALITY = 92, 85
_TILE_EDGE, TILE_POINTS = 480, 17  # small pictures come from a coarser table, which compiles seven times faster
_MAX_CROP = 2000
_ENLARGED = 1.2  # times the kept view that a picture may be drawn larger before the original is looked at
_DISC = 3  # pixels around a picked place that are averaged


class Pictures:
    """Rendered and encoded pictures, keyed by what they show and the plan they are drawn under."""

    def __init__(self, sources: Sources, originals: Originals, areas: Areas, kept: Cache) -> None:
        self._sources, self._originals, self._areas, self._kept = sources, originals, areas, kept

    def stages(self, plan: FramePlan, domain: Space, points: int = USUAL_SIZE) -> Stages:
        """A plan compiled into sRGB, for screens."""
        tables = plan.nowhere()
        key = ("stages", tables.key, domain, points)
        weight = _POINT_BYTES * points**3 * (1 + len(plan.layers))
        made = self._kept.get(key, lambda: compile_stages(tables, domain, points=points, threads=THREADS), weight)
        return made.laid_out(plan)

    def drawing(
        self,
        frame: FrameFacts,
        plan: FramePlan,
        size: tuple[int, int],
        points: int = USUAL_SIZE,
        source: tuple[int, int] | None = None,
    ) -> Drawing:
        """A frame under a plan, to be drawn at a size (width, height) in pixels from a source of a size."""
        stages = self.stages(plan, frame.domain, points)
        if points == TILE_POINTS:  # too coarse for what is seen at full size
            stages = replace(stages, soft=None)
        small = self._sources.view(frame.view) if stages.needs_maps else None
        weights = self._areas.weights(frame, plan)
        return Drawing(stages, size, small, weights, source, (frame.width, frame.height))

    def drawn(self, frame: FrameFacts, plan: FramePlan, edge: int, points: int = USUAL_SIZE, depth: int = 8) -> Pixels:
        """Pixels of what is seen of a frame at a long edge under a plan, from tables of some points, 8 or 16 bit."""
        pixels, size = self.source(frame, plan, edge)
        threads = 1 if edge <= _TILE_EDGE else THREADS  # of tiles, many are drawn at once
        drawing = self.drawing(frame, plan, size, points, (pixels.shape[1], pixels.shape[0]))
        return drawing.picture(pixels, depth, threads)

    def source(self, frame: FrameFacts, plan: FramePlan, edge: int) -> tuple[Pixels, tuple[int, int]]:
        """Pixels (h, w, 3) of a frame as it came, uncut, from which it is drawn at a long edge; the size it has then.

        Where little of the frame is seen, the kept view has too few pixels, and the original is looked at.
        """
        if not plan.is_placed:
            pixels = self._sources.view(frame.view, edge)
            return pixels, (pixels.shape[1], pixels.shape[0])
        placing = plan.placed((frame.width, frame.height))
        size = fit_within(*placing.size, edge)
        whole = int(np.ceil(max(size) * placing.density))
        if whole <= VIEW_EDGE * _ENLARGED or whole <= _TILE_EDGE:
            return self._sources.view(frame.view, min(whole, VIEW_EDGE)), size

        def shrink() -> Pixels:
            pixels = self._originals.whole(frame.pixels)
            return np.asarray(
                cv2.resize(pixels, fit_within(frame.width, frame.height, whole), interpolation=cv2.INTER_AREA)
            )

        return self._kept.get(("original", frame.pixels, whole), shrink), size

    def preview(self, frame: FrameFacts, plan: FramePlan | None, edge: int, quick: bool = False) -> bytes:
        """JPEG of a frame at a long edge, under a plan or as it came; quick ones are coarser, for dragging."""
        key = ("preview", frame.view, plan.key if plan else "", edge, quick)

        def make() -> bytes:
            if plan is None and frame.domain is Space.SRGB:
                pixels = self._sources.view(frame.view, edge)
            else:
                points = TILE_POINTS if quick or edge <= _TILE_EDGE else USUAL_SIZE
                pixels = self.drawn(frame, plan or UNTOUCHED, edge, points)
            return _jpeg(pixels, QUICK_QUALITY, "420") if quick else _jpeg(pixels, PREVIEW_QUALITY)

        return self._kept.get(key, make)

    def crop(self, frame: FrameFacts, plan: FramePlan | None, box: Box) -> bytes:
        """PNG of x, y, width, height of the picture at full size: the pixels that a delivery has there."""
        return encode(self.part(frame, plan or UNTOUCHED, box), Format.PNG, 100)

    def part(self, frame: FrameFacts, plan: FramePlan, box: Box, depth: int = 8) -> Pixels:
        """Pixels of x, y, width, height of the picture at full size, 8 or 16 bit.

        Raises InvalidChangeError for a place outside it, and as `decode`.
        """
        whole = (frame.width, frame.height)
        size = plan.placed(whole).size
        box = part_inside(box, size)
        drawing = self.drawing(frame, plan, size, source=whole)
        return drawing.part(self._originals.part(frame.pixels, drawing.around(box)), box, depth)

    def of_view(self, view: str, domain: str, edge: int) -> bytes:
        """JPEG of a kept view at a long edge, in sRGB."""

        def make() -> bytes:
            pixels = self._sources.view(view, edge)
            if Space(domain) is not Space.SRGB:
                pixels = self._plainly(Space(domain), pixels).picture(pixels)
            return _jpeg(pixels, PREVIEW_QUALITY)

        return self._kept.get(("shown", view, edge), make)

    def _plainly(self, domain: Space, pixels: Pixels) -> Drawing:
        return Drawing(self.stages(UNTOUCHED, domain), (pixels.shape[1], pixels.shape[0]))

    def reference_crop(self, original: str, domain: str, box: Box) -> bytes:
        """PNG of x, y, width, height of a reference at full size, in sRGB."""
        pixels = self._originals.part(original, box)
        return encode(self._plainly(Space(domain), pixels).part(pixels, box), Format.PNG, 100)

    def kept(self, key: Hashable, make: Callable[[], bytes]) -> bytes:
        """Encoded picture kept under a key while memory lasts."""
        return self._kept.get(("kept", key), make)

    def remembered(self, key: Hashable) -> bytes | None:
        """Encoded picture that was remembered under a key, none where memory has let it go."""
        found: bytes | None = self._kept.peek(("remembered", key))
        return found

    def remember(self, key: Hashable, data: bytes) -> None:
        """Remember an encoded picture under a key."""
        self._kept.put(("remembered", key), data)

    def colour_at(self, view: str, domain: str, place: object) -> Colour:
        """OKLab colour of a small disc at a place (x, y in shares). Raises InvalidChangeError outside the picture."""
        x, y = place_in(place)
        pixels = self._sources.view(view)
        height, width = pixels.shape[:2]
        row, column = min(int(y * height), height - 1), min(int(x * width), width - 1)
        around = pixels[max(0, row - _DISC) : row + _DISC + 1, max(0, column - _DISC) : column + _DISC + 1]
        linear = to_linear(Encoded01((around.reshape(-1, 3) / 255).astype(np.float32)), Space(domain))
        return _triple(linear_to_oklab(Linear(linear.mean(axis=0, keepdims=True))))

    def colour_under(self, frame: FrameFacts, plan: FramePlan, place: object) -> Colour:
        """OKLab colour of a place (x, y in shares of what is seen) of a frame under a plan. Raises as `colour_at`."""
        came, there = self._came_at(frame, plan, place)
        if not plan.layers:
            return _triple(apply_plan(plan, came))
        weights = weights_at(self._areas.weights(frame, plan), Sample(came, np.array([there], dtype=np.float32)))
        return _triple(linear_to_oklab(to_linear(in_layers(plan, came, weights))))

    def colour_before(
        self, frame: FrameFacts, plan: FramePlan, name: str, kind: type[ColourOperation], place: object
    ) -> Colour:
        """The same colour as it comes to the first operation of a kind in a group or layer of the plan."""
        return _triple(before_kind(plan, name, kind, self._came_at(frame, plan, place)[0]))

    def _came_at(self, frame: FrameFacts, plan: FramePlan, place: object) -> tuple[Linear, tuple[float, float]]:
        """Linear light (1, 3) of a place of what is seen, as it came, and where it lies in shares of the original."""
        x, y = place_in(place)
        across, down = plan.placed((frame.width, frame.height)).original(np.array([x]), np.array([y]))
        there = (float(np.clip(across[0], 0, 1)), float(np.clip(down[0], 0, 1)))
        lab = np.array([self.colour_at(frame.view, frame.domain, there)], dtype=np.float32)
        return oklab_to_linear(OKLab(lab)), there


def place_in(place: object) -> tuple[float, float]:
    """A place as x, y in shares. Raises InvalidChangeError outside the picture."""
    try:
        x, y = (float(v) for v in place)  # type: ignore[attr-defined]
    except (TypeError, ValueError) as error:
        raise InvalidChangeError("That place lies outside the picture.") from error
    if not (0 <= x <= 1 and 0 <= y <= 1):
        raise InvalidChangeError("That place lies outside the picture.")
    return x, y


def part_inside(box: Box, size: tuple[int, int]) -> Box:
    """As much of a box as lies in a picture of a size. Raises InvalidChangeError where that is nothing."""
    left, top, width, height = box
    width, height = min(width, size[0] - left), min(height, size[1] - top)
    if width <= 0 or height <= 0:
        raise InvalidChangeError("That place lies outside the picture.")
    return left, top, width, height


def _triple(lab: OKLab) -> Colour:
    lightness, a, b = (float(v) for v in lab[0])
    return lightness, a, b


def _jpeg(pixels: Pixels, quality: int, sampling: str = "444") -> bytes:
    """A JPEG of pixels (h, w, 3); with colour at half the resolution, 420, it is made and seen a third sooner."""
    return bytes(simplejpeg.encode_jpeg(np.ascontiguousarray(pixels), quality, "RGB", sampling))


def box_of(text: str) -> Box:
    """`x,y,width,height` in whole pixels. Raises InvalidChangeError for anything else or more than is shown at once."""
    parts = text.split(",")
    if len(parts) != 4 or not all(part.isdecimal() for part in parts):
        raise InvalidChangeError("A place is given as x,y,width,height in whole pixels.")
    x, y, width, height = (int(part) for part in parts)
    if not (0 < width <= _MAX_CROP and 0 < height <= _MAX_CROP):
        raise InvalidChangeError(f"At full size at most {_MAX_CROP} pixels are shown at once.")
    return x, y, width, height
