"""Geometry of a frame: quarter turns, mirror, straightening, upright lines and a cut, as one resampling.

Places on a frame are shares of its upright, uncut original, so geometry moves nothing that is bound to one. The turned
canvas is the original after quarter turns and mirror; a cut is a rectangle on that canvas after straightening.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal, get_args

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, field_validator

from nuvett.core.fields import choice, number
from nuvett.core.geometry.lens import LensCorrection
from nuvett.core.types import Document, Floats

Size = tuple[int, int]
"""Width and height in pixels."""

Cut = tuple[float, float, float, float]
"""Left, top, width and height in shares of the turned canvas."""

Matrix = NDArray[np.float64]
Shares = NDArray[Any]
Proportion = Literal[
    "shot", "free", "1:1", "5:4", "4:3", "7:5", "297:210", "3:2", "16:10", "16:9", "2:1", "21:9",
    "4:5", "3:4", "5:7", "210:297", "2:3", "10:16", "9:16",
]  # fmt: skip
PROPORTIONS: dict[str, str] = {
    "shot": "as shot",
    "free": "free",
    **{text: text.replace(":", " : ") for text in get_args(Proportion) if ":" in text},
    "297:210": "A4, across",
    "210:297": "A4, upright",
}
MIN_SHARE = 0.04
"""Of the canvas: the least width and height of a cut."""

LEAN = 0.6
"""Change of scale across half a long edge at 100 percent of upright."""

_HALVINGS = 40


class Geometry(Document):
    """What lies where in the frame.

    quarter : quarter turns clockwise; mirrored : left and right, before the turns
    straighten : degrees clockwise; vertical, horizontal : percent of leaning lines set upright
    cut : none for as much of the frame as can be seen in its proportion
    uncut : the whole canvas is looked at, as it is while the cut is being made
    """

    quarter: int = Field(default=0, ge=0, le=3)
    mirrored: bool = False
    straighten: float = number(0, -45, 45, "Straightened by", "°", 0.1)
    vertical: float = number(0, -100, 100, "Leaning verticals set upright by")
    horizontal: float = number(0, -100, 100, "Leaning horizontals set level by")
    proportion: Proportion = choice("shot", "proportion", PROPORTIONS)
    cut: Cut | None = None
    uncut: bool = False

    @field_validator("cut")
    @classmethod
    def _something(cls, cut: Cut | None) -> Cut | None:
        if cut is None:
            return None
        left, top, width, height = cut
        if width < MIN_SHARE or height < MIN_SHARE:
            raise ValueError(f"a crop leaves at least {MIN_SHARE:.0%} of the width and of the height")
        if left < -1e-6 or top < -1e-6 or left + width > 1 + 1e-6 or top + height > 1 + 1e-6:
            raise ValueError("a crop lies within the frame")
        return cut

    @property
    def is_none(self) -> bool:
        """Whether it leaves the frame as it is."""
        return self == Geometry(proportion=self.proportion) and self.proportion in ("shot", "free")

    def turned(self, size: Size) -> Size:
        """Size of a frame after quarter turns."""
        return size if self.quarter % 2 == 0 else (size[1], size[0])

    def ratio(self, size: Size) -> float | None:
        """Width over height that the cut of a frame of a size keeps; none where it is free."""
        if self.proportion == "free":
            return None
        if self.proportion == "shot":
            width, height = self.turned(size)
            return width / height
        across, down = self.proportion.split(":")
        return int(across) / int(down)

    def placed(self, size: Size) -> "Placing":
        """Where what is seen of a frame of a size comes from."""
        canvas = self._canvas(size)
        if self.uncut:
            return Placing(canvas, self.turned(size), size)
        left, top, width, height = self._fitted(size, canvas)
        cut = np.array([[width, 0, left], [0, height, top], [0, 0, 1]])
        across, down = self.turned(size)
        return Placing(canvas @ cut, (max(1, round(width * across)), max(1, round(height * down))), size)

    def whole(self, size: Size) -> "Placing":
        """Where the canvas of a frame comes from, before the cut; its corners may lie off the picture."""
        return self.model_copy(update={"uncut": True}).placed(size)

    def effective_cut(self, size: Size) -> Cut:
        """The cut as it is taken: within what can be seen of a frame of a size."""
        return self._fitted(size, self._canvas(size))

    def _canvas(self, size: Size) -> Matrix:
        """Shares of the straightened canvas to shares of the original, (3, 3)."""
        width, height = self.turned(size)
        edge = max(width, height)
        to_middle = np.array([[width / edge, 0, -width / edge / 2], [0, height / edge, -height / edge / 2], [0, 0, 1]])
        angle = np.radians(self.straighten)
        level = np.array([[np.cos(angle), np.sin(angle), 0], [-np.sin(angle), np.cos(angle), 0], [0, 0, 1]])
        lean = np.array([[1, 0, 0], [0, 1, 0], [-self.horizontal / 100 * LEAN, -self.vertical / 100 * LEAN, 1]])
        made = self._unturned() @ np.linalg.inv(to_middle) @ lean @ level @ to_middle
        return np.asarray(made, dtype=np.float64)

    def _unturned(self) -> Matrix:
        """Shares of the turned canvas to shares of the original, (3, 3)."""
        made = np.eye(3)
        if self.mirrored:
            made = np.array([[-1.0, 0, 1], [0, 1, 0], [0, 0, 1]])
        back = np.array([[0.0, 1, 0], [-1, 0, 1], [0, 0, 1]])  # what lies at the top right came from the top left
        return np.asarray(made @ np.linalg.matrix_power(back, self.quarter), dtype=np.float64)

    def _fitted(self, size: Size, canvas: Matrix) -> Cut:
        left, top, width, height = self.cut or _largest(self.ratio(size), self.turned(size))
        centre, middle = np.array([0.5, 0.5]), np.array([left + width / 2, top + height / 2])
        # Shrunk to half about its own middle at the most; what would need more is moved towards the centre.
        away = middle - centre
        middle = centre + away * _most(lambda s: _inside(canvas, centre + away * s, width / 2, height / 2))
        scale = _most(lambda s: _inside(canvas, middle, s * width, s * height))
        across, down = scale * width, scale * height
        return float(middle[0] - across / 2), float(middle[1] - down / 2), float(across), float(down)


@dataclass(frozen=True)
class Placing:
    """Where a picture's places come from. `matrix` (3, 3) leads from its shares to shares of the original.

    size : of the picture in pixels of the original; source : size of the original
    lens : what it did to the original, which is undone with the same resampling
    """

    matrix: Matrix
    size: Size
    source: Size
    lens: LensCorrection | None = None

    @property
    def is_plain(self) -> bool:
        """Whether the picture is the original as it is."""
        return self.lens is None and bool(np.allclose(self.matrix, np.eye(3), atol=1e-9))

    def original(self, x: Shares, y: Shares) -> tuple[Floats, Floats]:
        """Shares of the original, as the file holds it, at shares of the picture, any shape."""
        along, down = self.straight(x, y)
        if self.lens is not None:
            along, down = self.lens.in_file(along, down, self.source)
        return np.asarray(along, dtype=np.float32), np.asarray(down, dtype=np.float32)

    def straight(self, x: Shares, y: Shares) -> tuple[Shares, Shares]:
        """Shares of the original as it would be without its lens, at shares of the picture, as fine as those."""
        return _through(self.matrix, x, y)

    def seen(self, x: Shares, y: Shares) -> tuple[Floats, Floats]:
        """Shares of the picture at shares of the original as the file holds it; outside 0 to 1 what is not seen."""
        if self.lens is not None:
            x, y = self.lens.in_picture(np.asarray(x, np.float64), np.asarray(y, np.float64), self.source)
        along, down = _through(np.asarray(np.linalg.inv(self.matrix), dtype=np.float64), x, y)
        return np.asarray(along, dtype=np.float32), np.asarray(down, dtype=np.float32)

    @property
    def density(self) -> float:
        """Long edge of the original over that of the picture: pixels of the one that make the other."""
        return max(self.source) / max(self.size)


def _through(matrix: Matrix, x: Shares, y: Shares) -> tuple[Shares, Shares]:
    m: Matrix = matrix / matrix[2, 2]
    if np.allclose(m[2, :2], 0, atol=1e-12):
        along, down = (m[i, 0] * x + m[i, 1] * y + m[i, 2] for i in (0, 1))
    else:
        over = 1 / (m[2, 0] * x + m[2, 1] * y + 1)
        along, down = ((m[i, 0] * x + m[i, 1] * y + m[i, 2]) * over for i in (0, 1))
    return along, down


def _largest(ratio: float | None, size: Size) -> Cut:
    """The largest cut of a proportion about the middle of a canvas."""
    own = size[0] / size[1]
    ratio = own if ratio is None else ratio
    width, height = min(1.0, ratio / own), min(1.0, own / ratio)
    return (1 - width) / 2, (1 - height) / 2, width, height


def _inside(canvas: Matrix, middle: NDArray[np.float64], width: float, height: float) -> bool:
    """Whether a rectangle on the canvas, width and height in shares, shows nothing beside the picture."""
    corners = middle + np.array([[-1, -1], [1, -1], [-1, 1], [1, 1]]) * (width / 2, height / 2)
    if (corners < -1e-9).any() or (corners > 1 + 1e-9).any():
        return False
    mapped = np.c_[corners, np.ones(4)] @ canvas.T
    if (mapped[:, 2] * canvas[2, 2] <= 0).any():
        return False
    shares = mapped[:, :2] / mapped[:, 2:]
    return bool((shares > -1e-9).all() and (shares < 1 + 1e-9).all())


def _most(holds: Callable[[float], bool]) -> float:
    """The largest share, 0 to 1, at which something holds that holds below it."""
    if holds(1.0):
        return 1.0
    low, high = 0.0, 1.0
    for _ in range(_HALVINGS):
        middle = (low + high) / 2
        low, high = (middle, high) if holds(middle) else (low, middle)
    return low
