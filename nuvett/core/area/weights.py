"""How much an area weighs at each place of a frame.

Weights are worked out once for the whole frame on a map of AREA_EDGE, and looked up wherever a part of the frame is
drawn, so that a strip, a crop, a preview and the whole agree whatever their size. Where an area follows edges, the
map holds a slope and an offset on the picture's own luminance (He, Sun and Tang 2013), which keeps them sharp.
"""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np

from nuvett.core.area.brush import brushed
from nuvett.core.area.faces import SkinSeen
from nuvett.core.area.parts import (
    Area,
    BrushPart,
    ColourPart,
    Part,
    RoundPart,
    SkinPart,
    StraightPart,
    SubjectPart,
    TonePart,
)
from nuvett.core.fit.holds import skin_membership
from nuvett.core.guided import guided
from nuvett.core.reading.family import membership
from nuvett.core.smooth import smooth_step
from nuvett.core.spaces.cielab import neutral_oklab
from nuvett.core.types import Floats, Mask01, OKLab

AREA_EDGE = 768
"""Long edge of the map on which areas are worked out."""

_EDGE_RADIUS, _EDGE_VARIANCE = 0.012, 1e-4  # of the long edge; variance of encoded luminance that counts as an edge
_SUBJECT_RADIUS = 0.008
_FEATHER = 1.0  # pixels of the map over which the hardest border fades, so that its pixels do not show
_FACE_REACH, _FACE_SOFT = 1.1, 1.4  # of the half diagonal of a face: what still belongs to it, and where that ends
_LEAST = 0.25 / 255  # weight below which nothing could be seen, so that nothing is done
_STANDS_OUT = 0.5  # answer of the net below which nothing stands out


@dataclass(frozen=True)
class Scene:
    """A frame as areas look at it, on a map of a size (width, height).

    guide : (h, w) luminance of the encoded frame as it came
    lab : (h, w, 3) OKLab of the evened frame; subject : (h, w) how far things stand out, 0 to 1
    """

    size: tuple[int, int]
    guide: Callable[[], Floats]
    lab: Callable[[], OKLab]
    subject: Callable[[], Mask01]


@dataclass(frozen=True)
class WeightMap:
    """Weights of an area on a map of the whole frame: (h, w), or slope and offset (h, w, 2) on its luminance."""

    values: Floats
    density: float = 1.0

    @property
    def follows_edges(self) -> bool:
        """Whether weights depend on the luminance of the picture at each place."""
        return self.values.ndim == 3

    @cached_property
    def extent(self) -> tuple[float, float, float, float] | None:
        """Left, top, right and bottom of where it weighs anything, in shares of the uncut frame; none for nowhere."""
        weighs = np.abs(self.values).max(axis=2) if self.follows_edges else self.values
        rows, columns = (np.flatnonzero((weighs > _LEAST).any(axis=axis)) for axis in (1, 0))
        if self.density == 0 or rows.size == 0:
            return None
        height, width = weighs.shape
        return (columns[0] - 1) / width, (rows[0] - 1) / height, (columns[-1] + 2) / width, (rows[-1] + 2) / height

    def part(self, box: tuple[int, int, int, int], size: tuple[int, int], luminance: Floats | None = None) -> Mask01:
        """Weights (h, w) of a part (left, top, width, height) of the uncut frame, drawn at a size in pixels.

        The same as `at` there, and quicker.
        """
        left, top, width, height = box
        rows = (np.arange(top, top + height, dtype=np.float64) + 0.5) * (len(self.values) / size[1]) - 0.5
        lower = np.floor(rows)
        share = (rows - lower).astype(np.float32).reshape(-1, *[1] * (self.values.ndim - 1))
        last = len(self.values) - 1
        above, below = (self.values[np.clip(lower + by, 0, last).astype(np.intp)] for by in (0, 1))
        found = np.asarray(above + share * (below - above), dtype=np.float32)
        found = np.asarray(cv2.resize(found, (size[0], height), interpolation=cv2.INTER_LINEAR))
        return self._weighed(np.ascontiguousarray(found[:, left : left + width]), luminance)

    def at(self, x: Floats, y: Floats, luminance: Floats | None = None) -> Mask01:
        """Weights (...) at places (...), shares of the uncut frame; luminance (...) encoded, as it came there."""
        height, width = self.values.shape[:2]
        columns = np.asarray(x * np.float32(width) - np.float32(0.5), dtype=np.float32)
        rows = np.asarray(y * np.float32(height) - np.float32(0.5), dtype=np.float32)
        found = cv2.remap(self.values, columns, rows, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        return self._weighed(np.asarray(found), luminance)

    def _weighed(self, found: Floats, luminance: Floats | None) -> Mask01:
        if self.follows_edges:
            if luminance is None:
                raise ValueError("an area that follows edges needs the luminance of the picture")
            found = np.clip(found[..., 0] * luminance + found[..., 1], 0, 1)
        made = np.asarray(found * np.float32(self.density), dtype=np.float32)
        made[made < _LEAST] = 0
        return made


def weigh(area: Area, scene: Scene) -> WeightMap:
    """Weights of an area in a frame."""
    width, height = scene.size
    edge = max(scene.size)
    made = np.zeros((height, width), dtype=np.float32)
    for index, part in enumerate(area.parts):
        own = _of_part(part, scene)
        if part.inverted:
            own = 1 - own
        if index == 0:
            made = own if part.join == "added" else _joined(np.ones_like(own), own, part)
        else:
            made = _joined(made, own, part)
    if area.softness:
        sigma = area.softness / 100 * edge / 2
        made = np.asarray(cv2.GaussianBlur(made, (0, 0), sigma, borderType=cv2.BORDER_REPLICATE))
    if area.edges and area.parts:
        made = guided(scene.guide(), made, max(1, round(_EDGE_RADIUS * edge)), _EDGE_VARIANCE)
    return WeightMap(np.ascontiguousarray(made, dtype=np.float32), area.density / 100)


def _joined(made: Mask01, own: Mask01, part: Part) -> Mask01:
    if part.join == "added":
        return np.maximum(made, own)
    return made * (1 - own if part.join == "taken" else own)


def _of_part(part: Part, scene: Scene) -> Mask01:
    match part:
        case RoundPart():
            return _round(part, scene.size)
        case StraightPart():
            return _straight(part, scene.size)
        case BrushPart():
            return brushed(part.strokes, scene.size)
        case ColourPart():
            return membership(scene.lab(), part.family)
        case TonePart():
            return tone_share(scene.lab()[..., 0], part)
        case SubjectPart():
            return _subject(scene)
        case SkinPart():
            return _skin(part.faces, scene)


def _places(size: tuple[int, int]) -> tuple[Floats, Floats]:
    """x (1, w) and y (h, 1) of a map's pixels, in its own pixels from its corner."""
    width, height = size
    return np.arange(width, dtype=np.float32)[None] + 0.5, np.arange(height, dtype=np.float32)[:, None] + 0.5


def _round(part: RoundPart, size: tuple[int, int]) -> Mask01:
    width, height = size
    edge = max(size)
    x, y = _places(size)
    x, y = x - part.x * width, y - part.y * height
    cos, sin = float(np.cos(np.radians(part.turn))), float(np.sin(np.radians(part.turn)))
    across, down = part.across / 100 * edge, part.down / 100 * edge
    along = (x * np.float32(cos) + y * np.float32(sin)) * np.float32(1 / across)
    square = (y * np.float32(cos) - x * np.float32(sin)) * np.float32(1 / down)
    radius = cv2.magnitude(*(np.ascontiguousarray(v, dtype=np.float32) for v in (along, square)))
    fade = max(part.soft / 100, _FEATHER / min(across, down))
    return 1 - smooth_step((radius - np.float32(1)) * np.float32(1 / fade))


def _straight(part: StraightPart, size: tuple[int, int]) -> Mask01:
    width, height = size
    x, y = _places(size)
    run_x, run_y = (part.end_x - part.x) * width, (part.end_y - part.y) * height
    length = float(np.hypot(run_x, run_y))
    if length < _FEATHER:
        run_x, run_y = (run_x / length, run_y / length) if length > 0 else (0.0, _FEATHER)
        length = _FEATHER
    along = ((x - part.x * width) * np.float32(run_x) + (y - part.y * height) * np.float32(run_y)) / length**2
    return 1 - smooth_step(np.asarray(along, dtype=np.float32))


def tone_share(lightness: Floats, part: TonePart) -> Mask01:
    """How far OKLab lightness (...) of evened colours belongs to a part given by tone."""
    low, high = min(part.low, part.high), max(part.low, part.high)
    ends = [neutral_oklab(v) for v in (low - part.soft_low, low, high, high + part.soft_high)]
    ends[0], ends[3] = min(ends[0], ends[1] - 1e-3), max(ends[3], ends[2] + 1e-3)
    rising = 1.0 if low <= 0 else smooth_step((lightness - np.float32(ends[0])) / np.float32(ends[1] - ends[0]))
    falling = 0.0 if high >= 100 else smooth_step((lightness - np.float32(ends[2])) / np.float32(ends[3] - ends[2]))
    return np.asarray(np.broadcast_to(rising * (1 - falling), lightness.shape), dtype=np.float32)


def stands_out(subject: Mask01) -> bool:
    """Whether anything stands out in a frame, by the answer (h, w) for it."""
    return bool(subject.max(initial=0.0) >= _STANDS_OUT)


def _subject(scene: Scene) -> Mask01:
    """What stands out, its border drawn to the picture's edges."""
    found = scene.subject()
    if not stands_out(found):
        return np.zeros(scene.size[::-1], dtype=np.float32)
    found = np.asarray(cv2.resize(found, scene.size, interpolation=cv2.INTER_LINEAR), dtype=np.float32)
    guide = scene.guide()
    refined = guided(guide, found, max(1, round(_SUBJECT_RADIUS * max(scene.size))), _EDGE_VARIANCE)
    return smooth_step((refined[..., 0] * guide + refined[..., 1] - np.float32(0.1)) * np.float32(1 / 0.8))


def _skin(faces: tuple[SkinSeen, ...], scene: Scene) -> Mask01:
    """Skin of faces, near them: neck, ears and what else lies within reach."""
    made = np.zeros(scene.size[::-1], dtype=np.float32)
    if not faces:
        return made
    width, height = scene.size
    x, y = _places(scene.size)
    lab = scene.lab()
    for face in faces:
        left, top, across, down = face.box
        half = max(float(np.hypot(across * width, down * height)) / 2, 1.0)
        distance = np.hypot(x - (left + across / 2) * width, y - (top + down / 2) * height) / np.float32(half)
        near = 1 - smooth_step((distance - np.float32(_FACE_REACH)) * np.float32(1 / _FACE_SOFT))
        rows, columns = np.nonzero(near > 0)
        if rows.size:
            made[rows, columns] = np.maximum(
                made[rows, columns],
                near[rows, columns] * skin_membership(OKLab(lab[rows, columns]), (face.centre,)),
            )
    return made
