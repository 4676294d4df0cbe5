"""Operations on light: gains, as even light and white are, exposure with contrast, and a veil taken off."""

from typing import Literal

import numpy as np
from pydantic import Field

from nuvett.core.even.light import apply_gains, join_gains
from nuvett.core.fit.curves import contrast_about
from nuvett.core.fit.veil import without_veil
from nuvett.core.plan.operation import ColourOperation
from nuvett.core.spaces.cielab import neutral_oklab
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear
from nuvett.core.spaces.rgb import Space
from nuvett.core.types import Linear, OKLab

NO_GAINS = (1.0, 1.0, 1.0)


class GainsOperation(ColourOperation):
    """Linear RGB gains, rolling off near white; camera : share of a camera curve that they pass through, 0 to 1."""

    kind: Literal["gains"] = "gains"
    gains: tuple[float, float, float] = NO_GAINS
    camera: float = 0.0

    def on_light(self, linear: Linear) -> Linear:
        """Linear light (..., 3) under the gains, whole."""
        return apply_gains(linear, np.array(self.gains, dtype=np.float32), self.camera)

    def whole(self, lab: OKLab, came: OKLab, space: Space) -> OKLab:
        return linear_to_oklab(self.on_light(oklab_to_linear(lab)))


class ExposureOperation(ColourOperation):
    """Exposure in EV, and contrast (-0.8 to 1) about a pivot in CIE L*."""

    kind: Literal["exposure"] = "exposure"
    exposure: float = 0
    contrast: float = Field(default=0, ge=-0.8, le=1)
    pivot: float = Field(default=50, ge=5, le=95)

    def whole(self, lab: OKLab, came: OKLab, space: Space) -> OKLab:
        if self.exposure:
            lab = linear_to_oklab(apply_gains(oklab_to_linear(lab), join_gains(self.exposure)))
        if self.contrast:
            lab = OKLab(lab.copy())
            lab[:, 0] = contrast_about(lab[:, 0], self.contrast, neutral_oklab(self.pivot))
        return lab


class VeilOperation(ColourOperation):
    """A veil of light, an OKLab colour, taken off."""

    kind: Literal["veil"] = "veil"
    veil: tuple[float, float, float]

    def whole(self, lab: OKLab, came: OKLab, space: Space) -> OKLab:
        return without_veil(lab, OKLab(np.array(self.veil, dtype=np.float32)))
