"""Geometry changed by hand: a horizon drawn along, turns, proportions, and the cut dragged by its corners and sides."""

import numpy as np

from nuvett.core.errors import InvalidChangeError
from nuvett.core.geometry.geometry import MIN_SHARE, PROPORTIONS, Cut, Geometry, Size

Point = tuple[float, float]
"""Shares of what is seen, or of the straightened canvas."""

HANDLES = ("nw", "n", "ne", "e", "se", "s", "sw", "w", "move")
_MIN_LINE = 0.02  # of the long edge: a line shorter than that says nothing about an angle


def levelled(geometry: Geometry, size: Size, start: Point, end: Point) -> Geometry:
    """Straightened so that a line from one place of the canvas to another lies level, or upright if nearer to that.

    Raises InvalidChangeError for a line too short to say anything.
    """
    width, height = geometry.turned(size)
    across, down = (end[0] - start[0]) * width, (end[1] - start[1]) * height
    if np.hypot(across, down) < _MIN_LINE * max(width, height):
        raise InvalidChangeError("Draw a longer line along what should be level or upright.")
    angle = float(np.degrees(np.arctan2(down, across)))
    off = (angle + 45) % 90 - 45  # from the nearest of level and upright
    straighten = round(max(-45.0, min(45.0, geometry.straighten - off)), 1)
    return geometry.model_copy(update={"straighten": straighten})


def turned(geometry: Geometry, quarters: int) -> Geometry:
    """A quarter turn more, clockwise for 1; the cut turns along."""
    cut = geometry.cut
    for _ in range(quarters % 4 if cut is not None else 0):
        left, top, width, height = cut  # type: ignore[misc]
        cut = (1 - top - height, left, height, width)
    return geometry.model_copy(update={"quarter": (geometry.quarter + quarters) % 4, "cut": cut})


def mirrored(geometry: Geometry) -> Geometry:
    """Left and right exchanged, as the frame stands; the cut and what was straightened along with it."""
    cut = geometry.cut
    if cut is not None:
        cut = (1 - cut[0] - cut[2], *cut[1:])
    return geometry.model_copy(
        update={
            "mirrored": not geometry.mirrored,
            # A mirror before the turns is one across when the frame lies on its side: half a turn more makes it one.
            "quarter": (geometry.quarter + 2 * (geometry.quarter % 2)) % 4,
            "straighten": -geometry.straighten,
            "horizontal": -geometry.horizontal,
            "cut": cut,
        }
    )


def with_proportion(geometry: Geometry, size: Size, proportion: str) -> Geometry:
    """A cut of another proportion, as large as the present one has room for about the same middle.

    Raises InvalidChangeError for a proportion that is not known.
    """
    if proportion not in PROPORTIONS:
        raise InvalidChangeError("There is no such proportion.")
    made = geometry.model_copy(update={"proportion": proportion})
    if geometry.cut is None or proportion == "free":
        return made
    ratio, (width, height) = made.ratio(size), geometry.turned(size)
    left, top, across, down = geometry.cut
    wanted = (ratio or 1.0) * height / width  # in shares of the canvas
    new = (min(across, down * wanted), min(down, across / wanted))
    return made.model_copy(update={"cut": _cut(left + (across - new[0]) / 2, top + (down - new[1]) / 2, *new)})


def drag_cut(geometry: Geometry, size: Size, handle: str, place: Point) -> Geometry:
    """The cut after one of its corners or sides, or its middle, was dragged to a place of the canvas, in shares.

    A proportion is kept about the opposite corner or side. Raises InvalidChangeError for another handle.
    """
    if handle not in HANDLES:
        raise InvalidChangeError("There is no such handle.")
    left, top, width, height = geometry.effective_cut(size)
    x, y = (min(1.0, max(0.0, v)) for v in place)
    if handle == "move":
        moved = (min(1 - width, max(0.0, x - width / 2)), min(1 - height, max(0.0, y - height / 2)))
        return geometry.model_copy(update={"cut": _cut(*moved, width, height)})
    right, bottom = left + width, top + height
    if "w" in handle:
        left = min(x, right - MIN_SHARE)
    if "e" in handle:
        right = max(x, left + MIN_SHARE)
    if "n" in handle:
        top = min(y, bottom - MIN_SHARE)
    if "s" in handle:
        bottom = max(y, top + MIN_SHARE)
    box = (left, top, right, bottom)
    ratio = geometry.ratio(size)
    if ratio is not None:
        canvas = geometry.turned(size)
        box = _kept(box, handle, ratio * canvas[1] / canvas[0])
    return geometry.model_copy(update={"cut": _cut(box[0], box[1], box[2] - box[0], box[3] - box[1])})


def _kept(box: Cut, handle: str, ratio: float) -> Cut:
    """A dragged box (left, top, right, bottom) in a proportion of shares, about what was not dragged."""
    left, top, right, bottom = box
    width, height = right - left, bottom - top
    if handle in ("n", "s"):
        width = height * ratio
    elif handle in ("e", "w") or width / height > ratio:
        height = width / ratio
    else:
        width = height * ratio
    middle_x, middle_y = (left + right) / 2, (top + bottom) / 2
    anchor_x = right if "w" in handle else left if "e" in handle else middle_x
    anchor_y = bottom if "n" in handle else top if "s" in handle else middle_y
    room_x = anchor_x if "w" in handle else 1 - anchor_x if "e" in handle else 2 * min(anchor_x, 1 - anchor_x)
    room_y = anchor_y if "n" in handle else 1 - anchor_y if "s" in handle else 2 * min(anchor_y, 1 - anchor_y)
    scale = min(1.0, room_x / width, room_y / height)
    scale = max(scale, MIN_SHARE / min(width, height))
    width, height = width * scale, height * scale
    left = anchor_x - width if "w" in handle else anchor_x if "e" in handle else anchor_x - width / 2
    top = anchor_y - height if "n" in handle else anchor_y if "s" in handle else anchor_y - height / 2
    return left, top, left + width, top + height


def _cut(left: float, top: float, width: float, height: float) -> Cut:
    """A cut within the canvas, rounded as documents keep it."""
    width, height = (min(1.0, max(MIN_SHARE, round(v, 5))) for v in (width, height))
    return round(min(max(left, 0.0), 1 - width), 5), round(min(max(top, 0.0), 1 - height), 5), width, height
