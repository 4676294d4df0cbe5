"""How large finished pictures are: by an edge, by their area, or for paper. Nothing is ever enlarged."""

from typing import Literal, Self

from pydantic import Field, model_validator

from nuvett.core.types import Document

Size = tuple[int, int]
"""Width and height in pixels."""

By = Literal["full", "long", "short", "megapixels", "print"]
BY_WORDS: dict[By, str] = {
    "full": "full size",
    "long": "long edge",
    "short": "short edge",
    "megapixels": "megapixels",
    "print": "for print",
}
_INCH = 2.54  # centimetres
MIN_EDGE, MAX_EDGE = 16, 60_000


class Resize(Document):
    """How large a picture becomes at most.

    pixels : of the long or short edge; megapixels : of its area
    width, height : of the paper in centimetres, turned as the picture is; dpi : pixels an inch on it
    """

    by: By = "full"
    pixels: int | None = Field(default=None, ge=MIN_EDGE, le=MAX_EDGE)
    megapixels: float | None = Field(default=None, gt=0.001, le=1000)
    width: float | None = Field(default=None, gt=0.5, le=2000)
    height: float | None = Field(default=None, gt=0.5, le=2000)
    dpi: float = Field(default=300, ge=30, le=2400)

    @model_validator(mode="after")
    def _says_how_much(self) -> Self:
        if self.by in ("long", "short") and self.pixels is None:
            raise ValueError(f"a {BY_WORDS[self.by]} needs its pixels")
        if self.by == "megapixels" and self.megapixels is None:
            raise ValueError("say how many megapixels")
        if self.by == "print" and (self.width is None or self.height is None):
            raise ValueError("paper needs a width and a height")
        return self

    def edge(self, size: Size) -> int | None:
        """Long edge in pixels that a picture of a size gets; none where it keeps its own."""
        scale = self._scale(size)
        return None if scale >= 1 else max(1, round(max(size) * scale))

    def _scale(self, size: Size) -> float:
        long, short = max(size), min(size)
        if self.by == "long" and self.pixels:
            return self.pixels / long
        if self.by == "short" and self.pixels:
            return self.pixels / short
        if self.by == "megapixels" and self.megapixels:
            return float((self.megapixels * 1e6 / (long * short)) ** 0.5)
        if self.by == "print" and self.width and self.height:
            paper = sorted(side / _INCH * self.dpi for side in (self.width, self.height))
            return min(paper[1] / long, paper[0] / short)
        return 1.0

    @property
    def words(self) -> str:
        """In words, as a list of deliveries says it."""
        if self.by in ("long", "short"):
            return f"{BY_WORDS[self.by]} {self.pixels} px"
        if self.by == "megapixels":
            return f"{self.megapixels:g} megapixels"
        if self.by == "print":
            return f"{self.width:g} × {self.height:g} cm at {self.dpi:g} dpi"
        return BY_WORDS["full"]
