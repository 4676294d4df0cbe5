"""View models of what is asked about a thread: the thing as it is known, and where else it may be."""

from collections.abc import Sequence
from dataclasses import dataclass

from nuvett.core.thread.places import Outline
from nuvett.services.engine.facts import FrameFacts

_WIDE = 2.4  # of the outline's own size that is shown about it
_MIN = 150.0  # of a picture 1000 across that is shown at least
_PROPORTION = 1.5


@dataclass(frozen=True)
class Crop:
    """A part of a frame about a place: the frame 1000 across, what is shown of it, and the outline as a path."""

    frame: str
    name: str
    src: str
    height: float
    view: str
    line: str


@dataclass(frozen=True)
class Asking:
    """What is asked: the thing where a person has seen it, and the places that may be it, the surest first."""

    known: Crop
    asked: Sequence[Crop]


def line_of(outline: Outline, proportion: float) -> str:
    """An outline as the path of a drawing that is 1000 wide."""
    rings = [" ".join(f"{1000 * x:.0f},{1000 / proportion * y:.0f}" for x, y in ring) for ring in outline.rings]
    return " ".join(f"M{ring}Z" for ring in rings)


def crop_of(frame: FrameFacts, name: str, src: str, outline: Outline) -> Crop:
    """A frame about an outline in it, at one proportion, inside the picture wherever that is large enough."""
    tall = 1000 / frame.proportion
    points = [(1000 * x, tall * y) for ring in outline.rings for x, y in ring] or [(500.0, tall / 2)]
    low, high = (tuple(choose(axis) for axis in zip(*points, strict=True)) for choose in (min, max))
    width = max((high[0] - low[0]) * _WIDE, (high[1] - low[1]) * _WIDE * _PROPORTION, _MIN)
    width = min(width, 1000.0, tall * _PROPORTION)
    size = (width, width / _PROPORTION)
    at = [
        min(max((a + b - own) / 2, 0.0), whole - own)
        for a, b, own, whole in zip(low, high, size, (1000.0, tall), strict=True)
    ]
    view = f"{at[0]:.0f} {at[1]:.0f} {size[0]:.0f} {size[1]:.0f}"
    return Crop(str(frame.id), name, src, tall, view, line_of(outline, frame.proportion))
