"""Operations at the end of a look: easing before the boundary of a gamut, and holds."""

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from nuvett.core.fit.holds import HeldFamily, HoldLimits, family_ellipses, hold_colours
from nuvett.core.near import Centre
from nuvett.core.plan.operation import ColourOperation, Stage
from nuvett.core.skin import skin
from nuvett.core.spaces.gamut import ease_outward
from nuvett.core.spaces.rgb import Space
from nuvett.core.types import OKLab


class EaseOperation(ColourOperation):
    """Colours that have been pushed toward the boundary of where the picture goes, eased so that they do not clip."""

    kind: Literal["ease"] = "ease"
    stage: ClassVar[Stage] = Stage.EASED

    def whole(self, lab: OKLab, came: OKLab, space: Space) -> OKLab:
        return ease_outward(came, lab, space)


class HoldOperation(ColourOperation):
    """What came into the group and may move only so far.

    skin : limits for skin, none where it is not held; centres : of faces found in the frame, none for skin in general
    grey : share of colour that black-and-white has taken, which no hold gives back
    """

    kind: Literal["hold"] = "hold"
    stage: ClassVar[Stage] = Stage.HELD
    skin: HoldLimits | None = None
    centres: tuple[Centre, ...] = ()
    families: tuple[HeldFamily, ...] = ()
    grey: float = Field(default=0, ge=0, le=1)

    def whole(self, lab: OKLab, came: OKLab, space: Space) -> OKLab:
        held = lab
        if self.skin is not None:
            held = hold_colours(came, held, skin(self.centres), self.skin)
        for family in (each for each in self.families if each.on):
            held = hold_colours(came, held, family_ellipses(family.family), family)
        if self.grey and held is not lab:
            held[:, 1:] = lab[:, 1:] + np.float32(1 - self.grey) * (held[:, 1:] - lab[:, 1:])
        return held
