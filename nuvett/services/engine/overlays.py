"""Veils laid over a picture that leave open where something is: what clips, tones that may break up, faces."""

from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from nuvett.core.book.health import merged_pairs, merged_places, tinted_whites, torn_places
from nuvett.core.drawing.renderer import Pixels, in_floats
from nuvett.core.drawing.resampling import Resampling
from nuvett.core.guided import encoded_luminance
from nuvett.core.plan.apply import evened_by
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.planning import UNTOUCHED
from nuvett.core.planning.warnings import NoteVeil, at_ends, steep_tones
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import from_linear, to_linear
from nuvett.core.types import Encoded01, Floats
from nuvett.services.engine.facts import FrameFacts
from nuvett.services.engine.workbench import Workbench

Veil = NoteVeil | Literal["where"]
_VEILED, _OPEN = (119, 119, 119, 150), (0, 0, 0, 0)
_SPECKS = 5  # pixels a side within which the most decide
_HATCH, _HATCH_LINE = 10, 2  # pixels from line to line, and of a line
_WHITE, _BLACK = (255, 255, 255, 255), (0, 0, 0, 255)


def veil_of(bench: Workbench, frame: FrameFacts, plan: FramePlan | None, edge: int, what: Veil) -> bytes:
    """PNG over a frame's preview.

    clipping : white where a channel clips to white, black where all are black; steep : open where the frame's tones
    may break up; skin : open on the faces found; tinted, merged, torn : open where whites are tinted, two colours have
    become one or neighbours are torn apart; where : open in the area of the plan's layer, hatched around it
    """
    used = plan or UNTOUCHED

    def make() -> bytes:
        source, (width, height) = bench.pictures.source(frame, used, edge)
        places = _places(frame, used, (width, height))
        if what == "where":
            return _hatched(bench, frame, used, source, places)
        veil = np.full((height, width, 4), _VEILED, dtype=np.uint8)
        if what == "clipping":
            # At 16 bits and before the JPEG, neither of which may make clipping up or hide it.
            made = bench.pictures.drawn(frame, used, edge, depth=16)
            white, black = at_ends(np.multiply(made, np.float32(1 / 65535), dtype=np.float32))
            veil[white], veil[black] = _WHITE, _BLACK
        elif what == "steep":
            low, high = steep_tones(used, bench.sources.sample(frame))
            pixels = in_floats(_looked_up(source, places))
            lightness = linear_to_oklab(to_linear(pixels, frame.domain))[..., 0]
            veil[(lightness >= low) & (lightness <= high)] = _OPEN
        elif what != "skin":
            there = _unsound(bench, frame, used, _looked_up(source, places), what)
            # Single pixels and the edges of the view's own blocks say nothing.
            veil[cv2.medianBlur(there.astype(np.uint8), _SPECKS) > 0] = _OPEN
        else:
            for face in frame.faces:
                left, top, across, down = face.box
                x, y = places
                veil[(x >= left) & (x <= left + across) & (y >= top) & (y <= top + down)] = _OPEN
        return _png(veil)

    return bench.pictures.kept(("veil", what, frame.view, used.key, edge), make)


def _unsound(bench: Workbench, frame: FrameFacts, plan: FramePlan, pixels: Pixels, what: Veil) -> NDArray[np.bool_]:
    """Where (h, w) whites of a frame are tinted, colours have become one or neighbours are torn apart."""
    height, width = pixels.shape[:2]
    came = to_linear(Encoded01(in_floats(pixels).reshape(-1, 3)), frame.domain)
    if what == "torn":
        return torn_places(plan, from_linear(came)).reshape(height, width)
    evened = linear_to_oklab(evened_by(plan, came))
    if what == "merged":
        return merged_places(merged_pairs(plan, bench.sources.sample(frame)), evened).reshape(height, width)
    made = in_floats(bench.pictures.drawn(frame, plan, max(height, width), depth=16)).reshape(-1, 3)
    return tinted_whites(evened, linear_to_oklab(to_linear(Encoded01(made)))).reshape(height, width)


def _png(veil: np.ndarray) -> bytes:
    return cv2.imencode(".png", veil, [cv2.IMWRITE_PNG_COMPRESSION, 1])[1].tobytes()


def _places(frame: FrameFacts, plan: FramePlan, size: tuple[int, int]) -> tuple[Floats, Floats]:
    """Shares of the original x, y (h, w) at the pixels of what is seen, at a size."""
    whole = (frame.width, frame.height)
    return Resampling(plan.placed(whole), size, whole).places((0, 0, *size))


def _looked_up(source: Pixels, places: tuple[Floats, Floats]) -> Pixels:
    """Pixels (h, w, 3) of the uncut frame at places."""
    x, y = (np.clip(p * side, 0, side - 1).astype(np.intp) for p, side in zip(places, source.shape[1::-1], strict=True))
    return np.asarray(source[y, x])


def _hatched(
    bench: Workbench, frame: FrameFacts, plan: FramePlan, source: Pixels, places: tuple[Floats, Floats]
) -> bytes:
    """Neutral hatching where the area of a plan's layer is not, fainter where it is in part."""
    (area,) = bench.areas.weights(frame, plan)
    outside = 1 - area.at(*places, encoded_luminance(in_floats(_looked_up(source, places))))
    height, width = outside.shape
    lines = (np.arange(width)[None] + np.arange(height)[:, None]) % _HATCH
    veil = np.empty((height, width, 4), dtype=np.uint8)
    veil[..., :3] = np.where(lines < _HATCH_LINE, 40, 150)[..., None]
    veil[..., 3] = np.rint(outside * np.where(lines < _HATCH_LINE, 200, 105))
    return _png(veil)
