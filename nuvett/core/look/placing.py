"""What is done to a trim's geometry by hand: handles of the cut, turns, proportions, and lines drawn along."""

import re

from nuvett.core.errors import InvalidChangeError
from nuvett.core.geometry.changes import drag_cut, levelled, mirrored, turned, with_proportion
from nuvett.core.geometry.geometry import Geometry, Size
from nuvett.core.geometry.spots import MAX_SPOTS, Spot
from nuvett.core.look.trim import Trim

Place = tuple[float, float]
"""Shares of the straightened canvas."""


def is_of_geometry(handle: str) -> bool:
    """Whether a handle is one of those that change geometry."""
    return handle.partition(".")[0] in ("cut", "turn", "mirror", "level", "proportion")


def place_frame(trim: Trim, size: Size, handle: str, start: Place, end: Place | None = None) -> Trim:
    """A trim after something was done to the geometry of its frame, of a size in pixels.

    handle : "cut.se" with a place, "level" with a line's two ends, "turn.right", "turn.left", "mirror",
        "proportion.3:2", or "cut.off"

    Raises InvalidChangeError for another handle.
    """
    return trim.model_copy(update={"geometry": _placed(trim.geometry, size, handle, start, end)})


def _placed(geometry: Geometry, size: Size, handle: str, start: Place, end: Place | None) -> Geometry:
    if handle == "cut.off":
        return geometry.model_copy(update={"cut": None, "proportion": "shot"})
    if match := re.fullmatch(r"cut\.(\w+)", handle):
        return drag_cut(geometry, size, match[1], start)
    if handle == "level" and end is not None:
        return levelled(geometry, size, start, end)
    if match := re.fullmatch(r"turn\.(left|right)", handle):
        return turned(geometry, 1 if match[1] == "right" else 3)
    if handle == "mirror":
        return mirrored(geometry)
    if match := re.fullmatch(r"proportion\.([\w:]+)", handle):
        return with_proportion(geometry, size, match[1])
    raise InvalidChangeError("There is no such handle.")


def with_spot(trim: Trim, x: float, y: float) -> Trim:
    """A trim with one spot more at shares of the original, as large as the one before.

    Raises InvalidChangeError off the picture, and when there are as many as there may be.
    """
    if not (0 <= x <= 1 and 0 <= y <= 1):
        raise InvalidChangeError("That place lies outside the picture.")
    if len(trim.spots) >= MAX_SPOTS:
        raise InvalidChangeError(f"At most {MAX_SPOTS} spots are painted out in a frame; take one away first.")
    radius = trim.spots[-1].radius if trim.spots else Spot(x=0, y=0).radius
    return trim.model_copy(update={"spots": (*trim.spots, Spot(x=round(x, 5), y=round(y, 5), radius=radius))})
