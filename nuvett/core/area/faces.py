"""Faces in a frame: as they were found, and as areas look for their skin."""

from nuvett.core.near import Centre
from nuvett.core.types import Document


class FaceSeen(Document):
    """A face found in a frame as it came: its place in shares of the picture, and its linear colour.

    box : left, top, width and height
    """

    box: tuple[float, float, float, float]
    colour: tuple[float, float, float]


class SkinSeen(Document):
    """A face in a frame: its place in shares of the picture, and the centre of its skin, evened."""

    box: tuple[float, float, float, float]
    centre: Centre
