"""What every operation of a plan has: what it reaches, when it acts, and how much of it is taken."""

from abc import abstractmethod
from enum import IntEnum
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from nuvett.core.fit.parts import Part, only
from nuvett.core.spaces.rgb import Space
from nuvett.core.types import Document, OKLab

Reach = Literal["colour", "neighbourhood", "place"]
"""What an operation needs: a colour alone, the pixels around it, or where it lies in the frame."""


class Stage(IntEnum):
    """When an operation acts within its group, whatever step it came from: this is the order of everything.

    What was fitted to the target comes first, then what of a thing's own colour is kept from that, what was made by
    hand, easing before the gamut, holds, which see all of it, and what needs more than a colour.
    """

    FITTED = 1
    KEPT = 2
    BY_HAND = 3
    EASED = 4
    HELD = 5
    FINISHED = 6


class Operation(Document):
    """One thing that is done to a frame, in plain numbers."""

    reach: ClassVar[Reach]
    stage: ClassVar[Stage]


class ColourOperation(Operation):
    """A function of colour alone. `amount` 0 to 1.5 says how much of it is taken, `part` of what."""

    reach: ClassVar[Reach] = "colour"
    stage: ClassVar[Stage] = Stage.BY_HAND
    part: Part = "both"
    amount: float = Field(default=1, ge=0, le=1.5)

    @abstractmethod
    def whole(self, lab: OKLab, came: OKLab, space: Space) -> OKLab:
        """OKLab colours (N, 3) after all of it.

        lab : colours (N, 3) as they arrive here; came : as they came into the group; neither may be changed
        space : where the picture goes
        """

    def looked_at(self, lab: OKLab, came: OKLab) -> OKLab:
        """The colours (N, 3) that decide what it does to each; arguments as in `whole`."""
        return lab

    def apply(self, lab: OKLab, came: OKLab, space: Space) -> OKLab:
        """OKLab colours (N, 3) after as much of it as is taken; arguments as in `whole`."""
        if self.amount == 0:
            return lab
        made = only(self.part, lab, self.whole(lab, came, space))
        return made if self.amount == 1 else OKLab(lab + np.float32(self.amount) * (made - lab))
