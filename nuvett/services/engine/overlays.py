"""Veils laid over a picture that leave open where something is: what clips, tones that may break up, faces.

To add one, see docs/adding.md.
"""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from nuvett.core.book.health import merged_pairs, merged_places, tinted_whites, torn_places
from nuvett.core.drawing.boxes import Box
from nuvett.core.drawing.renderer import Pixels, in_floats
from nuvett.core.drawing.resampling import Resampling
from nuvett.core.errors import NotFoundError
from nuvett.core.fit.hues import reached
from nuvett.core.guided import encoded_luminance
from nuvett.core.plan.apply import before_kind, evened_by
from nuvett.core.plan.by_hand import HuesOperation
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.lacking import near
from nuvett.core.planning.planning import UNTOUCHED
from nuvett.core.planning.richer import about_colour
from nuvett.core.planning.warnings import at_ends, steep_tones
from nuvett.core.reading.palette import Colour
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import from_linear, to_linear
from nuvett.core.spatial.finish import Finisher, InArea
from nuvett.core.types import Encoded01, Floats, Linear
from nuvett.services.engine.facts import FrameFacts
from nuvett.services.engine.pictures import part_inside
from nuvett.services.engine.workbench import Workbench

_VEILED, _OPEN = (119, 119, 119, 150), (0, 0, 0, 0)
_SPECKS = 5  # pixels a side within which the most decide
_HATCH, _HATCH_LINE = 10, 2  # pixels from line to line, and of a line
_WHITE, _BLACK = (255, 255, 255, 255), (0, 0, 0, 255)
_ABOUT = 0.012  # of the width that is open about a place
Marks = tuple[tuple[float, float], ...]
"""Places in shares of the uncut frame."""

Veil = NDArray[np.uint8]
"""Red, green, blue and opacity (h, w, 4) of what is laid over a picture."""


@dataclass(frozen=True)
class At:
    """What a veil looks for, where it has to be told.

    colour : OKLab; marks : (M, 2) places in shares; name : of a group or layer of the plan; index : of a part in it
    """

    colour: Colour | None = None
    marks: Marks = ()
    name: str = "look"
    index: int = 0


@dataclass(frozen=True)
class OverlaySource:
    """A frame as a veil looks at it.

    edge : the long edge of what is shown; box : the part of it at full size that is shown instead, none for all of it
    """

    bench: Workbench
    frame: FrameFacts
    plan: FramePlan
    edge: int
    at: At = At()
    box: Box | None = None

    @cached_property
    def _source(self) -> tuple[Pixels, tuple[int, int]]:
        return self.bench.pictures.source(self.frame, self.plan, self.edge)

    @cached_property
    def size(self) -> tuple[int, int]:
        """Width and height of all that is seen of the frame, at the size that it is shown at."""
        return self.plan.placed((self.frame.width, self.frame.height)).size if self.box else self._source[1]

    @property
    def shape(self) -> tuple[int, int]:
        """Height and width of what is shown."""
        return (self.box[2:] if self.box else self.size)[::-1]

    @cached_property
    def places(self) -> tuple[Floats, Floats]:
        """Shares of the original x, y (h, w) at the pixels of what is shown."""
        whole = (self.frame.width, self.frame.height)
        return Resampling(self.plan.placed(whole), self.size, whole).places(self.box or (0, 0, *self.size))

    @cached_property
    def came(self) -> Encoded01:
        """Encoded pixels (h, w, 3) of the frame as it came, in its own domain, from its view."""
        source = self._source[0]
        x, y = (
            np.clip(p * side, 0, side - 1).astype(np.intp)
            for p, side in zip(self.places, source.shape[1::-1], strict=True)
        )
        return Encoded01(in_floats(np.asarray(source[y, x])))

    @cached_property
    def linear(self) -> Linear:
        """The same as linear sRGB (h * w, 3)."""
        return to_linear(Encoded01(self.came.reshape(-1, 3)), self.frame.domain)

    @cached_property
    def made(self) -> Encoded01:
        """Encoded sRGB (h, w, 3) under the plan, from 16 bits: a JPEG may make faults up or hide them."""
        pictures = self.bench.pictures
        if self.box:
            drawn = pictures.part(self.frame, self.plan, self.box, depth=16)
        else:
            drawn = pictures.drawn(self.frame, self.plan, self.edge, depth=16)
        return Encoded01(np.multiply(drawn, np.float32(1 / 65535), dtype=np.float32))

    def open_at(self, there: NDArray[np.bool_]) -> Veil:
        """A veil that is open at places (h, w)."""
        veil = np.full((*self.shape, 4), _VEILED, dtype=np.uint8)
        veil[there] = _OPEN
        return veil

    def open_about(self, there: NDArray[np.bool_]) -> Veil:
        """The same for places (h * w,) of which single ones, and edges of the view's own blocks, say nothing."""
        return self.open_at(cv2.medianBlur(there.reshape(self.shape).astype(np.uint8), _SPECKS) > 0)


def _clipping(looked: OverlaySource) -> Veil:
    """White where a channel clips to white, black where all are black."""
    veil = np.full((*looked.shape, 4), _VEILED, dtype=np.uint8)
    white, black = at_ends(looked.made)
    veil[white], veil[black] = _WHITE, _BLACK
    return veil


def _steep(looked: OverlaySource) -> Veil:
    """Open where the frame's tones may break up."""
    low, high = steep_tones(looked.plan, looked.bench.sources.sample(looked.frame))
    lightness = linear_to_oklab(looked.linear)[..., 0].reshape(looked.shape)
    return looked.open_at((lightness >= low) & (lightness <= high))


def _faces(looked: OverlaySource) -> Veil:
    """Open on the faces found."""
    x, y = looked.places
    there = np.zeros(looked.shape, dtype=bool)
    for face in looked.frame.faces:
        left, top, across, down = face.box
        there |= (x >= left) & (x <= left + across) & (y >= top) & (y <= top + down)
    return looked.open_at(there)


def _torn(looked: OverlaySource) -> Veil:
    """Open where neighbours are torn apart."""
    return looked.open_about(torn_places(looked.plan, from_linear(looked.linear)))


def _merged(looked: OverlaySource) -> Veil:
    """Open where two colours have become one."""
    evened = linear_to_oklab(evened_by(looked.plan, looked.linear))
    return looked.open_about(
        merged_places(merged_pairs(looked.plan, looked.bench.sources.sample(looked.frame)), evened)
    )


def _tinted(looked: OverlaySource) -> Veil:
    """Open where whites are tinted."""
    evened = linear_to_oklab(evened_by(looked.plan, looked.linear))
    made = linear_to_oklab(to_linear(Encoded01(looked.made.reshape(-1, 3))))
    return looked.open_about(tinted_whites(evened, made))


def _where(looked: OverlaySource) -> Veil:
    """Open in the area of the plan's one layer, hatched neutrally where it is not, fainter where it is in part."""
    (area,) = looked.bench.areas.weights(looked.frame, looked.plan)
    outside = 1 - area.at(*looked.places, encoded_luminance(looked.came))
    height, width = outside.shape
    lines = (np.arange(width)[None] + np.arange(height)[:, None]) % _HATCH
    veil = np.empty((height, width, 4), dtype=np.uint8)
    veil[..., :3] = np.where(lines < _HATCH_LINE, 40, 150)[..., None]
    veil[..., 3] = np.rint(outside * np.where(lines < _HATCH_LINE, 200, 105))
    return veil


def _shared(looked: OverlaySource) -> Veil:
    """Open about places that other frames of the set-up show, too."""
    x, y = looked.places
    reach = np.float32(_ABOUT) ** 2
    across = np.float32(looked.frame.height / max(looked.frame.width, 1))
    there = np.zeros(looked.shape, dtype=bool)
    for left, top in looked.at.marks:
        there |= (x - np.float32(left)) ** 2 + ((y - np.float32(top)) * across) ** 2 < reach
    return looked.open_at(there)


def _colour(looked: OverlaySource) -> Veil:
    """Open where the finished frame has a colour."""
    if looked.at.colour is None:
        raise NotFoundError
    made = linear_to_oklab(to_linear(Encoded01(looked.made.reshape(-1, 3))))
    return looked.open_about(near(made, looked.at.colour))


def _hues(looked: OverlaySource) -> Veil:
    """Open as far as a hue range takes the colours that come to it."""
    operation = looked.plan.find(HuesOperation, looked.at.name)
    if operation is None or looked.at.index >= len(operation.bands):
        raise NotFoundError
    came = before_kind(looked.plan, looked.at.name, HuesOperation, looked.linear)
    veil = looked.open_at(np.zeros(looked.shape, dtype=bool))
    share = reached(came, operation.bands, looked.at.index).reshape(looked.shape)
    veil[..., 3] = np.rint(_VEILED[3] * (1 - share))
    return veil


def _richer(looked: OverlaySource) -> Veil:
    """Open where the finished frame is richer than a colour, in about its hue."""
    if looked.at.colour is None:
        raise NotFoundError
    made = linear_to_oklab(to_linear(Encoded01(looked.made.reshape(-1, 3))))
    return looked.open_about(about_colour(made, looked.at.colour))


def _sharpened(looked: OverlaySource) -> Veil:
    """Open as far as sharpening acts, at the size of the view."""
    finisher = Finisher([InArea(operation) for operation in looked.plan.finish], looked.size, 0)
    veil = looked.open_at(np.zeros(looked.shape, dtype=bool))
    veil[..., 3] = np.rint(_VEILED[3] * (1 - finisher.sharpened(looked.made)))
    return veil


VEILS: dict[str, Callable[[OverlaySource], Veil]] = {
    "clipping": _clipping,
    "steep": _steep,
    "skin": _faces,
    "tinted": _tinted,
    "merged": _merged,
    "torn": _torn,
    "where": _where,
    "colour": _colour,
    "shared": _shared,
    "hues": _hues,
    "richer": _richer,
    "sharpened": _sharpened,
}
"""What can be laid over a picture, by the name in its address."""


def veil_of(
    bench: Workbench,
    frame: FrameFacts,
    plan: FramePlan | None,
    edge: int,
    what: str,
    at: At | None = None,
    box: Box | None = None,
) -> bytes:
    """PNG of a veil over a frame's preview, or over a part of it (x, y, width, height) at full size.

    Raises NotFoundError for one that there is not, InvalidChangeError for a part outside the frame.
    """
    used, sought = plan or UNTOUCHED, at or At()
    if box:
        box = part_inside(box, used.placed((frame.width, frame.height)).size)
    if what not in VEILS:
        raise NotFoundError

    def make() -> bytes:
        veil = VEILS[what](OverlaySource(bench, frame, used, edge, sought, box))
        return cv2.imencode(".png", veil, [cv2.IMWRITE_PNG_COMPRESSION, 1])[1].tobytes()

    return bench.pictures.kept(("veil", what, frame.view, used.key, edge, sought, box), make)
