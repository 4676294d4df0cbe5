"""Pictures for screens: frames at a size or in part under a plan, references, colours at a place."""

from collections.abc import Callable, Hashable

import numpy as np
import simplejpeg

from nuvett.core.drawing.drawing import Box, Drawing, Stages, compile_stages
from nuvett.core.drawing.renderer import Pixels
from nuvett.core.errors import InvalidChangeError
from nuvett.core.plan.apply import apply_plan
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.planning import UNTOUCHED
from nuvett.core.reading.palette import Colour
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear
from nuvett.core.spaces.rgb import Space, to_linear
from nuvett.core.table.table import USUAL_SIZE
from nuvett.core.types import Encoded01, Linear, OKLab
from nuvett.imaging.encode import Format, encode
from nuvett.services.caches import Cache
from nuvett.services.facts import FrameFacts
from nuvett.services.originals import Originals
from nuvett.services.rendering import THREADS
from nuvett.services.sources import Sources

_POINT_BYTES = 24  # of a table, with what the colour library makes of it
PREVIEW_QUALITY, QUICK_QUALITY = 92, 85
_TILE_EDGE, TILE_POINTS = 480, 17  # small pictures come from a coarser table, which compiles seven times faster
_MOST_CROP = 2000
_DISC = 3  # pixels around a picked place that are averaged


class Pictures:
    """Rendered and encoded pictures, keyed by what they show and the plan they are drawn under."""

    def __init__(self, sources: Sources, originals: Originals, kept: Cache) -> None:
        self._sources, self._originals, self._kept = sources, originals, kept

    def stages(self, plan: FramePlan, domain: Space, points: int = USUAL_SIZE) -> Stages:
        """A plan compiled into sRGB, for screens."""
        key = ("stages", plan.key, domain, points)
        weight = _POINT_BYTES * points**3
        return self._kept.get(key, lambda: compile_stages(plan, domain, points=points, threads=THREADS), weight)

    def drawing(self, frame: FrameFacts, plan: FramePlan, size: tuple[int, int], points: int = USUAL_SIZE) -> Drawing:
        """A frame under a plan, to be drawn at a size (width, height) in pixels."""
        stages = self.stages(plan, frame.domain, points)
        return Drawing(stages, size, self._sources.view(frame.view) if stages.needs_maps else None)

    def drawn(self, frame: FrameFacts, plan: FramePlan, edge: int, points: int = USUAL_SIZE, depth: int = 8) -> Pixels:
        """Pixels of a frame's view at a long edge under a plan, from a table of some points a side, 8 or 16 bit."""
        pixels = self._sources.view(frame.view, edge)
        threads = 1 if edge <= _TILE_EDGE else THREADS  # of tiles, many are drawn at once
        return self.drawing(frame, plan, (pixels.shape[1], pixels.shape[0]), points).picture(pixels, depth, threads)

    def preview(self, frame: FrameFacts, plan: FramePlan | None, edge: int, quick: bool = False) -> bytes:
        """JPEG of a frame at a long edge, under a plan or as it came; quick ones are coarser, for dragging."""
        key = ("preview", frame.view, plan.key if plan else "", edge, quick)

        def make() -> bytes:
            if plan is None and frame.domain is Space.SRGB:
                pixels = self._sources.view(frame.view, edge)
            else:
                points = TILE_POINTS if quick or edge <= _TILE_EDGE else USUAL_SIZE
                pixels = self.drawn(frame, plan or UNTOUCHED, edge, points)
            return _jpeg(pixels, QUICK_QUALITY if quick else PREVIEW_QUALITY)

        return self._kept.get(key, make)

    def crop(self, frame: FrameFacts, plan: FramePlan | None, box: Box) -> bytes:
        """PNG of x, y, width, height of the picture at full size: the pixels that a delivery has there."""
        inside = self._originals.part(frame.original, box)
        drawing = self.drawing(frame, plan or UNTOUCHED, (frame.width, frame.height))
        if not drawing.by_strips:
            inside = self._originals.part(frame.original, drawing.around(box))
        return encode(drawing.part(inside, box), Format.PNG, 100)

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

    def colour_at(self, view: str, domain: str, place: object) -> Colour:
        """OKLab colour of a small disc at a place (x, y in shares). Raises InvalidChangeError outside the picture."""
        try:
            x, y = (float(v) for v in place)  # type: ignore[attr-defined]
        except (TypeError, ValueError) as error:
            raise InvalidChangeError("That place lies outside the picture.") from error
        if not (0 <= x <= 1 and 0 <= y <= 1):
            raise InvalidChangeError("That place lies outside the picture.")
        pixels = self._sources.view(view)
        height, width = pixels.shape[:2]
        row, column = min(int(y * height), height - 1), min(int(x * width), width - 1)
        around = pixels[max(0, row - _DISC) : row + _DISC + 1, max(0, column - _DISC) : column + _DISC + 1]
        linear = to_linear(Encoded01((around.reshape(-1, 3) / 255).astype(np.float32)), Space(domain))
        return _triple(linear_to_oklab(Linear(linear.mean(axis=0, keepdims=True))))

    def colour_under(self, frame: FrameFacts, plan: FramePlan, place: object) -> Colour:
        """OKLab colour that a frame's place (x, y in shares) takes under a plan. Raises as `colour_at`."""
        lab = OKLab(np.array([self.colour_at(frame.view, frame.domain, place)], dtype=np.float32))
        return _triple(apply_plan(plan, oklab_to_linear(lab)))


def _triple(lab: OKLab) -> Colour:
    lightness, a, b = (float(v) for v in lab[0])
    return lightness, a, b


def _jpeg(pixels: Pixels, quality: int) -> bytes:
    return bytes(simplejpeg.encode_jpeg(np.ascontiguousarray(pixels), quality, "RGB", "444"))


def box_of(text: str) -> Box:
    """`x,y,width,height` in whole pixels. Raises InvalidChangeError for anything else or more than is shown at once."""
    parts = text.split(",")
    if len(parts) != 4 or not all(part.isdecimal() for part in parts):
        raise InvalidChangeError("A place is given as x,y,width,height in whole pixels.")
    x, y, width, height = (int(part) for part in parts)
    if not (0 < width <= _MOST_CROP and 0 < height <= _MOST_CROP):
        raise InvalidChangeError(f"At full size at most {_MOST_CROP} pixels are shown at once.")
    return x, y, width, height
