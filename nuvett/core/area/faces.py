"""Faces in a frame: as they were found, and as areas look for their skin."""

from nuvett.core.near import Centre
from nuvett.core.types import Document


class FaceSeen(Document):
    """A face found in a frame as it came: its place in shares of the picture, and its linear colour.

    box : left, top, width and height
    """

    box: tuple[float, float, float, float]
    colour: tuple[float, float, float]

    @property
    def middle(self) -> tuple[float, float]:
        """The middle of its box, in shares of the picture."""
        left, top, width, height = self.box
        return left + width / 2, top + height / 2

    def holds(self, x: float, y: float) -> bool:
        """Whether a place lies in the ellipse inside its box."""
        (across, down), (_, _, width, height) = self.middle, self.box
        return ((x - across) * height) ** 2 + ((y - down) * width) ** 2 <= (width * height / 2) ** 2


class SkinSeen(Document):
    """A face in a frame: its place in shares of the picture, and the centre of its skin, evened."""

    box: tuple[float, float, float, float]
    centre: Centre
