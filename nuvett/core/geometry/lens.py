"""What a lens does to a picture, and how it is undone: distortion, fringes of colour, dark corners.

The models are those of the lens database's own documentation: poly3, poly5 and ptlens for distortion, one polynomial
of third order for each of red and blue, and one of sixth order for light (PA). All of them are of the distance from
the middle of the picture.
"""

from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from nuvett.core.types import Document, Floats

Shares = NDArray[Any]
Terms = tuple[float, float, float]
Channel = Literal["red", "green", "blue"]
CHANNELS: tuple[Channel, ...] = ("red", "green", "blue")
NO_TERMS: Terms = (0.0, 0.0, 0.0)
PLAIN: Terms = (1.0, 0.0, 0.0)
_ROUNDS = 12


class LensCorrection(Document):
    """How to undo what a lens did to a frame of a proportion.

    name : of the lens, for people
    model, terms : of distortion: from the distance in the picture as it should be to that in the file, over it
    red, blue : v, c and b of v + c r + b r², by which the distance of that channel is further off than green's
    dark : k1, k2 and k3 of the light 1 + k1 r² + k2 r⁴ + k3 r⁶ that is left
    unit, dark_unit : distance that counts as 1 in units of half the short side, for distortion and for light
    scale : of the picture as it should be, so that nothing beside the file is seen
    """

    schema_version: Literal[1] = 1
    name: str
    model: Literal["none", "poly3", "poly5", "ptlens"] = "none"
    terms: Terms = NO_TERMS
    red: Terms = PLAIN
    blue: Terms = PLAIN
    dark: Terms = NO_TERMS
    unit: float = 1.0
    dark_unit: float = 1.0
    scale: float = 1.0

    @property
    def bends(self) -> bool:
        """Whether anything lies elsewhere than it should."""
        return self.model != "none" or self.parts_colours

    @property
    def parts_colours(self) -> bool:
        """Whether red and blue lie elsewhere than green."""
        return self.red != PLAIN or self.blue != PLAIN

    @property
    def darkens(self) -> bool:
        """Whether light is lost towards the corners."""
        return self.dark != NO_TERMS

    @property
    def words(self) -> str:
        """What of it is undone, for people."""
        found = (
            (self.model != "none", "distortion"),
            (self.parts_colours, "fringes"),
            (self.darkens, "dark corners"),
        )
        did = [words for does, words in found if does]
        return f"{self.name}: {', '.join(did[:-1]) + ' and ' + did[-1] if len(did) > 1 else did[0]} undone"

    def in_file(self, x: Shares, y: Shares, size: tuple[int, int], channel: Channel = "green") -> tuple[Shares, Shares]:
        """Shares of the file at shares of the picture as it should be, any shape, of a size (width, height)."""
        across, down, squared = _from_middle(x, y, size, self.scale)
        factor = self._factor(np.sqrt(squared) / self.unit)
        if channel != "green":
            factor = factor * _poly(self.red if channel == "red" else self.blue, np.sqrt(squared) * factor / self.unit)
        return across * factor + 0.5, down * factor + 0.5

    def in_picture(self, x: Shares, y: Shares, size: tuple[int, int]) -> tuple[Shares, Shares]:
        """Shares of the picture as it should be at shares of the file: the inverse of `in_file`, of green."""
        across, down, squared = _from_middle(x, y, size, 1.0)
        there = np.sqrt(squared) / self.unit
        found = there.copy()
        for _ in range(_ROUNDS):  # the factor varies so slowly that each round wins two digits
            found = there / self._factor(found)
        ratio = np.where(there > 1e-9, found / np.maximum(there, 1e-9), 1 / self._factor(np.zeros_like(there)))
        return across * ratio * self.scale + 0.5, down * ratio * self.scale + 0.5

    def shifts(self, size: tuple[int, int], count: int) -> tuple[Floats, Floats]:
        """By how much places lie elsewhere, (count, count, 2) in x and y, at even shares from the top left corner on.

        First from the file to the picture as it should be, then back.
        """
        x, y = np.meshgrid(np.linspace(0, 1, count), np.linspace(0, 1, count))
        moved = (self.in_picture(x, y, size), self.in_file(x, y, size))
        there, back = (np.stack([across - x, down - y], axis=-1).astype(np.float32) for across, down in moved)
        return there, back

    def light(self, x: Shares, y: Shares, size: tuple[int, int]) -> Floats:
        """Factor on linear light at shares of the file that gives back what the lens took, any shape."""
        _, _, squared = _from_middle(x, y, size, 1.0)
        r2 = squared * (1 / self.dark_unit**2)
        k1, k2, k3 = self.dark
        return np.asarray(1 / np.maximum(1 + r2 * (k1 + r2 * (k2 + r2 * k3)), 0.05), dtype=np.float32)

    def _factor(self, r: Shares) -> Shares:
        a, b, c = self.terms
        if self.model == "poly3":
            return 1 - a + a * r * r
        if self.model == "poly5":
            return 1 + r * r * (a + b * r * r)
        if self.model == "ptlens":
            return r * (r * (a * r + b) + c) + (1 - a - b - c)
        return np.ones_like(r)


def _poly(terms: Terms, r: Shares) -> Shares:
    v, c, b = terms
    return v + r * (c + b * r)


def _from_middle(x: Shares, y: Shares, size: tuple[int, int], scale: float) -> tuple[Shares, Shares, Shares]:
    """Shares from the middle, scaled, and the squared distance in units of half the short side."""
    across, down = (x - 0.5) * (1 / scale), (y - 0.5) * (1 / scale)
    short = min(size)
    return across, down, (across * (2 * size[0] / short)) ** 2 + (down * (2 * size[1] / short)) ** 2


def filling(lens: LensCorrection, size: tuple[int, int]) -> LensCorrection:
    """A correction scaled so that every place of the picture comes from inside the file, and as little as that takes.

    Fringes are left to the edge's own pixels: they are far below one pixel in a hundred.
    """
    along = np.linspace(0, 1, 65)
    ends = np.concatenate([np.zeros(65), np.ones(65), along, along])
    others = np.concatenate([along, along, np.zeros(65), np.ones(65)])
    low, high = 0.5, 2.0

    def inside(scale: float) -> bool:
        x, y = lens.model_copy(update={"scale": scale}).in_file(ends, others, size)
        return bool(min(x.min(), y.min()) >= -1e-9 and max(x.max(), y.max()) <= 1 + 1e-9)

    for _ in range(40):
        middle = (low + high) / 2
        low, high = (low, middle) if inside(middle) else (middle, high)
    return lens.model_copy(update={"scale": high})
