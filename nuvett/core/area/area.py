"""Areas as documents: parts that are added, taken away or kept within, in order. Places belong to the thing seen.

Places are shares of the width and height of the upright, uncut original; lengths are percent of its long edge.
"""

from pydantic import Field

from nuvett.core.area.faces import SkinSeen
from nuvett.core.area.kinds import Part
from nuvett.core.fields import number
from nuvett.core.types import Document

MAX_PARTS = 12


class Area(Document):
    """Where something acts: parts in order. Without parts it is nowhere.

    density : weight of the whole; softness : blur of the whole
    edges : whether its border follows edges of the picture
    """

    parts: tuple[Part, ...] = Field(default=(), max_length=MAX_PARTS)
    density: float = number(100, 0, 100, "Opacity")
    softness: float = number(0, 0, 20, "Feather, of the long edge", "%", 0.1)
    edges: bool = False

    @property
    def travels(self) -> bool:
        """Whether a look may carry it to other frames."""
        return all(part.travels for part in self.parts)

    @property
    def brushed(self) -> bool:
        """Whether strokes can be laid down in it."""
        return any(part.begins == "brushed" for part in self.parts)

    def with_faces(self, faces: tuple[SkinSeen, ...]) -> "Area":
        """The area with the faces of a frame told to the parts that look for skin."""
        parts = tuple(part.told(faces) for part in self.parts)
        return self if parts == self.parts else self.model_copy(update={"parts": parts})

    @property
    def looks_at(self) -> frozenset[str]:
        """What its parts need to know of the frame beside their shapes."""
        return frozenset(part.looks_at for part in self.parts)
